import type { Analysis, SolveOutcome, StoredRecord, TakeBody } from '@mesure/contract';
import { fireEvent, screen } from '@testing-library/react-native';
import { CheckScreen } from './check-screen';
import { FakeServer, ID, open, record, settle, takeBody } from '../test-day';

const picked: { file: File | null } = { file: null };
jest.mock('../../ui/pick-file', () => ({ pickFile: async () => mockPicked(), pickFiles: async () => [mockPicked()].filter(Boolean) }));
const mockPicked = () => picked.file;

const W = '99999999-9999-4999-8999-999999999999';
const clip = { packageId: W, clip: 'W003', focusM: null, stabiliser: 'off' as const };
const tracks = { sha256: 'd'.repeat(64), name: 'w.csv' };
const take = (server: FakeServer) => server.records.get(ID.take)!.body as TakeBody;

/** The camera with a witness on it; `rigid` or standing on the set. */
function day(witness: object = clip, way: 'rigid' | 'free' = 'rigid'): FakeServer {
  const server = new FakeServer();
  const pack = server.records.get(ID.pack) as StoredRecord<'package'>;
  server.records.set(W, record('package', W, { ...pack.body, camera: 'W' }));
  const placement = way === 'rigid' ? { way, rightM: 0.1, upM: 0, forwardM: 0, turnRad: 0, tiltRad: 0 } : { way, xM: 1, zM: 0, heightM: 1.5, headingRad: 0, tiltRad: 0 };
  server.records.set('rig', record('rig', 'rig', { setupId: ID.setup, packageId: W, since: '2026-11-23T00:00:00.000Z', placement, toleranceM: 0.01, why: '' }));
  server.records.set(ID.take, record('take', ID.take, takeBody({ witnesses: [witness as typeof clip] })));
  return server;
}

function solvedWith(witness: object): Analysis {
  const frames = [1, 2, 3].map((frame) => ({ frame, position: [0.1 * frame, 1.4, 0], rotation: [0, 0, 0, 1], focalMm: 32, rmsPx: 0.4, tracks: 12, sigmaPositionM: 0.01 }));
  const solve = {
    ...{ status: 'solved', reason: null, width: 4096, height: 2160, focalMm: 32, sigmaFocalMm: 0, focalMode: 'held', distortion: { mode: 'none' }, rmsPx: 0.4, rmsPerMille: 0.1, noisePx: 0.3 },
    ...{ frames, points: [], trimmed: [], anchoring: { scale: 1, sigmaScalePct: 0.4, datum: ['level points'], residuals: [] }, warnings: [], iterations: 5 },
    witness: { ...witness, frames },
  };
  const outcome = { kind: 'solve', setup: { image: { width: 4096, height: 2160 }, sensor: { widthMm: 24, heightMm: 12.66 }, focal: { mm: 32 } }, reconcile: null, solve } as unknown as SolveOutcome;
  return { id: 'an', kind: 'solve', subjectId: ID.take, status: 'done', progress: 1, stage: 'done', error: null, outcome, createdAt: '', finishedAt: '' };
}

test('a witness gets its tracks where the take is checked, and is then solved with it where that is ticked', async () => {
  const server = day();
  await open(<CheckScreen takeId={ID.take} />, server);
  expect(screen.getByTestId('witness-of-W-cam')).toHaveTextContent(/W-cam ran with this take/);
  expect(screen.queryByTestId('with-W-cam')).toBeNull();
  picked.file = new File(['track,frame,x,y\nK1,1,2,3\n'], 'w.csv');
  fireEvent.press(screen.getByTestId('give-tracks-W-cam'));
  await settle(40);
  // of the witness, and the take's own stay what they were
  expect(take(server).witnesses).toMatchObject([{ packageId: W, clip: 'W003', tracks: { name: 'w.csv' } }]);
  expect(take(server).tracks).toEqual(takeBody().tracks);
  fireEvent.press(screen.getByTestId('with-W-cam'));
  fireEvent.press(screen.getByTestId('start-solve'));
  await settle(40);
  expect(server.started.at(-1)).toMatchObject({ kind: 'solve', options: { withWitness: W } });
});

test('where it sat and what both saw stands there, and the next solve takes it again until somebody says otherwise', async () => {
  const server = day({ ...clip, tracks });
  const found = {
    name: 'W-cam',
    focalMm: 18,
    sigmaFocalMm: 0.02,
    rmsPx: 0.31,
    translation: [-0.22, 0.09, 0.04],
    rotation: [0, 0, 0, 1],
    sigmaM: 0.002,
    sigmaDeg: 0.05,
    shared: ['K1', 'K3'],
    addFrames: -11.5,
  };
  server.analyses.set('an', solvedWith(found));
  await open(<CheckScreen takeId={ID.take} />, server);
  expect(screen.getByTestId('witness-offset')).toHaveTextContent('Its pupil sat 0.220 to the left, 0.090 up, 0.040 behind, ± 0.002 m.');
  expect(screen.getByTestId('witness-facts')).toHaveTextContent(
    /Seen by both: K1, K3; 3 frames, error 0\.31 px; focal length 18\.00 ± 0\.02 mm; its count is [−-]11\.5 frames ahead; turned to ± 0\.05°\./,
  );
  // it is drawn beside the main camera, from above, from the side and turned
  expect(screen.getAllByLabelText(/W-cam goes with it, tied to it by thin lines/)).toHaveLength(1);
  fireEvent.press(screen.getByRole('radio', { name: 'turned' }));
  expect(screen.getByLabelText(/places of the camera.*W-cam goes with it/)).toBeTruthy();
  fireEvent.press(screen.getByTestId('start-solve'));
  await settle(40);
  expect(server.started.at(-1)).toMatchObject({ options: { withWitness: W } });
  screen.unmount();
  const again = day({ ...clip, tracks });
  again.analyses.set('an', solvedWith(found));
  await open(<CheckScreen takeId={ID.take} />, again);
  fireEvent.press(screen.getByTestId('with-W-cam'));
  fireEvent.press(screen.getByTestId('start-solve'));
  await settle(40);
  expect(again.started.at(-1)!.options).not.toHaveProperty('withWitness');
});

test('one that stood on the set is solved by itself; a take without any shows none', async () => {
  await open(<CheckScreen takeId={ID.take} />, day({ ...clip, tracks }, 'free'));
  expect(screen.getByTestId('witness-apart-W-cam')).toHaveTextContent(/stood on the set/);
  expect(screen.queryByTestId('with-W-cam')).toBeNull();
  screen.unmount();
  await open(<CheckScreen takeId={ID.take} />, new FakeServer());
  expect(screen.queryByTestId(/^witness-/)).toBeNull();
});
