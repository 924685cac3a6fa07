import { coefficientPairs, cornerMovesPct, DIRECTIONS, mapPairs, NORMALISERS, type GivenCoefficients, type StMap } from '../lens';
import { coefficientsOf, distort } from '../lens';
import type { OpticsInput } from '../optics';
import { frameLens, gridFrame, type GridReport } from './grid-report';
import { givenReport } from './given-report';

const W = 1920;
const H = 1080;
const SETUP: OpticsInput = { image: { width: W, height: H }, sensor: { widthMm: 24, heightMm: 13.5 }, squeeze: 1, adapterFactor: 1, focal: { mm: 30 } } as never;
const F = (30 * W) / 24;
/** The truth, written here and nowhere else: Brown's polynomial about a centre off the middle. */
const K = [-0.12, 0.06] as const;
const CENTRE = [W / 2 + 14, H / 2 - 9] as const;
const bent = (x: number, y: number): [number, number] => {
  const [u, v] = [(x - CENTRE[0]) / F, (y - CENTRE[1]) / F];
  const r2 = u * u + v * v;
  const s = 1 + K[0] * r2 + K[1] * r2 * r2;
  return [CENTRE[0] + u * s * F, CENTRE[1] + v * s * F];
};
const straight = (x: number, y: number, way = bent): [number, number] => {
  let at: [number, number] = [x, y];
  for (let i = 0; i < 60; i += 1) {
    const now = way(...at);
    at = [at[0] + x - now[0], at[1] + y - now[1]];
  }
  return at;
};

/** A map of any size whose pixel (x, y) of its own picture is asked for its place in the other, px from the other's corner. */
function made(widthPx: number, heightPx: number, place: (x: number, y: number) => [number, number], other: [number, number], down = false): StMap {
  const data = new Float32Array(2 * widthPx * heightPx);
  for (let y = 0, k = 0; y < heightPx; y += 1)
    for (let x = 0; x < widthPx; x += 1, k += 2) {
      const [s, t] = place(x + 0.5, y + 0.5);
      data[k] = s / other[0];
      data[k + 1] = down ? t / other[1] : 1 - t / other[1];
    }
  return { widthPx, heightPx, data };
}
const undistorting = (over = 60, down = false) => made(W + 2 * over, H + 2 * over, (x, y) => bent(x - over, y - over), [W, H], down);
const distorting = (over = 60) =>
  made(
    W,
    H,
    (x, y) => {
      const u = straight(x, y);
      return [u[0] + over, u[1] + over];
    },
    [W + 2 * over, H + 2 * over],
  );

/** How far the fitted lens is from the truth, px, once its picture is laid on the true one: where that lies is free of a map. */
function worstPx(report: GridReport, truth = bent): number {
  const lens = frameLens(report.distortion!, SETUP);
  const out = new Float64Array(2);
  const pairs: number[][] = [];
  for (let y = 5; y < H; y += 67)
    for (let x = 5; x < W; x += 71) {
      const [u, v] = straight(x, y, truth);
      distort(report.distortion!, (u - lens.center[0]) / lens.fxPx, (v - lens.center[1]) / lens.fyPx, out);
      pairs.push([x, y, lens.center[0] + out[0] * lens.fxPx, lens.center[1] + out[1] * lens.fyPx]);
    }
  return Math.max(...pairs.map(([x, y, a, b]) => Math.hypot(a - x, b - y)));
}
/** Of the corner that moves most, about the lens's centre, over half the diagonal. */
const CORNER_PCT = Math.min(
  ...[
    [0, 0],
    [W, 0],
    [0, H],
    [W, H],
  ].map(([x, y]) => {
    const [u, v] = straight(x, y);
    return (100 * (Math.hypot(x - CENTRE[0], y - CENTRE[1]) - Math.hypot(u - CENTRE[0], v - CENTRE[1]))) / (Math.hypot(W, H) / 2);
  }),
);
const read = (map: StMap, way: 'undistorts' | 'distorts', stretch = 1) => {
  const pairs = mapPairs(map, { way, stretch }, { widthPx: W, heightPx: H });
  return { ...givenReport(pairs, 'map.exr', SETUP, { count: pairs.count }), count: pairs.count };
};

describe('an ST map of another program', () => {
  test.each([
    ['undistorts, larger than the picture', undistorting(), 'undistorts'],
    ['undistorts, counted downwards', undistorting(0, true), 'undistorts'],
    ['distorts', distorting(0), 'distorts'],
  ] as const)('%s: is followed, and is the lens that it was made from', (_, map, way) => {
    const { report } = read(map, way);
    expect(report.status).toBe('usable');
    expect(report.rmsPx!).toBeLessThan(0.02);
    expect(report.sentence).toBe(`Followed to 0.00 px, 0.00 px at worst: barrel, ${(-CORNER_PCT).toFixed(2)} % at the corner.`);
    expect(worstPx(report)).toBeLessThan(0.1);
    expect(report.distortion!.center[0]).toBeCloseTo(CENTRE[0], 0);
    expect(report.distortion!.center[1]).toBeCloseTo(CENTRE[1], 0);
    expect(report.focalFromTilt).toBeNull();
  });

  test('read the other way it bends the other way, which its sentence says', () => {
    const { report } = read(undistorting(), 'distorts');
    expect(report.sentence).toMatch(/pincushion, 2\.\d\d % at the corner/);
    expect(report.cornerDisplacementPct!).toBeGreaterThan(2.4);
  });

  test('of a smaller picture and with pixels of their own it is the same lens', () => {
    const half = made(W / 2, H / 2, (x, y) => bent(2 * x, 2 * y), [W, H]);
    expect(worstPx(read(half, 'undistorts').report)).toBeLessThan(0.1);
    const inPx = undistorting(0);
    for (let k = 0; k < inPx.data.length; k += 2) [inPx.data[k], inPx.data[k + 1]] = [inPx.data[k] * W, (1 - inPx.data[k + 1]) * H];
    const counted = read(inPx, 'undistorts');
    expect(counted.count).toMatchObject({ unit: 'px', up: false });
    expect(worstPx(counted.report)).toBeLessThan(0.1);
  });

  test('whose undistorted picture has other pixels is doubted, with the number that explains it', () => {
    const wide = made(Math.round(W * 1.5), H, (x, y) => bent(x / 1.5, y), [W, H]);
    const doubted = read(wide, 'undistorts');
    expect(doubted.report.warnings.map((w) => w.code)).toContain('GIVEN_STRETCHED');
    expect(doubted.count.middleStretch).toBeCloseTo(1 / 1.5, 3);
    const told = read(wide, 'undistorts', doubted.count.middleStretch);
    expect(told.report.warnings.map((w) => w.code)).not.toContain('GIVEN_STRETCHED');
    expect(worstPx(told.report)).toBeLessThan(0.1);
  });

  test('that bends nothing, has holes or is rounded is said', () => {
    const none = read(
      made(W, H, (x, y) => [x, y], [W, H]),
      'undistorts',
    );
    expect(none.report.warnings.map((w) => w.code)).toContain('GIVEN_BENDS_NOTHING');
    const holes = undistorting(0);
    for (let y = 0; y < 200; y += 1) holes.data.fill(Number.NaN, 2 * W * y, 2 * W * y + 2 * W);
    const codes = givenReport(mapPairs(holes, { way: 'undistorts', stretch: 1 }, { widthPx: W, heightPx: H }), 'm', SETUP, { count: read(holes, 'undistorts').count, stepPx: 0.9 }).report.warnings.map(
      (w) => w.code,
    );
    expect(codes).toEqual(expect.arrayContaining(['GIVEN_HOLES', 'GIVEN_ROUNDED']));
  });

  test.each([
    ['differences', made(W, H, (x, y) => [bent(x, y)[0] - x, bent(x, y)[1] - y], [W, H], true), /differences of places/],
    ['mirrored', made(W, H, (x, y) => [W - x, y], [W, H]), /mirrored/],
    ['channels in another order', made(W, H, (x, y) => [(y * W) / H, (x * H) / W], [W, H]), /another order/],
    ['empty', { widthPx: W, heightPx: H, data: new Float32Array(2 * W * H).fill(Number.NaN) }, /hardly any/],
  ] as const)('of %s is refused in words', (_, map, words) => {
    expect(() => read(map, 'undistorts')).toThrow(words);
  });

  test('that no lens of ours follows is not good to use', () => {
    const waves = made(W, H, (x, y) => [x + 30 * Math.sin(x / 90), y + 30 * Math.cos(y / 70)], [W, H]);
    const { report } = read(waves, 'undistorts');
    expect(report.status).toBe('unusable');
    expect(report.sentence).toMatch(/No lens bends like this/);
  });
});

describe('coefficients of another program', () => {
  const given = (change: Partial<GivenCoefficients>): GivenCoefficients => ({
    formula: 'polynomial',
    over: 'focal length',
    direction: 'undistorted to distorted',
    k: [...K],
    p: [0, 0],
    center: [CENTRE[0] - W / 2, CENTRE[1] - H / 2],
    focalMm: null,
    ...change,
  });
  const frame = { ...gridFrame(SETUP), effectiveFocalMm: 30 };
  const read = (c: GivenCoefficients) => givenReport(coefficientPairs(c, frame), 'c.json', SETUP).report;

  /** The same lens over another radius: k1 and k2 grow by the squares of how much longer 1 is. */
  const UNIT: Record<(typeof NORMALISERS)[number], number> = { 'focal length': F, 'half width': W / 2, 'half height': H / 2, 'half diagonal': Math.hypot(W, H) / 2, 'mm on the sensor': W / 24 };
  test.each(NORMALISERS)('over %s they pair the places of the same lens', (over) => {
    const ratio = UNIT[over] / F;
    const same = coefficientPairs(given({}), frame);
    const pairs = coefficientPairs(given({ over, k: [K[0] * ratio ** 2, K[1] * ratio ** 4] }), frame);
    expect(pairs.recorded).toHaveLength(same.recorded.length);
    same.recorded.forEach((v, i) => expect(pairs.recorded[i]).toBeCloseTo(v, 6));
    for (let i = 0; i < pairs.recorded.length; i += 122) {
      const [x, y] = bent(pairs.undistorted[i], pairs.undistorted[i + 1]);
      expect(Math.hypot(x - pairs.recorded[i], y - pairs.recorded[i + 1])).toBeLessThan(1e-6);
    }
  });

  test('over a stated focal length that is not the setting’s', () => {
    const report = read(given({ focalMm: 25, k: [K[0] * (25 / 30) ** 2, K[1] * (25 / 30) ** 4] }));
    expect(report.rmsPx!).toBeLessThan(0.01);
    expect(worstPx(report)).toBeLessThan(0.05);
  });

  test('from distorted to undistorted, division and of the angle', () => {
    const division = (x: number, y: number): [number, number] => {
      // undistorted = distorted over 1 + k r²: what is recorded at a place is found by turning it round
      const [u, v] = [(x - W / 2) / F, (y - H / 2) / F];
      const r = Math.hypot(u, v);
      const rd = r === 0 ? 0 : (1 - Math.sqrt(1 + 4 * 0.1 * r * r)) / (2 * -0.1 * r);
      return [W / 2 + (r === 0 ? 0 : (u / r) * rd * F), H / 2 + (r === 0 ? 0 : (v / r) * rd * F)];
    };
    const byDivision = read(given({ formula: 'quotient', direction: 'distorted to undistorted', k: [-0.1], center: [0, 0] }));
    expect(worstPx(byDivision, division)).toBeLessThan(0.05);
    const angle = (x: number, y: number): [number, number] => {
      const [u, v] = [(x - W / 2) / F, (y - H / 2) / F];
      const r = Math.hypot(u, v);
      const a = Math.atan(r);
      const s = r === 0 ? 1 : (a * (1 + 0.02 * a * a)) / r;
      return [W / 2 + u * s * F, H / 2 + v * s * F];
    };
    const byAngle = read(given({ formula: 'angle', k: [0.02], center: [0, 0] }));
    expect(worstPx(byAngle, angle)).toBeLessThan(0.1);
    expect(coefficientsOf(byAngle.distortion!).length).toBeGreaterThan(0);
  });

  test('tangential ones are p1 with xy across', () => {
    const p = [0.004, -0.002] as const;
    const tangential = (x: number, y: number): [number, number] => {
      const [u, v] = [(x - W / 2) / F, (y - H / 2) / F];
      const r2 = u * u + v * v;
      const s = 1 - 0.1 * r2;
      return [W / 2 + F * (u * s + 2 * p[0] * u * v + p[1] * (r2 + 2 * u * u)), H / 2 + F * (v * s + p[0] * (r2 + 2 * v * v) + 2 * p[1] * u * v)];
    };
    const report = read(given({ k: [-0.1], p, center: [0, 0] }));
    expect(worstPx(report, tangential)).toBeLessThan(0.2);
  });

  test('what the corner does tells a wrong normaliser from a right one', () => {
    const right = cornerMovesPct(given({ center: [0, 0] }), frame)!;
    const half = Math.hypot(W, H) / 2;
    let u = half / F;
    for (let i = 0; i < 60; i += 1) u += half / F - u * (1 + K[0] * u ** 2 + K[1] * u ** 4);
    expect(right).toBeCloseTo((100 * (half - u * F)) / half, 6);
    expect(cornerMovesPct(given({ center: [0, 0], over: 'half width' }), frame)!).toBeLessThan(2 * right);
    expect(cornerMovesPct(given({ center: [0, 0], direction: DIRECTIONS[1] }), frame)!).toBeGreaterThan(2);
    expect(cornerMovesPct(given({ center: [0, 0], k: [-2], over: 'half height' }), frame)).toBeNull();
  });

  test('of a squeezed picture, of the angle over something else, or that leave nothing, are refused', () => {
    expect(() => coefficientPairs(given({}), { ...frame, fxPx: frame.fxPx / 2 })).toThrow(/squeezed/);
    expect(() => coefficientPairs(given({ formula: 'angle', over: 'half width' }), frame)).toThrow(/over the focal length/);
    expect(() => coefficientPairs(given({ k: [-400], over: 'half height' }), frame)).toThrow(/over something else/);
  });
});
