import { act, fireEvent, screen } from '@testing-library/react-native';
import type { Analysis, RecordBodies, StoredRecord, SyncOutcome } from '@mesure/contract';
import { FakeServer, ID, open, record, seen, settle, takeBody } from '../../test-day';
import { SyncScreen } from './sync-screen';

let mockFile: File | null = null;
jest.mock('../../../ui/pick-file', () => ({ pickFile: async () => mockFile, pickFiles: async () => [] }));
const facts = { durationS: 20, fps: 24, timecode: null, hasSound: true };
const outcome: SyncOutcome = { kind: 'sync', sound: { offsetS: 2.001, confidence: 0.93, driftPpm: 0.4, warnings: [] }, main: { ...facts, name: 'A.mov' }, witness: { ...facts, name: 'W.mov' } };
const analysis = (subjectId: string, change: Partial<Analysis> = {}): Analysis => ({
  id: 'an',
  kind: 'sync',
  subjectId,
  status: 'done',
  progress: 1,
  stage: 'done',
  error: null,
  outcome,
  createdAt: '2026-11-23T10:00:00.000Z',
  finishedAt: '',
  ...change,
});
const file = (name: string) => ({ sha256: 'c'.repeat(64), name });

function day(sync: Partial<RecordBodies['sync']> | null, take: Partial<RecordBodies['take']> = {}) {
  const server = new FakeServer();
  const pack = server.records.get(ID.pack) as StoredRecord<'package'>;
  server.records.set('w', record('package', 'w', { ...pack.body, camera: 'W' }));
  server.records.set(ID.take, record('take', ID.take, takeBody({ witnesses: [{ packageId: 'w', clip: 'W1', focusM: null, stabiliser: 'off', timecodeIn: '10:04:29:12' }], ...take })));
  if (sync) server.records.set('sync', record('sync', 'sync', { takeId: ID.take, packageId: 'w', main: file('A.mov'), witness: file('W.mov'), clap: null, ...sync }));
  return server;
}

test('timecode alone gives an offset to a frame; a timecode that cannot be is said', async () => {
  await open(<SyncScreen takeId={ID.take} />, day(null, { timecodeIn: '10:04:31:12' }));
  expect(screen.getByTestId('sync-answer-W')).toHaveTextContent(/48\.00.*2\.0000 s later in the clip of W-cam, by timecode/);
  screen.unmount();
  await open(<SyncScreen takeId={ID.take} />, day(null, { timecodeIn: '10:04:31:24' }));
  expect(seen(/Timecode: .*the last one is 23/)).toBe(true);
});

test('sound is the finest; a clock in another time zone is named', async () => {
  const server = day({}, { timecodeIn: '11:04:31:12' });
  server.analyses.set('an', analysis('sync'));
  await open(<SyncScreen takeId={ID.take} />, server);
  await settle();
  expect(screen.getByTestId('sync-answer-W')).toHaveTextContent(/48\.02.*by sound/);
  expect(screen.getByTestId('contradiction-timecode-sound')).toHaveTextContent(/Timecode and sound differ by 3599\.999 s .*another time zone/);
  expect(screen.getByTestId('evidence-sound-W')).toHaveTextContent(/2\.0010 s ± 5 ms, confidence 0\.93/);
});

test('the clap: stepped in both pictures, the second begins where the sound says it is', async () => {
  const server = day({});
  server.analyses.set('an', analysis('sync'));
  await open(<SyncScreen takeId={ID.take} />, server);
  await settle();
  expect(screen.getByTestId('clap-witness').props.source.uri).toMatch(/frame\?n=48$/);
  fireEvent.press(screen.getByTestId('clap-main-10'));
  fireEvent.press(screen.getByTestId('clap-main-1'));
  expect(screen.getByTestId('clap-witness').props.source.uri).toMatch(/frame\?n=59$/);
  fireEvent.press(screen.getByTestId('clap-witness--10'));
  fireEvent.press(screen.getByTestId('keep-clap'));
  await settle();
  expect(server.records.get('sync')!.body).toMatchObject({ clap: { mainFrame: 11, witnessFrame: 49 } });
  // ten frames off what both hear
  expect(screen.getByTestId('contradiction-sound-clap')).toHaveTextContent(/differ by 0\.418 s \(10\.02 frames\): another clap, or the wrong frame of it/);
});

test('both sounds are given and compared; without a network it says what is safe', async () => {
  const server = day(null);
  server.answer = (a) => analysis(a.subjectId, { id: a.id });
  mockFile = new File([new Uint8Array(64)], 'A.wav') as unknown as File;
  await open(<SyncScreen takeId={ID.take} />, server);
  fireEvent.press(screen.getByTestId('give-main-W'));
  await settle(60);
  mockFile = new File([new Uint8Array(64)], 'W.wav') as unknown as File;
  fireEvent.press(screen.getByTestId('give-witness-W'));
  await settle(160);
  const kept = [...server.records.values()].find((r) => r.kind === 'sync')!.body as RecordBodies['sync'];
  expect([kept.main?.name, kept.witness?.name]).toEqual(['A.wav', 'W.wav']);
  expect(screen.getByTestId('sync-answer-W')).toHaveTextContent(/by sound/);
  server.cut = true;
  fireEvent.press(screen.getByTestId('give-main-W'));
  await settle(60);
  await act(async () => undefined);
  expect(seen(/Nothing else was changed/)).toBe(true);
});

test('a take without witness cameras says what to do', async () => {
  const server = new FakeServer();
  await open(<SyncScreen takeId={ID.take} />, server);
  expect(seen('No witness camera')).toBe(true);
});
