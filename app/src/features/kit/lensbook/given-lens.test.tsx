import type { RecordBodies } from '@mesure/contract';
import { fireEvent, screen } from '@testing-library/react-native';
import { KitScreen } from '../kit-screen';
import { FakeServer, ID, open, record, reopen, seen, settle } from '../../test-day';
import { PlateScreen } from './plate-screen';

const picked: { files: File[] } = { files: [] };
const mockPicked = () => picked.files;
jest.mock('../../../ui/pick-file', () => ({ pickFiles: async () => mockPicked() }));
const file = (name: string, text = 'x') => ({ name, size: text.length, lastModified: 1_763_888_400_000, arrayBuffer: async () => new TextEncoder().encode(text).buffer }) as unknown as File;
const metadata = (change: object = {}) =>
  JSON.stringify({
    static: { lens: { nominalFocalLength: 35 } },
    lens: { pinholeFocalLength: 34.6, focusDistance: 2.5, distortion: [{ model: 'Brown-Conrady U-D', radial: [-0.09, 0.01], tangential: [0.001, 0] }] },
    ...change,
  });
const press = async (id: string, turns = 12) => {
  fireEvent.press(screen.getByTestId(id));
  await settle(turns);
};
const plates = (server: FakeServer) => [...server.records.values()].filter((r) => r.kind === 'plate').map((r) => r.body as RecordBodies['plate']);
async function bring(server = new FakeServer()): Promise<FakeServer> {
  await open(<KitScreen packageId={ID.pack} />, server);
  await press('add-given');
  return server;
}

test('a map is brought as a plate of the lens: its way and its pixels are said, and it is read at once', async () => {
  picked.files = [file('house.exr')];
  const server = await bring();
  await press('given-choose');
  fireEvent.press(screen.getByRole('radio', { name: /^distorts/ }));
  fireEvent.changeText(screen.getByTestId('given-stretch'), '1,5');
  fireEvent.changeText(screen.getByTestId('given-focus'), '8 ft');
  await press('given-keep', 25);
  const [plate] = plates(server);
  expect(plate).toMatchObject({ lensId: ID.lens, packageId: ID.pack, focalMm: 32, cellM: null, given: { what: 'map', way: 'distorts', stretch: 1.5 }, picture: { name: 'house.exr' } });
  expect(plate.focusM).toBeCloseTo(2.4384, 6);
  expect(server.asked.filter((a) => /files|records\/plate|POST .*analyses$/.test(a)).map((a) => /files|plate|analyses/.exec(a)![0])).toEqual(['files', 'plate', 'analyses']);
  expect(seen(/ST map that distorts, pixels 1.5 times as wide/)).toBe(true);
});

test('lens metadata fills what it says; what stays open is said', async () => {
  picked.files = [file('a.lens.json', metadata())];
  const server = await bring();
  await press('given-choose');
  expect(screen.getByTestId('given-focal').props.value).toBe('35');
  expect(screen.getByTestId('given-k1').props.value).toBe('-0.09');
  expect(screen.getByTestId('given-overMm').props.value).toBe('34.6');
  expect(screen.getByTestId('given-corner')).toHaveTextContent(/At the corner: barrel \d\.\d\d %/);
  await press('given-keep', 25);
  expect(plates(server)[0].given).toEqual({
    what: 'coefficients',
    formula: 'polynomial',
    over: 'focal length',
    direction: 'undistorted to distorted',
    k: [-0.09, 0.01],
    p: [0.001, 0],
    center: [0, 0],
    focalMm: 34.6,
  });
});

test.each([
  ['no JSON', 'k1: 3', /is no JSON/],
  [
    'a picture of another shape',
    metadata({ static: { camera: { activeSensorResolution: { width: 1000, height: 1000 }, activeSensorPhysicalDimensions: { width: 10, height: 10 } } } }),
    /another mode, or another camera/,
  ],
])('%s is refused in words and nothing is added', async (_, text, words) => {
  picked.files = [file('bad.json', text)];
  const server = await bring();
  await press('given-choose');
  expect(seen(words)).toBe(true);
  expect(screen.queryByTestId('given-keep')).toBeNull();
  expect(plates(server)).toEqual([]);
});

test('typed ones: the corner tells a wrong normaliser, what is no number stands at its field, and half-typed ones come back', async () => {
  const server = await bring();
  await press('given-type');
  await press('given-keep');
  expect(seen(/Without any it bends nothing/)).toBe(true);
  fireEvent.changeText(screen.getByTestId('given-k1'), '-2.5');
  expect(screen.getByTestId('given-corner')).toHaveTextContent(/▲ At the corner/);
  fireEvent.changeText(screen.getByTestId('given-k1'), '-1,2e-2');
  fireEvent.changeText(screen.getByTestId('given-k2'), 'small');
  await press('given-keep');
  expect(seen(/Enter a number, such as -0.012/)).toBe(true);
  expect(plates(server)).toEqual([]);
  await reopen(<KitScreen packageId={ID.pack} />, server);
  await press('add-given');
  await press('given-type');
  expect(screen.getByTestId('given-k1').props.value).toBe('-1,2e-2');
  fireEvent.changeText(screen.getByTestId('given-k2'), '');
  fireEvent.press(screen.getByRole('radio', { name: /half diagonal/ }));
  await press('given-keep', 25);
  expect(plates(server)[0]).toMatchObject({ picture: { name: 'typed coefficients.json' }, given: { over: 'half diagonal', k: [-0.012] } });
});

describe('a table of settings', () => {
  const table = 'Lens;Focal;Focus;K1;K2\nOrrinel;32;4;-0,09;0,01\nTessin;50;4;-0,02;0\nOrrinel;32;inf;-0,08;0,01\nOrrinel;135;4;-0,01;0\n';

  test('its lens is asked, each row tells its corner, those that can be read become plates', async () => {
    picked.files = [file('house.csv', table)];
    const server = await bring();
    await press('given-choose');
    expect(screen.queryByTestId('line-1')).toBeNull();
    fireEvent.press(screen.getByRole('radio', { name: /^Orrinel$/ }));
    fireEvent.press(screen.getByRole('radio', { name: /^ft$/ }));
    await settle();
    expect(screen.getByTestId('line-1')).toHaveTextContent(/32 mm, focus 1\.22 m.*barrel \d\.\d\d % at the corner/);
    expect(screen.getByTestId('line-4')).toHaveTextContent(/135 mm.*the lens has 32 mm/);
    await press('take-settings', 60);
    const kept = plates(server);
    expect(kept.map((q) => [q.focalMm, q.focusM && Number(q.focusM.toFixed(3)), q.given])).toEqual([
      [32, 1.219, expect.objectContaining({ what: 'coefficients', k: [-0.09, 0.01], over: 'focal length' })],
      [32, expect.any(Number), expect.objectContaining({ k: [-0.08, 0.01] })],
    ]);
    expect(kept.map((q) => q.picture.name)).toEqual(['house 32 mm focus 1.22 m.json', 'house 32 mm focus infinity.json']);
  });

  test('brought a second time it brings nothing', async () => {
    picked.files = [file('house.csv', 'focal,k1\n32,-0.09\n')];
    const server = await bring();
    await press('given-choose');
    await press('take-settings', 60);
    expect(plates(server)).toHaveLength(1);
    await press('add-given');
    await press('given-choose');
    expect(seen(/0 new, 1 here already/)).toBe(true);
    await press('take-settings', 30);
    expect(plates(server)).toHaveLength(1);
  });
});

describe('one that is there', () => {
  const PLATE = 'c0c0c0c0-0000-4000-8000-0000000000aa';
  const OTHER = 'c0c0c0c0-0000-4000-8000-0000000000ab';
  const report = (cornerDisplacementPct: number) => ({
    status: 'usable',
    reason: null,
    sentence: 'Good to use: followed to 0.00 px.',
    plates: [
      { file: 'm', status: 'used', corners: 9, rows: 3, cols: 3, coverage: 1, rmsPx: 0, maxPx: 0, tiltDeg: 0, distanceCells: null, sharpness: 1, blurPx: null, cellPx: null, zones: [], warnings: [] },
    ],
    distortion: { model: 'radial', k: [0.1, 0, 0], p: [0, 0], center: [2048, 1080], aspect: 1, focalMm: 32, sigma: {}, terms: ['k1'] },
    fitted: [],
    candidates: [],
    why: null,
    squeeze: null,
    focalFromTilt: null,
    focalFromDistance: null,
    rmsPx: 0,
    maxPx: 0,
    cornerDisplacementPct,
    overscan: { left: 0, right: 0, top: 0, bottom: 0, width: 4096, height: 2160 },
    warnings: [],
    findings: [],
  });
  const body = { lensId: ID.lens, packageId: ID.pack, picture: { sha256: 'd'.repeat(64), name: 'house.exr' }, focalMm: 32, focusM: null, shotAt: '2026-11-20T08:00:00.000Z' };
  function serverWith(middleStretch = 1): FakeServer {
    const server = new FakeServer();
    const done = (id: string, subjectId: string, pct: number, count?: object) =>
      server.analyses.set(id, {
        id,
        kind: 'grid',
        subjectId,
        status: 'done',
        progress: 1,
        stage: '',
        error: null,
        createdAt: '2026-11-20T08:01:00.000Z',
        finishedAt: '2026-11-20T08:02:00.000Z',
        outcome: { kind: 'grid', report: report(pct), corners: [], widthPx: 4096, heightPx: 2160, ...(count ? { count } : {}) },
      } as never);
    server.records.set(PLATE, record('plate', PLATE, { ...body, cellM: null, given: { what: 'map', way: 'undistorts', stretch: 1 } }));
    server.records.set(OTHER, record('plate', OTHER, { ...body, cellM: 0.04, picture: { sha256: 'e'.repeat(64), name: 'chart.jpg' } }));
    done('a1', PLATE, 2.1, { up: true, unit: 'share', holes: 0, middleStretch });
    done('a2', OTHER, -2.2);
    return server;
  }

  test('that bends the other way than the lens’s own plate is doubted; one tap reads it the other way', async () => {
    const server = serverWith();
    await open(<PlateScreen plateId={PLATE} />, server);
    expect(screen.getByTestId('given-doubts')).toHaveTextContent(/shows barrel, 2.20 % at the corner; this shows pincushion, 2.10 %/);
    expect(screen.queryByTestId('correct-lattice')).toBeNull();
    expect(seen(/Tilt of the chart/)).toBe(false);
    await press('read-other-way', 20);
    expect((server.records.get(PLATE)!.body as RecordBodies['plate']).given).toEqual({ what: 'map', way: 'distorts', stretch: 1 });
    expect(server.asked.some((a) => /POST .*analyses$/.test(a))).toBe(true);
  });

  test('whose straight picture has other pixels is doubted, with the number', async () => {
    const server = serverWith(0.5);
    await open(<PlateScreen plateId={PLATE} />, server);
    await press('read-stretched', 20);
    expect((server.records.get(PLATE)!.body as RecordBodies['plate']).given).toMatchObject({ stretch: 0.5 });
  });

  test('is changed in the sheet it was brought with', async () => {
    const server = serverWith();
    await open(<PlateScreen plateId={PLATE} />, server);
    await press('open-plate-entries');
    fireEvent.changeText(screen.getByTestId('given-focal'), '31.5');
    await press('given-keep', 20);
    expect(server.records.get(PLATE)!.body).toMatchObject({ focalMm: 31.5, given: { way: 'undistorts' } });
  });

  test('a guest sees the doubt and changes nothing', async () => {
    await open(<PlateScreen plateId={PLATE} />, serverWith(), 'guest');
    expect(screen.getByTestId('given-doubts')).toBeTruthy();
    expect(screen.queryByTestId('read-other-way')).toBeNull();
    expect(screen.queryByTestId('open-plate-entries')).toBeNull();
  });
});
