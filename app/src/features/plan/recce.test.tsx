import type { RecordBodies } from '@mesure/contract';
import { fireEvent, screen } from '@testing-library/react-native';
import { dayRecords, FakeServer, ID, open, record, seen, settle } from '../test-day';
import { PlanScreen } from './plan-screen';
import { RecceScreen } from './recce-screen';

const picked: { file: File | null } = { file: null };
const mockPicked = () => picked.file;
jest.mock('../../ui/pick-file', () => ({ pickFile: async () => mockPicked() }));
/** A picture of squares, since this test runs where nothing can decode one. */
const mockImage = () => {
  const data = new Float32Array(640 * 480);
  for (let i = 0; i < data.length; i += 1) data[i] = (i % 640) % 80 < 40 && Math.floor(i / 640) % 80 < 40 ? 50 : 150;
  return { widthPx: 640, heightPx: 480, data };
};
jest.mock('../pictures/picture-on-device', () => ({ openPicture: async () => ({ image: mockImage(), notes: { focal35Mm: 26, shotAt: '2026-11-23T08:00:00.000Z' } }) }));

const RECCE = '00000000-0000-4000-8000-000000000050';
const [W, H] = [4000, 3000];
// held 1.6 m over the floor, 15° down, 26 mm on 36 × 24: written out here by sines and cosines
const [HEIGHT, TILT, F] = [1.6, (15 * Math.PI) / 180, (26 / Math.hypot(36, 24)) * 5000];
const px = (x: number, y: number, z: number) => {
  const forward = -z * Math.cos(TILT) - (y - HEIGHT) * Math.sin(TILT);
  return { x: W / 2 + (F * x) / forward, y: H / 2 + (F * (-(y - HEIGHT) * Math.cos(TILT) + z * Math.sin(TILT))) / forward };
};
const length = (m: number) => ({ typed: `${m} m`, unit: 'm' as const, valueM: m, toleranceM: 0.01 });
const body = (change: Partial<RecordBodies['recce']> = {}): RecordBodies['recce'] => ({
  setupId: ID.setup,
  picture: { sha256: 'e'.repeat(64), name: 'set.jpg' },
  widthPx: W,
  heightPx: H,
  focal35Mm: 26,
  lengths: [
    { kind: 'ground', a: px(-1, 0, -3), b: px(1, 0, -3), length: length(2) },
    { kind: 'ground', a: px(1, 0, -3), b: px(1, 0, -5), length: length(2) },
  ],
  detail: { corners: 40, spread: 1 },
  shotAt: '2026-11-23T08:00:00.000Z',
  ...change,
});
const server = (change: Partial<RecordBodies['recce']> = {}) => new FakeServer([...dayRecords(), record('recce', RECCE, body(change))]);
const kept = (s: FakeServer) => s.records.get(RECCE)!.body as RecordBodies['recce'];
const touch = (at: { x: number; y: number }) => {
  const units = W / 358;
  const e = { clientX: at.x / units, clientY: at.y / units, pointerType: 'mouse', currentTarget: { getBoundingClientRect: () => ({ left: 0, top: 0 }) } };
  const [aim] = screen.getAllByTestId('aim');
  for (const what of ['pointerDown', 'pointerMove', 'pointerUp']) fireEvent(aim, what, e);
};

test('the third length fixes the camera; the set is drawn from it and the plan begins there', async () => {
  const s = server();
  await open(<RecceScreen setupId={ID.setup} />, s);
  expect(screen.getByTestId('recce-sentence')).toHaveTextContent(/one more length/);
  expect(seen(/2 lengths of at least three/)).toBe(true);
  touch(px(-1, 1.2, -3));
  await settle();
  expect(screen.getByTestId('recce-sentence')).toHaveTextContent('Now the other end.');
  touch(px(-1, 0, -3));
  await settle();
  fireEvent.press(screen.getByRole('radio', { name: /upright/ }));
  fireEvent.changeText(screen.getByTestId('length-field'), '120 cm');
  fireEvent(screen.getByTestId('length-field'), 'blur');
  await settle();
  fireEvent.press(screen.getByTestId('keep-photo-length'));
  await settle(20);
  const [, , third] = kept(s).lengths;
  // the foot is the lower end, though the top was pressed first
  expect(third).toMatchObject({ kind: 'upright', length: { typed: '120 cm', valueM: 1.2 } });
  expect(third.a.y).toBeGreaterThan(third.b.y);
  expect(screen.getByTestId('recce-height')).toHaveTextContent(/1\.(59|60|61)/);
  expect(screen.getByTestId('recce-sentence')).toHaveTextContent(/looking 15° down/);
  expect(screen.getByTestId('photo-length-3')).toHaveTextContent(/comes out as 1\.(19|20|21) m/);
  fireEvent.press(screen.getByTestId('use-recce'));
  await settle(20);
  const set = s.records.get(ID.set)!.body as RecordBodies['set'];
  expect(set.pieces!.map((q) => q.kind)).toEqual(['floor', 'post']);
  expect(set.sheet).toHaveLength(3);
  const plan = [...s.records.values()].find((r) => r.kind === 'plan')!.body as RecordBodies['plan'];
  expect(plan.move.stations[0].heightM).toBeCloseTo(1.6, 1);
  expect((plan.move.stations[0].tiltRad * 180) / Math.PI).toBeCloseTo(-15, 0);
  expect(plan.measures.ties).toHaveLength(2);
});

test('a length that does not fit is named, can be taken out, and undone', async () => {
  const wrong = { kind: 'ground' as const, a: px(-1, 0, -4), b: px(1, 0, -4), length: length(3.1) };
  const upright = { kind: 'upright' as const, a: px(0, 0, -4), b: px(0, 1, -4), length: length(1) };
  const s = server({ lengths: [...body().lengths, upright, wrong] });
  await open(<RecceScreen setupId={ID.setup} />, s);
  expect(seen(/Length 4 comes out as .* not 3\.10 m/)).toBe(true);
  fireEvent.press(screen.getByLabelText('Remove length 4'));
  await settle(20);
  expect(kept(s).lengths).toHaveLength(3);
  expect(seen(/Length 4 comes out/)).toBe(false);
});

test('an unknown focal length asks for one length more, and is typed', async () => {
  const s = server({ focal35Mm: null });
  await open(<RecceScreen setupId={ID.setup} />, s);
  fireEvent.changeText(screen.getByTestId('recce-focal'), '28');
  fireEvent(screen.getByTestId('recce-focal'), 'blur');
  await settle(20);
  expect(kept(s).focal35Mm).toBe(28);
});

test('a photo is taken, looked at on the device, and goes the way of the plates', async () => {
  picked.file = { name: 'galley.jpg', size: 3, lastModified: 1, arrayBuffer: async () => new ArrayBuffer(3) } as unknown as File;
  const s = new FakeServer();
  await open(<RecceScreen setupId={ID.setup} />, s);
  expect(seen(/A photo and three lengths/)).toBe(true);
  fireEvent.press(screen.getByTestId('recce-photo'));
  await settle(40);
  const made = [...s.records.values()].find((r) => r.kind === 'recce')!.body as RecordBodies['recce'];
  expect(made).toMatchObject({ setupId: ID.setup, picture: { name: 'galley.jpg' }, widthPx: 4096, heightPx: 2160, focal35Mm: 26, lengths: [] });
  expect(made.detail!.corners).toBeGreaterThan(100);
  expect(screen.getByTestId('recce-sentence')).toHaveTextContent(/3 more lengths/);
});

test('a plain set is warned of once its photo is there', async () => {
  await open(<PlanScreen setupId={ID.setup} />, server());
  fireEvent.press(screen.getByTestId('begin-plan'));
  await settle(30);
  expect(screen.getByTestId('caution-low detail')).toBeTruthy();
  expect(seen(/shows 40 corners that a tracker would take/)).toBe(true);
});

test('a solver sees the photo and marks nothing', async () => {
  await open(<RecceScreen setupId={ID.setup} />, server(), 'solver');
  expect(screen.queryByTestId('recce-focal')).toBeNull();
  expect(screen.queryByLabelText('Remove length 1')).toBeNull();
  screen.unmount();
  await open(<RecceScreen setupId="00000000-0000-4000-8000-00000000ffff" />, server());
  expect(seen(/No such setup/)).toBe(true);
});
