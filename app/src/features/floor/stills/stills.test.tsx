import type { RecordBodies } from '@mesure/contract';
import type { GrayImage } from '@mesure/core';
import { fireEvent, screen } from '@testing-library/react-native';
import { FakeServer, ID, open, plannedBody, record, seen, settle, stillBody } from '../../test-day';
import { FloorScreen } from '../floor-screen';
import { StillsScreen } from './stills-screen';

const picked: { files: File[] } = { files: [] };
const mockPicked = () => picked.files;
jest.mock('../../../ui/pick-file', () => ({ pickFiles: async () => mockPicked() }));
/** What the device reads from a file, by its name. */
const onDevice = new Map<string, GrayImage>();
const mockOpened = (name: string) => onDevice.get(name) ?? null;
jest.mock('../../pictures/picture-on-device', () => ({
  openPicture: async (file: File) => ({
    image: mockOpened(file.name),
    notes: {
      widthPx: 480,
      heightPx: 320,
      shotWidthPx: 480,
      shotHeightPx: 320,
      focalMm: 32,
      focal35Mm: null,
      focusM: null,
      body: null,
      lens: null,
      digitalZoom: null,
      shotAt: `2026-11-23T10:0${file.lastModified}:00.000Z`,
    },
  }),
  notesOf: async () => null,
}));

const file = (name: string, lastModified: number) => ({ name, size: 3, lastModified, arrayBuffer: async () => new TextEncoder().encode(name).buffer }) as unknown as File;

/** A wall of boards in two sizes, 200 px to the metre; a picture shows 480 px of it, 2.4 m. */
const board = (x: number, y: number, size: number) => {
  const n = Math.imul(Math.floor(x / size) * 73_856_093, 1) ^ Math.imul(Math.floor(y / size), 19_349_663) ^ (size * 83_492_791);
  return (Math.imul(n ^ (n >>> 13), 1_274_126_177) >>> 24) / 255;
};
const [WIDTH, HEIGHT] = [480, 320];
function shot(name: string, xM: number, order: number, stops = 0): File {
  const data = new Float32Array(WIDTH * HEIGHT);
  for (let y = 0; y < HEIGHT; y += 1)
    for (let x = 0; x < WIDTH; x += 1) {
      const X = x + Math.round(200 * xM) + 10_000;
      data[y * WIDTH + x] = Math.min(255, (30 + 60 * board(X, y, 37) + 70 * board(X + 11, y + 5, 23)) * 2 ** (stops / 2.2));
    }
  onDevice.set(name, { widthPx: WIDTH, heightPx: HEIGHT, data });
  return file(name, order);
}

const at = (xM: number) => ({ at: [xM, 1.5, -1.5] as [number, number, number], headingRad: 0, tiltRad: 0 });
const planBody = (taken: number[] = []) =>
  plannedBody({
    stillsPlanned: true,
    stills: { way: 'along', pieceId: 'wall', packageId: ID.pack, distanceM: 2.5, heightM: 1.5, overlap: 0.5, stations: [at(-2), at(-0.6), at(0.8), at(2.2)], taken },
  });
const server = (taken: number[] = []) => {
  const s = new FakeServer();
  s.records.set('plan', record('plan', 'plan', planBody(taken)));
  return s;
};
const stills = (s: FakeServer) => [...s.records.values()].filter((r) => r.kind === 'still' && !r.deleted).map((r) => r.body as RecordBodies['still']);
const planKept = (s: FakeServer) => s.records.get('plan')!.body as RecordBodies['plan'];

test('several pictures go to their stations in order, are compared, and a gap is filled from the middle', async () => {
  const s = server();
  await open(<StillsScreen setupId={ID.setup} />, s);
  expect(seen(/each is compared with its neighbours/)).toBe(true);
  // the third was taken nearly a metre too far along the wall
  picked.files = [shot('c.jpg', 1.6, 3), shot('a.jpg', -2, 1), shot('b.jpg', -0.6, 2)];
  fireEvent.press(screen.getByTestId('shoot-stills'));
  await settle(60);
  expect(stills(s).map((q) => [q.station, q.picture.name])).toEqual([
    [0, 'a.jpg'],
    [1, 'b.jpg'],
    [2, 'c.jpg'],
  ]);
  expect(screen.getByTestId('walk-head')).toHaveTextContent(/3\s*of 4 taken/);
  expect(screen.getByTestId('gap-2-3')).toHaveTextContent(/Between 2 and 3/);
  expect(screen.queryByTestId('gap-1-2')).toBeNull();
  expect(screen.getByTestId('station-2')).toHaveTextContent(/4[0-4] % on 1 too/);
  // the mode of the package has 4096 pixels, the file 480
  expect(screen.getByTestId('station-1')).toHaveTextContent(/480 × 320, the mode says 4096 × 2160/);
  fireEvent.press(screen.getByTestId('between-2-3'));
  await settle(30);
  expect(planKept(s).stills!.stations[4]).toMatchObject({ between: [1, 2] });
  expect(planKept(s).stills!.stations[4].at[0]).toBeCloseTo(0.1, 9);
  picked.files = [shot('between.jpg', 0.5, 4)];
  fireEvent.press(screen.getByTestId('shoot-still'));
  await settle(60);
  expect(stills(s)[3]).toMatchObject({ station: 4 });
  expect(screen.queryByTestId('gap-2-3')).toBeNull();
  expect(screen.getByTestId('station-2–3')).toHaveTextContent(/% on 2 too/);
});

test('a picture is moved to another station, taken again, removed; a station is ticked off by hand', async () => {
  const s = server([3]);
  await open(<StillsScreen setupId={ID.setup} />, s);
  picked.files = [shot('a.jpg', -2, 1)];
  fireEvent.press(screen.getByTestId('shoot-still'));
  await settle(40);
  fireEvent.press(screen.getByTestId('station-1'));
  await settle();
  fireEvent.press(screen.getByRole('radio', { name: '2' }));
  await settle(20);
  expect(stills(s)[0].station).toBe(1);
  expect(screen.getByTestId('station-1')).toHaveTextContent(/○ 1open/);
  fireEvent.press(screen.getByTestId('tick-still'));
  await settle(20);
  expect(planKept(s).stills!.taken).toEqual([3, 0]);
  expect(screen.getByTestId('walk-head')).toHaveTextContent(/3\s*of 4 taken/);
  fireEvent.press(screen.getByTestId('station-2'));
  await settle();
  picked.files = [shot('again.jpg', -0.6, 5)];
  fireEvent.press(screen.getByTestId('shoot-here'));
  await settle(40);
  // both are kept; the one shot last counts
  expect(stills(s).map((q) => [q.station, q.picture.name])).toEqual([
    [1, 'a.jpg'],
    [1, 'again.jpg'],
  ]);
  expect(screen.getByTestId('station-2')).toHaveTextContent(/again\.jpg/);
  fireEvent.press(screen.getByTestId('station-2'));
  await settle();
  fireEvent.press(screen.getByTestId('remove-still'));
  await settle(20);
  expect(screen.getByTestId('station-2')).toHaveTextContent(/a\.jpg/);
});

test('without a network the walk is compared all the same; more pictures than stations are said', async () => {
  const s = server([2, 3]);
  await open(<StillsScreen setupId={ID.setup} />, s);
  s.cut = true;
  picked.files = [shot('a.jpg', -2, 1), shot('b.jpg', -0.6, 2, 1), shot('c.jpg', 0.8, 3)];
  fireEvent.press(screen.getByTestId('shoot-stills'));
  await settle(60);
  expect(stills(s)).toEqual([]);
  expect(screen.getByTestId('station-1')).toHaveTextContent(/waits on this device/);
  expect(screen.getByTestId('station-2')).toHaveTextContent(/stops lighter than 1/);
  expect(seen(/1 more than there are stations/)).toBe(true);
  expect(screen.getByTestId('waiting-a.jpg')).toHaveTextContent(/waits to be sent/);
  fireEvent.press(screen.getByTestId('station-1'));
  await settle();
  fireEvent.press(screen.getByTestId('drop-still'));
  await settle(20);
  expect(screen.getByTestId('station-1')).toHaveTextContent(/○ 1open/);
});

test('the setup leads to the walk, and what is missing shrinks with its pictures', async () => {
  const s = server();
  s.records.set('s1', record('still', 's1', stillBody()));
  await open(<FloorScreen setupId={ID.setup} />, s);
  expect(screen.getByTestId('lack-41-stills')).toHaveTextContent(/3 stills of the walk/);
  expect(screen.getByTestId('floor-stills')).toHaveTextContent(/1 of 4 taken/);
  expect(screen.getByTestId('open-walk')).toBeTruthy();
});

test('a solver sees the walk and takes nothing; without a walk it says where one is laid', async () => {
  const s = server();
  s.records.set('s1', record('still', 's1', stillBody()));
  await open(<StillsScreen setupId={ID.setup} />, s, 'solver');
  expect(screen.queryByTestId('shoot-still')).toBeNull();
  fireEvent.press(screen.getByTestId('station-1'));
  await settle();
  expect(screen.queryByTestId('remove-still')).toBeNull();
  expect(screen.getByLabelText('Picture a.jpg')).toBeTruthy();
  screen.unmount();
  await open(<StillsScreen setupId={ID.setup} />, new FakeServer());
  expect(seen(/No stills walk is laid/)).toBe(true);
});
