import type { Analysis, RecordBodies } from '@mesure/contract';
import { fireEvent, screen } from '@testing-library/react-native';
import { dayRecords, FakeServer, ID, open, pushed, record, seen, settle } from '../../test-day';
import { BookScreen } from './book-screen';

const W = 4096,
  H = 2160;
const ZOOMED = '00000000-0000-4000-8000-000000000030';
const plateId = (n: number) => `00000000-0000-4000-8000-0000000001${String(n).padStart(2, '0')}`;

/** An invented zoom: barrel at the short end, a little pincushion at the long one, more towards near focus. k1 over f² is what a place on the sensor feels. */
const k1Of = (focalMm: number, focusM: number) => focalMm ** 2 * (-1.6e-4 * (24 / focalMm) ** 1.6 + 0.35e-4) * (1 + 0.1 / focusM);

/** A plate and what the server found in it. */
function measured(n: number, focalMm: number, focusM: number, more: Partial<RecordBodies['plate']> = {}, distanceCells: number | null = null) {
  const k1 = k1Of(focalMm, focusM);
  const body: RecordBodies['plate'] = {
    lensId: ID.zoom,
    packageId: ZOOMED,
    picture: { sha256: 'e'.repeat(64), name: `p${n}.jpg` },
    focalMm,
    focusM,
    cellM: 0.04,
    shotAt: '2026-11-23T09:00:00.000Z',
    ...more,
  };
  const report = {
    status: 'usable',
    sentence: 'Good to use: 0.02 px, whole frame.',
    plates: [{ distanceCells, corners: 300 }],
    distortion: { model: 'radial', k: [k1, 0, 0], p: [0, 0], center: [W / 2, H / 2], aspect: 1, focalMm, sigma: {}, terms: [] },
    rmsPx: 0.02,
    focalFromDistance: null,
    focalFromTilt: null,
  };
  const analysis: Analysis = {
    id: `a${n}`,
    kind: 'grid',
    subjectId: plateId(n),
    status: 'done',
    progress: 1,
    stage: 'done',
    error: null,
    outcome: { kind: 'grid', report: report as never, corners: [], widthPx: W, heightPx: H },
    createdAt: '',
    finishedAt: '',
  };
  return { seed: record('plate', plateId(n), body), analysis };
}

async function openBookOf(plates: ReturnType<typeof measured>[], role: 'wrangler' | 'solver' = 'wrangler') {
  const pack = record('package', ZOOMED, { camera: 'C', bodyId: ID.body, modeId: ID.open, lensId: ID.zoom, adapterId: null, focalMm: 35 });
  const server = new FakeServer([...dayRecords(), pack, ...plates.map((q) => q.seed)]);
  plates.forEach((q) => server.analyses.set(q.analysis.id, q.analysis));
  await open(<BookScreen packageId={ZOOMED} />, server, role);
  return server;
}
const FIVE = [measured(1, 24, 0.8), measured(2, 24, 6), measured(3, 40, 2), measured(4, 70, 0.8), measured(5, 70, 6)];

test('without a plate it names the first one to shoot', async () => {
  await openBookOf([]);
  expect(screen.getByTestId('next-plate')).toHaveTextContent(/^Next: \d\d mm at \d/);
  expect(seen('No usable plate yet')).toBe(true);
});

test('between the plates it says what to expect; beyond them it says so', async () => {
  await openBookOf(FIVE);
  fireEvent.changeText(screen.getByTestId('book-focal'), '32');
  fireEvent.changeText(screen.getByTestId('book-focus'), '2 m');
  expect(screen.getByTestId('book-sentence')).toHaveTextContent(/^32 mm at 2 m: between the plates, ± \d+\.\d+ px over the frame/);
  // the corner by this file's formula: k1 (x² + y²) at the frame's corner
  const [x, y] = [12 / 32, 6.33 / 32];
  const k1 = k1Of(32, 2);
  const shown = Number(
    /-?\d+\.\d+/.exec(
      screen
        .getByTestId('book-corner')
        .findAllByType('Text' as never)
        .map((t) => t.props.accessibilityLabel)
        .join(' '),
    )![0],
  );
  const truth = 100 * k1 * (x * x + y * y);
  expect(Math.abs(shown - truth)).toBeLessThan(0.15 * Math.abs(truth));
  fireEvent.changeText(screen.getByTestId('book-focal'), '18');
  expect(screen.getByTestId('book-sentence')).toHaveTextContent(/▲ 18 mm at 2 m: shorter than the shortest plate \(24 mm\), so it is extrapolated/);
});

test('a plate with a wrong focal length stands out by what the others predict, and opens', async () => {
  await openBookOf([
    ...FIVE,
    measured(6, 50, 2, { focalMm: 50 }),
    { ...measured(7, 24, 2), seed: record('plate', plateId(7), { ...measured(7, 24, 2).seed.body, focalMm: 60 } as RecordBodies['plate']) },
  ]);
  const misses = screen
    .getAllByText(/px from what the others predict/)
    .map((t) => String(t.props.children))
    .map((t) => (t.includes('beyond them') ? 0 : Number(/(\d+(\.\d+)?) px from what/.exec(t)![1])));
  expect(Math.max(...misses)).toBeGreaterThan(4);
  expect(misses.indexOf(Math.max(...misses))).toBe(6);
  fireEvent.press(screen.getByTestId(`book-${plateId(7)}`));
  expect(pushed().at(-1)).toBe(`/kit/plate/${plateId(7)}`);
});

describe('entrance pupil', () => {
  // the lens is truly 34.3 mm where it is marked 35, its pupil 95 mm before the mark
  const at = (n: number, m: number) => measured(n, 35, 2, { chartDistance: { typed: `${m} m`, unit: 'm', valueM: m, toleranceM: 0.004 } }, ((m - 0.095) * (35 / 34.3)) / 0.04);

  test('two distances give it, and the lens keeps it', async () => {
    const server = await openBookOf([at(1, 1.2), at(2, 3)]);
    expect(screen.getByTestId('pupil')).toHaveTextContent(/95\.\d ± \d\.\d mm before the sensor mark/);
    expect(screen.getByTestId('pupil')).toHaveTextContent(/34\.3\d* ± 0\.\d+ mm focal length/);
    fireEvent.press(screen.getByTestId('keep-pupil'));
    await settle();
    expect(server.records.get(ID.zoom)!.body).toMatchObject({ pupilMm: 95, pupilSource: 'measured' });
  });

  test('nearly the same distance twice does not, and says what is needed', async () => {
    await openBookOf([at(1, 2), at(2, 2.02)]);
    expect(seen(/a tenth further/)).toBe(true);
  });

  test('a solver reads it and changes nothing', async () => {
    await openBookOf([at(1, 1.2), at(2, 3)], 'solver');
    expect(screen.queryByTestId('keep-pupil')).toBeNull();
  });
});

test('a setting that is no number is asked about at its field', async () => {
  await openBookOf(FIVE);
  fireEvent.changeText(screen.getByTestId('book-focal'), 'wide');
  expect(seen(/Enter a focal length in mm/)).toBe(true);
  fireEvent.changeText(screen.getByTestId('book-focus'), 'far');
  expect(screen.getAllByText(/▲/).length).toBeGreaterThan(1);
});
