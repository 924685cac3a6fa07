import type { RecordBodies } from '@mesure/contract';
import { fireEvent, screen } from '@testing-library/react-native';
import { dayRecords, FakeServer, ID, open, record, seen, settle, takeBody, touchPicture } from '../../test-day';
import { LineUpScreen } from './line-up-screen';
import { TakeCheck } from '../take-check';

const picked: { file: File | null } = { file: null };
const mockPicked = () => picked.file;
jest.mock('../../../ui/pick-file', () => ({ pickFile: async () => mockPicked(), pickFiles: async () => [] }));
jest.mock('../../pictures/picture-on-device', () => ({ notesOf: async () => null }));

const LINEUP = '00000000-0000-4000-8000-000000000041';
const OTHER = '00000000-0000-4000-8000-000000000042';
const [W, H] = [4096, 2160];
const CAMERA = [0.1, 1.4, 1.1] as const;
const PLACES: Record<string, [number, number, number]> = { K1: [-1.2, 0, -2.2], K2: [1.3, 0.1, -2.3], K3: [0.2, 0.9, -3.6], K4: [-1.5, 1.6, -4.6], K5: [0.4, 1.9, -4.1], K6: [1.7, 1.2, -4.6] };
/** Where a camera that looks straight along −Z sees a mark, px; the lens is 32 mm. */
const seenAt = (id: string, camera: readonly number[] = CAMERA) => {
  const [f, p] = [(32 / 24) * W, PLACES[id]];
  const fy = (32 / 12.66) * H;
  return { mark: id, x: W / 2 + (f * (p[0] - camera[0])) / (camera[2] - p[2]), y: H / 2 - (fy * (p[1] - camera[1])) / (camera[2] - p[2]) };
};
const places = () =>
  Object.entries(PLACES).map(([mark, at], i) =>
    record('fact', `00000000-0000-4000-8000-0000000000${60 + i}`, { setId: ID.set, what: 'point', marks: [mark], length: null, at, toleranceM: 0.004, measuredAt: `2026-11-23T08:0${i}:00.000Z` }),
  );
const lineup = (marks: RecordBodies['lineup']['marks'] = [], change: Partial<RecordBodies['lineup']> = {}, id = LINEUP) =>
  record('lineup', id, {
    takeId: ID.take,
    picture: { sha256: 'e'.repeat(64), name: 'frame.png' },
    widthPx: W,
    heightPx: H,
    marks,
    focal: 'free',
    stood: 'height',
    shotAt: '2026-11-23T09:00:00.000Z',
    ...change,
  });
const now = (s: FakeServer) => s.records.get(LINEUP)!.body as RecordBodies['lineup'];
const all = () => Object.keys(PLACES).map((id) => seenAt(id));
const touch = (x: number, y: number) => touchPicture(W, x, y);

test('a mark is pointed out by its name; with the fourth the camera has its place, and the record agrees', async () => {
  const s = new FakeServer([...dayRecords(), ...places(), lineup(all().slice(0, 5))]);
  await open(<LineUpScreen lineupId={LINEUP} />, s);
  await settle(40);
  expect(screen.getByTestId('lineup-found')).toHaveTextContent(/1\.400 m high/);
  expect(screen.getByTestId('lineup-found')).toHaveTextContent(/32\.0\d mm/);
  expect(screen.getByTestId('lineup-verdict')).toHaveTextContent(/agrees/i);
  const { x, y } = seenAt('K6');
  touch(x, y);
  await settle();
  fireEvent.press(screen.getByTestId('mark-is-K6'));
  await settle(40);
  expect(now(s).marks).toHaveLength(6);
  expect(now(s).marks[5]).toEqual({ mark: 'K6', x: expect.closeTo(x, 0) as number, y: expect.closeTo(y, 0) as number });
  expect(screen.getByTestId('lineup-mark-K6')).toHaveTextContent(/px off/);
});

test('what is missing is said until it is there: marks, then a net', async () => {
  const s = new FakeServer([...dayRecords(), ...places(), lineup(all().slice(0, 3))]);
  await open(<LineUpScreen lineupId={LINEUP} />, s);
  await settle(20);
  expect(screen.getByTestId('lineup-sentence')).toHaveTextContent(/3 of at least 4 marks.*K4, K5, K6/);
  const without = new FakeServer([...dayRecords(), lineup(all())]);
  await open(<LineUpScreen lineupId={LINEUP} />, without);
  await settle(20);
  expect(screen.getByTestId('lineup-sentence')).toHaveTextContent(/no tape net/);
});

test('a height that contradicts the picture is said with the reading behind it; taken elsewhere it is not compared', async () => {
  const wrong = { typed: '1.7 m', unit: 'm', valueM: 1.7, toleranceM: 0.01, takenAt: 'lens axis', offsetM: 0 } as const;
  const records = dayRecords().map((r) => (r.id === ID.take ? record('take', ID.take, takeBody({ height: wrong })) : r));
  const s = new FakeServer([...records, ...places(), lineup(all())]);
  await open(<LineUpScreen lineupId={LINEUP} />, s);
  await settle(40);
  expect(screen.getByTestId('lineup-verdict')).toHaveTextContent(/contradicts/i);
  expect(screen.getByTestId('reading-cameraHeight-frame 1')).toHaveTextContent(/1\.7 m/);
  fireEvent.press(screen.getByRole('radio', { name: /elsewhere/ }));
  await settle(40);
  expect(now(s).stood).toBe('elsewhere');
  expect(screen.getByTestId('lineup-verdict')).toHaveTextContent(/agrees/i);
});

test('a mark under another mark’s name is left out, and says so; taken off it is gone, and can be put again', async () => {
  const marks = all().map((m) => (m.mark === 'K3' ? { ...m, x: m.x + 300 } : m));
  const s = new FakeServer([...dayRecords(), ...places(), lineup(marks)]);
  await open(<LineUpScreen lineupId={LINEUP} />, s);
  await settle(40);
  expect(screen.getByTestId('lineup-mark-K3')).toHaveTextContent(/left out/);
  fireEvent.press(screen.getByTestId('off-K3'));
  await settle(40);
  expect(now(s).marks.map((m) => m.mark)).not.toContain('K3');
  touch(seenAt('K3').x, seenAt('K3').y);
  await settle();
  fireEvent.press(screen.getByTestId('mark-is-K3'));
  await settle(40);
  expect(screen.getByTestId('lineup-mark-K3')).not.toHaveTextContent(/left out/);
});

test('two pictures of a take say whether the camera stood in one place', async () => {
  const moved = Object.keys(PLACES).map((id) => seenAt(id, [0.4, 1.4, 1.1]));
  const s = new FakeServer([...dayRecords(), ...places(), lineup(all()), lineup(moved, { stood: 'elsewhere', shotAt: '2026-11-23T09:05:00.000Z' }, OTHER)]);
  await open(<LineUpScreen lineupId={LINEUP} />, s);
  await settle(60);
  expect(screen.getByTestId(`apart-${OTHER}`)).toHaveTextContent(/0\.300 ± .*another place/);
});

/** Four marks on the floor, the setup's level marks, and lengths between them; no net comes of so few. */
const FLOOR: Record<string, [number, number, number]> = { K1: [-1.2, 0, -2.2], K2: [1.3, 0, -2.3], K3: [1.5, 0, -4.4], K4: [-1.3, 0, -4.9] };
const floored = (pairs: readonly string[], longer = 0) => [
  ...dayRecords().map((r) => (r.id === ID.setup ? record('setup', ID.setup, { ...(r.body as RecordBodies['setup']), levelMarks: Object.keys(FLOOR) }) : r)),
  ...pairs.map((pair, i) => {
    const [from, to] = pair.split(' ');
    const m = Math.hypot(...FLOOR[from].map((v, k) => v - FLOOR[to][k])) + (i === 0 ? longer : 0);
    const length = { typed: `${m.toFixed(3)} m`, unit: 'm', valueM: m, toleranceM: 0.004 } as const;
    return record('tie', `00000000-0000-4000-8000-0000000000${70 + i}`, { setId: ID.set, from, to, length, instrument: 'tape', measuredAt: `2026-11-23T08:1${i}:00.000Z` });
  }),
  lineup(
    Object.entries(FLOOR).map(([mark, p]) => {
      const [f, fy] = [(32 / 24) * W, (32 / 12.66) * H];
      return { mark, x: W / 2 + (f * (p[0] - CAMERA[0])) / (CAMERA[2] - p[2]), y: H / 2 - (fy * (p[1] - CAMERA[1])) / (CAMERA[2] - p[2]) };
    }),
  ),
];

test('lengths between marks do where nobody knows their places: height and lens are told, and how far off each length comes out', async () => {
  const s = new FakeServer(floored(['K1 K2', 'K2 K3', 'K3 K4', 'K4 K1', 'K1 K3', 'K2 K4']));
  await open(<LineUpScreen lineupId={LINEUP} />, s);
  await settle(80);
  expect(screen.getByTestId('lineup-found')).toHaveTextContent(/1\.(39|40)\d m high/);
  expect(screen.getByTestId('lineup-found')).toHaveTextContent(/3[12]\.\d\d mm/);
  expect(screen.getByTestId('lineup-verdict')).toHaveTextContent(/agrees/i);
  expect(screen.getByTestId('lineup-mark-K1')).toHaveTextContent(/px off, 3\.[78]\d m away/);
  expect(screen.getByTestId('lineup-fact-the length K1 – K2')).toHaveTextContent(/The length K1 – K2, 2\.502 m: fits/);
  expect(seen(/By 10 measures between the marks/)).toBe(true);
});

test('of too few lengths it says how many are missing; one that does not fit is named', async () => {
  const s = new FakeServer(floored(['K1 K2', 'K2 K3', 'K3 K4']));
  await open(<LineUpScreen lineupId={LINEUP} />, s);
  await settle(40);
  expect(screen.getByTestId('lineup-sentence')).toHaveTextContent(/Or tape between marks of this picture: one length more/);
  const wrong = new FakeServer(floored(['K1 K2', 'K2 K3', 'K3 K4', 'K4 K1', 'K1 K3', 'K2 K4'], 0.4));
  await open(<LineUpScreen lineupId={LINEUP} />, wrong);
  await settle(120);
  expect(seen(/K1 – K2.*(was left out|tape one length more)/)).toBe(true);
});

test('a take is given a picture, which is listed with what it says; a guest sees it and points nothing out', async () => {
  const s = new FakeServer([...dayRecords(), ...places()]);
  const take = () => s.records.get(ID.take)! as never;
  await open(<TakeCheck take={take()} />, s);
  picked.file = { name: 'frame.png', size: 3, lastModified: 1, arrayBuffer: async () => new ArrayBuffer(3) } as unknown as File;
  fireEvent.press(screen.getByTestId('add-lineup'));
  await settle(40);
  expect(screen.getByTestId('lineup-frame.png')).toHaveTextContent(/0 of at least 4 marks/);
  const g = new FakeServer([...dayRecords(), ...places(), lineup(all())]);
  await open(<LineUpScreen lineupId={LINEUP} />, g, 'guest');
  await settle(40);
  expect(screen.queryAllByTestId('aim')).toHaveLength(0);
  expect(screen.queryByTestId('remove-lineup')).toBeNull();
  expect(seen(/m high/)).toBe(true);
});
