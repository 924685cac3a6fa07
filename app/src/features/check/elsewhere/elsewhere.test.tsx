import type { ElsewhereOutcome, RecordBodies } from '@mesure/contract';
import { fireEvent, screen } from '@testing-library/react-native';
import { dayRecords, FakeServer, ID, open, record, seen, settle } from '../../test-day';
import { TakeCheck } from '../take-check';
import { ElsewhereScreen } from './elsewhere-screen';

const picked: { file: File | null } = { file: null };
const mockPicked = () => picked.file;
jest.mock('../../../ui/pick-file', () => ({ pickFile: async () => mockPicked(), pickFiles: async () => [] }));

const MOVE = '00000000-0000-4000-8000-000000000051';
const brought = (change: Partial<RecordBodies['elsewhere']> = {}) =>
  record('elsewhere', MOVE, { takeId: ID.take, file: { sha256: 'e'.repeat(64), name: 'move.csv' }, points: null, reading: null, order: null, givenAt: '2026-11-23T09:00:00.000Z', ...change });
const now = (s: FakeServer) => s.records.get(MOVE)!.body as RecordBodies['elsewhere'];

const item = (verdict: string, quantity = 'focalLength') => ({
  quantity,
  about: quantity === 'focalLength' ? 'focal length' : 'frame 1',
  unit: 'mm',
  recorded: 32,
  recordedSigma: 0.3,
  solved: 22.7,
  sigma: 0.1,
  difference: -9.3,
  verdict,
  sentence: 'Focal length: recorded 32.00, solved 22.70 ± 0.10 mm.',
  causes: verdict === 'contradicts' ? [{ cause: 'adapter-missing', title: 'A ×0.71 reducer was not written down', evidence: '32 × 0.71 = 22.72', likelihood: 0.97 }] : [],
});
const outcome = (change: object = {}): ElsewhereOutcome =>
  ({
    kind: 'elsewhere',
    setup: { image: { width: 4096, height: 2160 }, sensor: { widthMm: 24, heightMm: 12.66 }, focal: { mm: 32 } },
    reading: { unit: 'm', up: 'Y', looks: '-Z', addFrames: 0, world: 'own' },
    scale: { factor: 0.01, sigma: 0.0001 },
    doubts: [],
    says: { format: 'CSV', metres: null, up: null, fps: null, firstFrame: 1, lastFrame: 3, points: 2, hasFocal: true, notes: [] },
    reconcile: { verdict: 'contradicts', sentence: 'A ×0.71 reducer was not written down.', items: [item('contradicts')], warnings: [] },
    solve: {
      status: 'solved',
      focalMm: 22.7,
      frames: [0, 1, 2].map((i) => ({ frame: 1 + i, position: [0.2 * i, 1.4, 1], rotation: [0, 0, 0, 1], focalMm: 22.7, rmsPx: 0, tracks: 0, sigmaPositionM: 0.01 })),
      points: [
        { track: 'K1', position: [0, 0, -3], sigmaM: 0.01, rmsPx: 0, observations: 0 },
        { track: 'K2', position: [1, 0, -3], sigmaM: 0.01, rmsPx: 0, observations: 0 },
      ],
      anchoring: { scale: 1, sigmaScalePct: 0.1, datum: [], residuals: [] },
      warnings: [],
    },
    ...change,
  }) as unknown as ElsewhereOutcome;
function server(o: ElsewhereOutcome | null, change: Partial<RecordBodies['elsewhere']> = {}): FakeServer {
  const s = new FakeServer([...dayRecords(), brought(change)]);
  const at = '2026-11-23T09:10:00.000Z';
  if (o) s.analyses.set('a1', { id: 'a1', kind: 'elsewhere', subjectId: MOVE, status: 'done', progress: 1, stage: '', error: null, outcome: o, createdAt: at, finishedAt: at, stale: null });
  return s;
}

test('a doubt stands before the verdict, and its button reads the file the other way and compares again', async () => {
  const s = server(outcome({ doubts: [{ code: 'unit', words: 'By what was measured on the set, its lengths are in cm, not in m.', instead: { unit: 'cm' } }] }));
  await open(<ElsewhereScreen elsewhereId={MOVE} />, s);
  await settle(20);
  expect(screen.getByTestId('doubt-unit')).toHaveTextContent(/lengths are in cm/);
  expect(screen.getByTestId('elsewhere-sentence')).toHaveTextContent('A ×0.71 reducer was not written down.');
  expect(screen.getByTestId('elsewhere-says')).toHaveTextContent(/CSV: frames 1 to 3, no unit \(read in m\), up not said/);
  fireEvent.press(screen.getByTestId('read-as-unit'));
  await settle(40);
  expect(now(s).reading).toEqual({ unit: 'cm', up: 'Y', looks: '-Z', addFrames: 0, world: 'own' });
  expect(s.started.at(-1)).toMatchObject({ kind: 'elsewhere', subjectId: MOVE });
});

test('the order of angles, the frames and whose places they are can be said; each is one change and one comparison', async () => {
  const s = server(outcome());
  await open(<ElsewhereScreen elsewhereId={MOVE} />, s);
  await settle(20);
  fireEvent.press(screen.getByRole('radio', { name: /z x y/ }));
  await settle(40);
  expect(now(s).order).toBe('ZXY');
  expect(s.started).toHaveLength(1);
});

test('a file that could not be read says why, and can be removed', async () => {
  const s = server(null);
  const at = '2026-11-23T09:10:00.000Z';
  s.analyses.set('a1', {
    id: 'a1',
    kind: 'elsewhere',
    subjectId: MOVE,
    status: 'failed',
    progress: 0,
    stage: '',
    error: 'move.csv, line 1: turns are angles',
    outcome: null,
    createdAt: at,
    finishedAt: at,
  });
  await open(<ElsewhereScreen elsewhereId={MOVE} />, s);
  await settle(20);
  expect(seen(/turns are angles/)).toBe(true);
  fireEvent.press(screen.getByTestId('remove-elsewhere'));
  await settle(40);
  expect(s.records.get(MOVE)!.deleted).toBe(true);
});

test('from the take a file is brought in and its comparison begins; a guest is offered nothing', async () => {
  const s = new FakeServer(dayRecords());
  await open(<TakeCheck take={s.records.get(ID.take)! as never} />, s);
  picked.file = { name: 'move.usda', size: 3, slice: () => new Blob(['abc']), arrayBuffer: async () => new ArrayBuffer(3) } as unknown as File;
  fireEvent.press(screen.getByTestId('give-elsewhere'));
  await settle(60);
  const made = [...s.records.values()].find((r) => r.kind === 'elsewhere');
  expect(made?.body).toMatchObject({ takeId: ID.take, file: { name: 'move.usda' }, reading: null });
  expect(s.started.at(-1)).toMatchObject({ kind: 'elsewhere', subjectId: made!.id });
  const g = new FakeServer(dayRecords());
  await open(<TakeCheck take={g.records.get(ID.take)! as never} />, g, 'guest');
  expect(screen.queryByTestId('give-elsewhere')).toBeNull();
});

describe('a table of another program', () => {
  const table = (text: string, name = 'path.txt') => ({ name, size: text.length, arrayBuffer: async () => new TextEncoder().encode(text).buffer }) as unknown as File;
  const bring = async (file: File): Promise<FakeServer> => {
    const s = new FakeServer(dayRecords());
    picked.file = file;
    await open(<TakeCheck take={s.records.get(ID.take)! as never} />, s);
    fireEvent.press(screen.getByTestId('give-elsewhere'));
    await settle(30);
    return s;
  };
  const made = (s: FakeServer) => [...s.records.values()].filter((r) => r.kind === 'elsewhere').map((r) => r.body as RecordBodies['elsewhere']);

  test('its angles could be either unit: both are asked, and nothing goes before', async () => {
    const s = await bring(table('Frame;Tx;Ty;Tz;Rx;Ry;Rz;Focal\n1;0;1,4;0;0,1;1,5;0;32\n2;0,2;1,4;0;0,1;1,6;0;32\n'));
    expect(screen.getByTestId('move-preview')).toHaveTextContent(/^2 rows, frames 1 to 2; it goes 0.200, 0.000, 0.000 of its own lengths along x, y, z; its largest turn is 1.600\.$/);
    fireEvent.press(screen.getByTestId('take-move'));
    await settle(20);
    expect(made(s)).toEqual([]);
    fireEvent.press(screen.getByRole('radio', { name: /radians/ }));
    fireEvent.press(screen.getByRole('radio', { name: /z x y/ }));
    await settle();
    fireEvent.press(screen.getByTestId('take-move'));
    await settle(40);
    expect(made(s)).toMatchObject([{ order: 'ZXY', file: { name: 'path.csv' } }]);
  });

  test('a column that nobody recognised is said by hand; what is no number names its line', async () => {
    const s = await bring(table('no,when,x,y,z,qx,qy,qz,qw\nA,1,0,1,0,0,0,0,1\nA,two,0,1,0,0,0,0,1\n', 'path.csv'));
    expect(seen(/No column holds the frame\./)).toBe(true);
    fireEvent.press(screen.getByTestId('list-column-1'));
    await settle();
    fireEvent.press(screen.getByRole('radio', { name: /^frame/ }));
    await settle();
    expect(seen(/path\.csv, line 3, when: "two" is not a number/)).toBe(true);
    fireEvent.press(screen.getByTestId('take-move'));
    await settle(20);
    expect(made(s)).toEqual([]);
  });

  test('its points too come from any table, under the names that are said', async () => {
    const s = server(outcome());
    picked.file = table('Locator;X;Y;Z\nK1;0,5;0;-3\nK2;1;0;-3\n', 'points.txt');
    await open(<ElsewhereScreen elsewhereId={MOVE} />, s);
    await settle(20);
    fireEvent.press(screen.getByTestId('give-points'));
    await settle(30);
    expect(screen.getByTestId('table-row-0')).toHaveTextContent('id K1 · x 0,5 · y 0 · z -3');
    fireEvent.press(screen.getByTestId('take-points'));
    await settle(40);
    expect(now(s).points).toMatchObject({ name: 'points.csv' });
    expect(screen.queryByTestId('take-points')).toBeNull();
  });
});
