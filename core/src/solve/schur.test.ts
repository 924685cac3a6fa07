import { simulateShot, uniform } from '@mesure/synthetic';
import { inverse, Matrix, solve as solveDense } from 'ml-matrix';
import { expSO3, type Vec3 } from '../math';
import { adjust, type AdjustOptions } from './adjust';
import { evaluateBundle, Linearisation, type BundleProblem, type BundleState } from './bundle-problem';
import { BundleCovariance, inFixedGauge } from './covariance';
import { SchurSystem } from './schur';
import { planBatches } from './schur-products';
import { solveTracks } from './solve-tracks';

const LENS = { cx: 960, cy: 540, pxPerMmX: 80, pxPerMmY: 80, distortion: { model: 'radial' as const, k: [0, 0, 0] as const, p: [0, 0] as const }, normaliserMm: 24, follows: false };

/** Cameras in a row that look at scattered points; `life` frames of each track. Pictures by the pinhole formula, with a tenth of a pixel of noise. */
function bundle(cameras: number, points: number, life: number, focalHeld = false): { problem: BundleProblem; state: BundleState } {
  const u = uniform(13);
  const state: BundleState = { rotations: new Float64Array(9 * cameras), translations: new Float64Array(3 * cameras), points: new Float64Array(3 * points), focalMm: 24 };
  for (let c = 0; c < cameras; c += 1) {
    state.rotations.set(expSO3([0.02 * u(), 0.05 * Math.sin(c), 0.01 * u()] as Vec3), 9 * c);
    state.translations.set([-1.2 * (c / cameras) + 0.6, 0.05 * u(), 0.1 * u()], 3 * c);
  }
  for (let p = 0; p < points; p += 1) state.points.set([-2 + 4 * u(), -1 + 2 * u(), 4 + 3 * u()], 3 * p);
  const rows: [number, number, number, number][] = [];
  for (let p = 0; p < points; p += 1) {
    const begin = Math.floor((cameras - Math.min(life, cameras) + 1) * (p / points));
    for (let c = begin; c < Math.min(cameras, begin + life); c += 1) {
      const [r, t, x] = [state.rotations.subarray(9 * c), state.translations.subarray(3 * c), state.points.subarray(3 * p)];
      const at = [0, 1, 2].map((k) => r[3 * k] * x[0] + r[3 * k + 1] * x[1] + r[3 * k + 2] * x[2] + t[k]);
      rows.push([c, p, 960 + (24 * 80 * at[0]) / at[2] + 0.2 * (u() - 0.5), 540 + (24 * 80 * at[1]) / at[2] + 0.2 * (u() - 0.5)]);
    }
  }
  const problem: BundleProblem = {
    cameraCount: cameras,
    pointCount: points,
    camera: Int32Array.from(rows, (r) => r[0]),
    point: Int32Array.from(rows, (r) => r[1]),
    xPx: Float64Array.from(rows, (r) => r[2]),
    yPx: Float64Array.from(rows, (r) => r[3]),
    weight: new Float64Array(rows.length).fill(1),
    lens: LENS,
    focal: { held: focalHeld },
  };
  return { problem, state };
}

/** JᵀJ of everything at once, by a general matrix library: cameras, points, focal length. */
function dense({ problem, state }: ReturnType<typeof bundle>) {
  const n = problem.camera.length;
  const lin = new Linearisation(n);
  evaluateBundle(problem, state, lin, true);
  const size = 6 * problem.cameraCount + 3 * problem.pointCount + (problem.focal.held ? 0 : 1);
  const j = Matrix.zeros(2 * n, size);
  for (let i = 0; i < n; i += 1) {
    for (let a = 0; a < 2; a += 1) {
      for (let k = 0; k < 6; k += 1) j.set(2 * i + a, 6 * problem.camera[i] + k, lin.jCamera[12 * i + 6 * a + k]);
      for (let k = 0; k < 3; k += 1) j.set(2 * i + a, 6 * problem.cameraCount + 3 * problem.point[i] + k, lin.jPoint[6 * i + 3 * a + k]);
      if (!problem.focal.held) j.set(2 * i + a, size - 1, lin.jFocal[2 * i + a]);
    }
  }
  return { lin, normal: j.transpose().mmul(j), size };
}

// both ways of elimination, free and held focal length, full and banded, and counts that fill no tile of four
describe.each([
  ['points eliminated, all seen', 5, 31, 99, false, true],
  ['cameras eliminated, all seen', 33, 9, 99, false, false],
  ['points eliminated, short tracks', 14, 110, 6, false, true],
  ['cameras eliminated, short tracks', 44, 48, 40, false, false],
  ['held focal length', 6, 18, 99, true, true],
])('normal equations: %s', (_name, cameras, points, life, held, eliminatesPoints) => {
  const made = bundle(cameras, points, life, held);
  const { lin, normal, size } = dense(made);
  const system = new SchurSystem(made.problem);

  test('a damped step is the dense one', () => {
    expect(system.eliminatesPoints).toBe(eliminatesPoints);
    expect(system.factor(lin, 1e-3, 0)).toBe(true);
    const u = uniform(2);
    const b = Float64Array.from({ length: size }, () => u() - 0.5);
    const damped = normal.clone();
    for (let i = 0; i < size; i += 1) damped.set(i, i, damped.get(i, i) * 1.001 + 1e-12);
    const expected = solveDense(damped, Matrix.columnVector(Array.from(b))).to1DArray();
    const c6 = 6 * cameras;
    const got = system.solve(b.slice(0, c6), b.slice(c6, c6 + 3 * points), held ? 0 : b[size - 1]);
    const scale = Math.max(...expected.map(Math.abs));
    [...got.camera, ...got.point, ...(held ? [] : [got.focal])].forEach((v, i) => expect(Math.abs(v - expected[i])).toBeLessThan(1e-7 * scale));
  });

  test('the covariance is the dense inverse in a fixed gauge', () => {
    const covariance = BundleCovariance.compute(made.problem, made.state)!;
    expect(covariance).not.toBeNull();
    // what does not depend on the gauge: the variance of the focal length
    if (!held) {
      const fixed = normal.clone();
      // middle camera and one coordinate of an end one, as the gauge says, by leaving them out
      const middle = cameras >> 1;
      const keep = Array.from({ length: size }, (_, i) => i).filter((i) => !(i >= 6 * middle && i < 6 * middle + 6));
      const far = middle > cameras / 2 ? 0 : cameras - 1;
      const reduced = fixed.selection(
        keep.filter((i) => i !== 6 * far + 3),
        keep.filter((i) => i !== 6 * far + 3),
      );
      const inv = inverse(reduced);
      expect(covariance.focalVariance() / inv.get(inv.rows - 1, inv.rows - 1)).toBeCloseTo(1, 4);
    }
    for (let c = 0; c < cameras; c += 1) {
      const block = covariance.cameraBlock(c);
      for (let k = 0; k < 6; k += 1) expect(block[7 * k]).toBeGreaterThan(0);
      // a block is what the columns say
      const e = new Float64Array(6 * cameras);
      e[6 * c + 4] = 1;
      const column = covariance.column(e, new Float64Array(3 * points), 0);
      for (let k = 0; k < 6; k += 1) expect(Math.abs(column.camera[6 * c + k] - block[6 * 4 + k])).toBeLessThan(1e-6 * Math.sqrt(block[7 * k] * block[28]) + 1e-14);
    }
    for (let p = 0; p < points; p += 1) {
      const block = covariance.pointBlock(p);
      const e = new Float64Array(3 * points);
      e[3 * p + 2] = 1;
      const column = covariance.column(new Float64Array(6 * cameras), e, 0);
      for (let k = 0; k < 3; k += 1) expect(Math.abs(column.point[3 * p + k] - block[6 + k])).toBeLessThan(1e-6 * Math.sqrt(block[4 * k] * block[8]) + 1e-14);
    }
  });
});

describe('batches', () => {
  test('hold every block once, in order, with its columns in their places', () => {
    const u = uniform(4);
    const columns = Array.from({ length: 60 }, (_, e) => Int32Array.from({ length: 90 }, (_v, c) => c).filter((c) => c >= e && c < e + 12 && u() > 0.2));
    const batches = planBatches(columns, 3);
    expect(batches.map((b) => [b.from, b.to]).flat()).toEqual(batches.flatMap((b, i) => [i === 0 ? 0 : batches[i - 1].to, b.to]));
    expect(batches[batches.length - 1].to).toBe(60);
    expect(batches.length).toBeLessThan(60);
    for (const b of batches) {
      expect(Array.from(b.union)).toEqual([...b.union].sort((x, y) => x - y));
      for (let e = b.from; e < b.to; e += 1) expect(Array.from(b.slots[e - b.from], (s) => b.union[s])).toEqual(Array.from(columns[e]));
    }
  });
  test('a block without columns is nothing to fall over', () => {
    expect(planBatches([new Int32Array(0), Int32Array.of(3), new Int32Array(0)], 6).at(-1)!.to).toBe(3);
    expect(planBatches([], 3)).toEqual([]);
  });
});

describe('adjust', () => {
  /** Shots whose focal length starts a sixth off: the valley that bends. */
  function displaced(share: number) {
    const made = bundle(30, 200, 12);
    const state: BundleState = { ...made.state, points: made.state.points.slice(), focalMm: made.state.focalMm * share };
    for (let p = 0; p < made.problem.pointCount; p += 1) state.points[3 * p + 2] *= share;
    return { problem: made.problem, state };
  }
  test.each([0.85, 1.2])('comes back from a focal length that starts at %p of the truth', (share) => {
    const { problem, state } = displaced(share);
    const r = adjust(problem, state, { maxIterations: 60, costTolerance: 1e-9 });
    expect(r.reason).toBe('cost');
    expect(r.finalCost).toBeLessThan(r.initialCost / 1000);
    const sigma = Math.sqrt(BundleCovariance.compute(problem, r.state)!.focalVariance()) * (0.2 / Math.sqrt(12));
    expect(Math.abs(r.state.focalMm - 24)).toBeLessThan(4 * sigma);
  });
  test('settles within a fiftieth of a sigma of the floor, and says that it did', () => {
    const { problem, state } = displaced(0.85);
    const floor = adjust(problem, state, { maxIterations: 200, costTolerance: 1e-14 }).state;
    const sigma = Math.sqrt(BundleCovariance.compute(problem, floor)!.focalVariance()) * (0.2 / Math.sqrt(12));
    const offSigmas = (options: AdjustOptions) => Math.abs(adjust(problem, state, { maxIterations: 60, costTolerance: 0.9, ...options }).state.focalMm - floor.focalMm) / sigma;
    expect(offSigmas({ settle: true })).toBeLessThan(0.02);
    expect(adjust(problem, state, { maxIterations: 60, costTolerance: 0.9, settle: true }).reason).toBe('settled');
    // a step that still moves by sigmas is no rest, however little the cost falls by it
    expect(adjust(problem, state, { maxIterations: 1, costTolerance: 1, settle: true }).reason).toBe('maxIterations');
  });
  test('says when it ran out of rounds; no rounds only cost', () => {
    const { problem, state } = displaced(0.85);
    expect(adjust(problem, state, { maxIterations: 2, costTolerance: 0 })).toMatchObject({ reason: 'maxIterations', iterations: 2 });
    const nothing = adjust(problem, state, { maxIterations: 0 });
    expect(nothing.state).toBe(state);
    expect(nothing.finalCost).toBe(nothing.initialCost);
  });
  test('a robust loss is not pulled by a wild place', () => {
    const { problem, state } = bundle(8, 30, 99);
    problem.xPx[17] += 80;
    const plain = adjust(problem, state, { maxIterations: 20 });
    const robust = adjust(problem, state, { maxIterations: 20, huberPx: 0.3 });
    const off = (s: BundleState) => Math.abs(s.focalMm - 24);
    expect(off(robust.state)).toBeLessThan(off(plain.state));
  });
});

test('long shots of short tracks settle to their floor', () => {
  const u = uniform(3);
  const shot = simulateShot({
    widthPx: 2048,
    heightPx: 1080,
    focalMm: 18,
    sensorWidthMm: 24,
    sensorHeightMm: 12.66,
    frames: 160,
    noisePx: 0.5,
    lifeFrames: 40,
    points: Array.from({ length: 160 }, (_, i) => ({ id: `m${i}`, at: [-3 + 6 * u(), i % 3 ? 2 * u() : 0, -5 + 4 * u()] as [number, number, number] })),
    path: (t) => [-0.9 + 1.8 * t, 1.4 + 0.2 * t, 3 - 0.3 * t],
    aim: (t) => [0.2 * t, 0.8, -3.5],
  });
  const r = solveTracks(shot.tracks, { image: { width: 2048, height: 1080 }, sensor: { widthMm: 24, heightMm: 12.66 }, focal: { mode: 'free', mm: 21 }, distortion: { mode: 'none' } });
  expect(r.status).toBe('solved');
  expect(r.warnings.filter(({ words: w }) => /still moved/.test(w))).toEqual([]);
  expect(r.iterations).toBeLessThan(40);
  expect(Math.abs(r.focalMm! - 18)).toBeLessThan(4 * r.sigmaFocalMm!);
});

test('what was factored before is taken where nothing has changed, and never where something has', () => {
  const made = bundle(8, 40, 8);
  const copy = (): BundleState => ({ ...made.state, rotations: made.state.rotations.slice(), translations: made.state.translations.slice(), points: made.state.points.slice() });
  const before = inFixedGauge(made.problem, made.state, 2)!;
  const factored = jest.spyOn(SchurSystem.prototype, 'factor');
  const variance = (problem: BundleProblem, state: BundleState, huberPx = 2): [number, number] => {
    factored.mockClear();
    return [BundleCovariance.compute(problem, state, huberPx, before)!.focalVariance(), factored.mock.calls.length];
  };
  const fresh = BundleCovariance.compute(made.problem, made.state, 2)!.focalVariance();
  expect(variance(made.problem, copy())).toEqual([fresh, 0]);
  const moved = copy();
  moved.points[5] += 1e-9;
  const nearer = copy();
  nearer.focalMm += 1e-9;
  const lighter = { ...made.problem, weight: made.problem.weight.map((w, i) => (i === 3 ? 0.5 * w : w)) };
  const again = [
    variance(made.problem, moved),
    variance(made.problem, nearer),
    variance(lighter, copy()),
    variance(made.problem, copy(), 0.01),
    variance({ ...made.problem, focal: { held: false, priorSigmaMm: 0.1 } }, copy()),
  ];
  expect(again.map(([, calls]) => calls)).toEqual([1, 1, 1, 1, 1]);
  expect(again[4][0]).toBeLessThan(fresh);
  factored.mockRestore();
});
