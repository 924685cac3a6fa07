import type { RecordBodies } from '@mesure/contract';
import { fireEvent, screen } from '@testing-library/react-native';
import { dayRecords, FakeServer, ID, open, record, seen, settle } from '../../test-day';
import { EdgesScreen } from './edges-screen';
import { KitScreen } from '../kit-screen';

const W = 4096,
  H = 2160;
const EDGES = '00000000-0000-4000-8000-000000000020';
const picked: { files: File[] } = { files: [] };
const mockPicked = () => picked.files;
jest.mock('../../../ui/pick-file', () => ({ pickFiles: async () => mockPicked() }));

/** A straight line in the room, bent by radial distortion k1 = −0.12 at 32 mm on 24 × 12.66 mm: this file's own formula. */
function bentLine(x0: number, y0: number, x1: number, y1: number, edge: number) {
  const f = (32 / 24) * W;
  const fy = (32 / 12.66) * H;
  return Array.from({ length: 7 }, (_, i) => {
    const [x, y] = [(x0 + ((x1 - x0) * i) / 6 - W / 2) / f, (y0 + ((y1 - y0) * i) / 6 - H / 2) / fy];
    const s = 1 - 0.12 * (x * x + y * y);
    return { edge, x: W / 2 + f * x * s, y: H / 2 + fy * y * s };
  });
}
const body = (change: Partial<RecordBodies['edges']> = {}): RecordBodies['edges'] => ({
  lensId: ID.lens,
  packageId: ID.pack,
  picture: { sha256: 'd'.repeat(64), name: 'galley.jpg' },
  widthPx: W,
  heightPx: H,
  focalMm: 32,
  focusM: null,
  model: 'radial',
  marks: [],
  lineUp: null,
  shotAt: '2026-11-23T09:00:00.000Z',
  ...change,
});
const FOUR = [...bentLine(60, 60, 4040, 90, 1), ...bentLine(80, 2100, 4030, 2060, 2), ...bentLine(120, 40, 150, 2120, 3), ...bentLine(3980, 60, 3950, 2100, 4)];

async function openMarked(change: Partial<RecordBodies['edges']> = {}) {
  const server = new FakeServer([...dayRecords(), record('edges', EDGES, body(change))]);
  await open(<EdgesScreen edgesId={EDGES} />, server);
  await settle(20);
  return server;
}
const now = (server: FakeServer) => server.records.get(EDGES)!.body as RecordBodies['edges'];
const size = { width: 358, units: W / 358 };
function touch(x: number, y: number) {
  const e = { clientX: x / size.units, clientY: y / size.units, pointerType: 'mouse', currentTarget: { getBoundingClientRect: () => ({ left: 0, top: 0 }) } };
  const [aim] = screen.getAllByTestId('aim');
  fireEvent(aim, 'pointerDown', e);
  fireEvent(aim, 'pointerMove', e);
  fireEvent(aim, 'pointerUp', e);
}

test('marks are kept one by one; an edge needs three before the next begins; the last goes back', async () => {
  const server = await openMarked();
  expect(screen.getByTestId('next-edge')).toBeDisabled();
  for (const x of [300, 1500, 3500]) touch(x, 200);
  await settle(20);
  expect(now(server).marks).toHaveLength(3);
  expect(now(server).marks[1].x).toBeCloseTo(1500, 0);
  fireEvent.press(screen.getByTestId('next-edge'));
  touch(300, 1900);
  await settle();
  expect(now(server).marks.at(-1)).toMatchObject({ edge: 2 });
  fireEvent.press(screen.getByTestId('undo-mark'));
  await settle();
  expect(now(server).marks).toHaveLength(3);
});

test('four edges near the border show the lens, and how far each bowed', async () => {
  await openMarked({ marks: FOUR });
  expect(screen.getByTestId('edges-sentence')).toHaveTextContent(/Good as a start: 4 edges straight to 0\.\d\d px/);
  expect(seen(/Edge 1, 7 marks: bows \d\d?\.\d px as recorded, 0\.\d px afterwards/)).toBe(true);
  // the corner of this lens: k1 (x² + y²) there, over its own distance
  const [x, y] = [W / 2 / ((32 / 24) * W), H / 2 / ((32 / 12.66) * H)];
  expect(seen(new RegExp(`-${(12 * (x * x + y * y)).toFixed(1)[0]}\\.\\d\\d`))).toBe(true);
});

test('edges in the middle only are warned of', async () => {
  await openMarked({ marks: [...bentLine(1700, 900, 2400, 950, 1), ...bentLine(1750, 1300, 2300, 1280, 2), ...bentLine(1800, 850, 1780, 1350, 3)] });
  expect(seen(/reach only \d+ % of the way to the corner/)).toBe(true);
});

test('a circle laid over the picture gives the squeeze, and the lens takes it', async () => {
  const server = await openMarked();
  fireEvent.press(screen.getByRole('radio', { name: /a circle or square/ }));
  touch(2000, 1000);
  await settle();
  expect(now(server).lineUp).toMatchObject({ shape: 'circle', widthPx: 512, heightPx: 512 });
  expect(screen.queryByTestId('take-squeeze')).toBeNull();
  for (let i = 0; i < 12; i += 1) {
    fireEvent.press(screen.getByLabelText('Height: more'));
    await settle(3);
  }
  await settle();
  const squeeze = now(server).lineUp!.heightPx / now(server).lineUp!.widthPx;
  expect(squeeze).toBeGreaterThan(1.5);
  fireEvent.press(screen.getByTestId('take-squeeze'));
  await settle();
  expect((server.records.get(ID.lens)!.body as RecordBodies['lens']).squeeze).toBeCloseTo(squeeze, 2);
});

test('a picture for edges goes the way of the plates and stands in its list', async () => {
  picked.files = [{ name: 'door.jpg', size: 3, lastModified: 1, arrayBuffer: async () => new ArrayBuffer(3) } as unknown as File];
  const server = new FakeServer();
  await open(<KitScreen packageId={ID.pack} />, server);
  fireEvent.press(screen.getByTestId('add-edges'));
  await settle(30);
  const made = [...server.records.values()].find((r) => r.kind === 'edges')!.body as RecordBodies['edges'];
  expect(made).toMatchObject({ picture: { name: 'door.jpg' }, widthPx: 4096, heightPx: 2160, lensId: ID.lens, marks: [] });
  expect(screen.getByTestId('edges-door.jpg')).toBeTruthy();
});

test('a solver sees the marks and sets none', async () => {
  await open(<EdgesScreen edgesId={EDGES} />, new FakeServer([...dayRecords(), record('edges', EDGES, body({ marks: FOUR }))]), 'solver');
  await settle(20);
  expect(screen.queryByTestId('next-edge')).toBeNull();
  expect(seen(/Good as a start/)).toBe(true);
});
