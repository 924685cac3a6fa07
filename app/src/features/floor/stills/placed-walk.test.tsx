import type { RecordBodies, WalkOutcome } from '@mesure/contract';
import type { PlacedWalk } from '@mesure/core';
import { fireEvent, screen } from '@testing-library/react-native';
import { FakeServer, ID, open, plannedBody, record, seen, settle, stillBody } from '../../test-day';
import { StillMarksScreen } from './still-marks-screen';
import { StillsScreen } from './stills-screen';

jest.mock('../../../ui/pick-file', () => ({ pickFiles: async () => [] }));
jest.mock('../../pictures/picture-on-device', () => ({ openPicture: async () => ({ image: null, notes: null }), notesOf: async () => null }));
/** Where the finger lets go under the loupe, which has no layout here. */
const mockDrawn: { onPlace?: (x: number, y: number) => void } = {};
jest.mock('../../../ui/drawing', () => ({
  ...jest.requireActual('../../../ui/drawing'),
  Drawing: ({ aim, describe }: { aim?: { onPlace: (x: number, y: number) => void }; describe: string }) => {
    if (aim) mockDrawn.onPlace = aim.onPlace;
    const { Text } = jest.requireActual('react-native');
    return <Text>{describe}</Text>;
  },
}));

const at = (xM: number) => ({ at: [xM, 1.5, -1.5] as [number, number, number], headingRad: 0, tiltRad: 0 });
const planBody = plannedBody({
  stillsPlanned: true,
  stills: { way: 'along', pieceId: 'wall', packageId: ID.pack, distanceM: 2.5, heightM: 1.5, overlap: 0.5, stations: [at(-2), at(-0.6), at(0.8), at(2.2)], taken: [] },
});
const STILLS = ['s1', 's2', 's3'];

const lens = (change: Partial<PlacedWalk['lenses'][number]> = {}): PlacedWalk['lenses'][number] => ({
  ...{ lens: 'Orrin 4K, 32 mm', stills: [0, 1, 2], recordedPx: 5461.3, focalPx: 3874.2, sigmaPx: 17.1, told: true },
  ...change,
});
const placedWalk = (change: Partial<PlacedWalk> = {}): PlacedWalk => ({
  status: 'partial',
  reason: '1 of 3 pictures have no place',
  turnsOnly: false,
  stills: [
    { position: [-2, 1.5, -1.5], rotation: [0, 0, 0, 1], sigma: 0.01, offStationM: 0.02, places: 90, rmsPx: 0.4 },
    { position: [-0.2, 1.5, -1.5], rotation: [0, 0, 0, 1], sigma: 0.01, offStationM: 0.41, places: 80, rmsPx: 0.4 },
    null,
  ],
  unplaced: [{ still: 2, why: 'nothing in it was found in another picture: take one more from between it and its neighbour' }],
  lenses: [lens()],
  bends: null,
  places: [{ position: [0, 1, -4], sigma: 0.02, stills: 3, mark: null }],
  noisePx: 0.3,
  scaledBy: 'stations',
  sigmaScalePct: 1.2,
  ties: [],
  warnings: [{ code: 'WALK_BY_STATIONS', words: 'What a metre is comes from where the pictures were to be taken, ± 1.2 %.' }],
  ...change,
});
const cause = {
  cause: 'adapter-missing',
  title: 'A ×0.71 reducer was not written down',
  evidence: '32 × 0.71 = 22.72',
  likelihood: 0.97,
  correction: { field: 'adapterFactor' as const, value: 0.71 },
};
const outcome = (change: Partial<WalkOutcome> = {}): WalkOutcome => ({
  kind: 'walk',
  placed: placedWalk(),
  stills: STILLS.map((id, station) => ({ id, name: `${id}.jpg`, station, widthPx: 4096, heightPx: 2160, focalBy: 'record' })),
  pxPerMm: { 'Orrin 4K, 32 mm': 4096 / 24 },
  reconcile: {
    verdict: 'contradicts',
    sentence: cause.title,
    items: [
      {
        ...{ quantity: 'focalLength', about: 'focal length', unit: 'mm', recorded: 32, recordedSigma: 0.3, solved: 22.7, sigma: 0.1, difference: -9.3, verdict: 'contradicts' },
        sentence: 'Focal length: recorded 32.00, solved 22.70 ± 0.10 mm.',
        causes: [cause],
      },
    ],
    warnings: [],
  },
  ...change,
});
function server(o: WalkOutcome | null, change: object = {}): FakeServer {
  const s = new FakeServer();
  s.records.set('plan', record('plan', 'plan', planBody));
  STILLS.forEach((id, station) => s.records.set(id, record('still', id, stillBody({ station, picture: { sha256: 'c'.repeat(64), name: `${id}.jpg` } }))));
  const when = '2026-11-23T09:10:00.000Z';
  if (o)
    s.analyses.set('a1', { id: 'a1', kind: 'walk', subjectId: ID.setup, status: 'done', progress: 1, stage: '', error: null, outcome: o, createdAt: when, finishedAt: when, stale: null, ...change });
  return s;
}

test('three pictures that have arrived can be placed; with two it says what is missing', async () => {
  const s = server(null);
  await open(<StillsScreen setupId={ID.setup} />, s);
  expect(screen.getByTestId('place-walk')).toHaveTextContent(/Place the 3 pictures/);
  fireEvent.press(screen.getByTestId('place-walk'));
  await settle(20);
  expect(s.started.at(-1)).toMatchObject({ kind: 'walk', subjectId: ID.setup });
  screen.unmount();
  const two = server(null);
  two.records.delete('s3');
  await open(<StillsScreen setupId={ID.setup} />, two);
  expect(seen(/Two pictures have arrived; three can be placed/)).toBe(true);
  expect(screen.queryByTestId('place-walk')).toBeNull();
});

test('what was found: how many have a place, the lens against its note, and which picture has none and why', async () => {
  const s = server(outcome());
  await open(<StillsScreen setupId={ID.setup} />, s);
  await settle(20);
  expect(screen.getByTestId('walk-placed')).toHaveTextContent(/2\s*of 3 placed= 22\.70 mm/);
  expect(screen.getByTestId('walk-lens-Orrin 4K, 32 mm')).toHaveTextContent('Orrin 4K, 32 mm, 3 pictures: 22.70 ± 0.10 mm, noted 32.00.');
  expect(screen.getByTestId('unplaced-3')).toHaveTextContent(/^▲ 3: nothing in it was found in another picture/);
  expect(screen.getByTestId('station-2')).toHaveTextContent(/taken 0\.41 m from its station/);
  expect(seen(/± 1\.2 %/)).toBe(true);
  expect(seen(/A dot with a line to its station: where a picture was really taken \(2\)/)).toBe(true);
  expect(screen.getByTestId('walk-verdict')).toHaveTextContent(/reducer was not written down \(97 %\)/);
});

test('one tap puts the record right and places them again; it can be undone', async () => {
  const s = server(outcome());
  await open(<StillsScreen setupId={ID.setup} />, s);
  await settle(20);
  expect(screen.getByTestId('correct-walk')).toHaveTextContent(/place them again/);
  fireEvent.press(screen.getByTestId('correct-walk'));
  await settle(40);
  const pack = s.records.get(ID.pack)!.body as RecordBodies['package'];
  expect((s.records.get(pack.adapterId!)!.body as RecordBodies['adapter']).factor).toBeCloseTo(0.71, 9);
  expect(s.started.at(-1)).toMatchObject({ kind: 'walk', subjectId: ID.setup });
});

test('whoever only solves may place, and corrects nothing; an old answer says of before what it is', async () => {
  const s = server(outcome(), { stale: { when: '2026-11-23T10:00:00.000Z', who: 'ada', what: 'still of the walk s2.jpg' } });
  await open(<StillsScreen setupId={ID.setup} />, s, 'solver');
  await settle(20);
  expect(screen.queryByTestId('correct-walk')).toBeNull();
  expect(screen.getByTestId('place-walk')).toBeTruthy();
  expect(screen.getByTestId('walk-stale')).toHaveTextContent(/before the change of .*still of the walk s2\.jpg/);
});

test('what does not hold together is no world: it says why, and nothing of it is drawn', async () => {
  const reason = 'the pictures do not hold together: 31 % of the places that are in three of them or more lie elsewhere in one than in the others';
  const s = server(outcome({ placed: placedWalk({ status: 'failed', reason, stills: [null, null, null], places: [], lenses: [lens({ told: false })] }), reconcile: null }));
  await open(<StillsScreen setupId={ID.setup} />, s);
  await settle(20);
  expect(seen(/The pictures do not hold together: 31 %/)).toBe(true);
  expect(screen.queryByTestId('walk-placed')).toBeNull();
  expect(screen.queryByTestId('orbit')).toBeNull();
});

test('a focal length that they do not tell is not shown as found; one in px where nobody knows the sensor', async () => {
  const s = server(
    outcome({ placed: placedWalk({ lenses: [lens({ told: false }), lens({ lens: 'Teasel 4', stills: [1] })] }), pxPerMm: { 'Orrin 4K, 32 mm': 4096 / 24, 'Teasel 4': null }, reconcile: null }),
  );
  await open(<StillsScreen setupId={ID.setup} />, s);
  await settle(20);
  expect(screen.getByTestId('walk-lens-Orrin 4K, 32 mm')).toHaveTextContent(/taken as 32\.00 mm, which they do not tell/);
  expect(screen.getByTestId('walk-lens-Teasel 4')).toHaveTextContent('Teasel 4, 1 picture: 3874 ± 17 px, noted 5461.');
  expect(screen.getByTestId('walk-placed')).toHaveTextContent(/2 of 3 placed$/);
});

test('marks are pointed out in a still, put elsewhere, taken off; each says in how many others it is', async () => {
  const s = server(null);
  s.records.set('s2', record('still', 's2', stillBody({ station: 1, marks: [{ mark: 'K1', x: 10, y: 20 }] })));
  await open(<StillMarksScreen stillId="s1" />, s);
  const kept = () => (s.records.get('s1')!.body as RecordBodies['still']).marks;
  for (const [mark, x] of [
    ['K1', 100.123],
    ['K2', 50],
    ['K1', 102],
  ] as const) {
    mockDrawn.onPlace!(x, 40);
    await settle(10);
    fireEvent.press(screen.getByTestId(`mark-is-${mark}`));
    await settle(20);
  }
  expect(kept()).toEqual([
    { mark: 'K2', x: 50, y: 40 },
    { mark: 'K1', x: 102, y: 40 },
  ]);
  expect(screen.getByTestId('still-mark-K1')).toHaveTextContent(/in 1 other picture too/);
  expect(screen.getByTestId('still-mark-K2')).toHaveTextContent(/in no other picture yet/);
  fireEvent.press(screen.getByTestId('off-K2'));
  await settle(20);
  expect(kept()).toEqual([{ mark: 'K1', x: 102, y: 40 }]);
  screen.unmount();
  await open(<StillMarksScreen stillId="s1" />, s, 'guest');
  expect(screen.queryByTestId('off-K1')).toBeNull();
});
