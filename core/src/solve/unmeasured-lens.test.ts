import { draws, normals, simulateShot, uniform, type ShotScene } from '@mesure/synthetic';
import { Matrix } from 'ml-matrix';
import { adjust } from './adjust';
import type { BundleProblem, BundleState } from './bundle-problem';
import { BundleCovariance } from './covariance';
import { readSolveSetup } from './setup';
import { solveTracks, type SolveSetup } from '.';
import { bendResponse, unmeasuredBend } from './unmeasured-lens';

type Point = readonly [number, number, number];
const u = uniform(3);
const POINTS = Array.from({ length: 60 }, (_, i) => ({ id: `m${i}`, at: [-2.5 + 5 * u(), i % 2 ? 2.4 * u() : 0, -5 + 3.4 * u()] as Point }));
const BASE = { widthPx: 1920, heightPx: 1080, sensorWidthMm: 24, sensorHeightMm: 13.5, focalMm: 24, frames: 24, points: POINTS, noisePx: 0.3 };
const WAYS = {
  dolly: { path: (t: number): Point => [-1 + 2 * t, 1.4, 1.2], aim: (t: number): Point => [-0.2 + 0.4 * t, 0.8, -3] },
  arc: { path: (t: number): Point => [3 * Math.sin(-0.6 + 1.2 * t), 1.4, -2.5 + 4 * Math.cos(-0.6 + 1.2 * t)], aim: (): Point => [0, 0.8, -3] },
  pan: { path: (): Point => [0, 1.4, 1.2], aim: (t: number): Point => [-1.5 + 3 * t, 0.8 + 0.3 * t, -3] },
};
type Way = keyof typeof WAYS;
const shot = (way: Way, change: Partial<ShotScene> = {}) => simulateShot({ ...BASE, ...WAYS[way], ...change });
const SETUP: SolveSetup = { image: { width: 1920, height: 1080 }, sensor: { widthMm: 24, heightMm: 13.5 }, focal: { mode: 'free', mm: 24.5 }, distortion: { mode: 'none' } };
/** A plate saw that it does not bend. */
const MEASURED: SolveSetup = { ...SETUP, distortion: { mode: 'held', model: 'radial', k: [0, 0, 0] } };
/** Tangent of the angle to the corner. */
const CORNER = Math.hypot(12, 6.75) / 24;
/** What lenses usually have there: 1.5 % of the distance from the middle. */
const USUAL_K1 = 0.015 / CORNER ** 2;

/** The true bundle of a shot whose pictures have no noise. */
function truth(way: Way): { problem: BundleProblem; state: BundleState } {
  const { cameras, tracks: all } = shot(way, { noisePx: 0 });
  const names = [...new Set(all.map((t) => t.track))].filter((name) => all.filter((t) => t.track === name).length >= 6);
  const tracks = all.filter((t) => names.includes(t.track));
  const rotations = cameras.flatMap((c) => [...c.right, ...c.down, ...c.forward]);
  const translations = cameras.flatMap((c) => [c.right, c.down, c.forward].map((row) => -row.reduce((s, v, k) => s + v * c.position[k], 0)));
  const problem: BundleProblem = {
    cameraCount: cameras.length,
    pointCount: names.length,
    camera: Int32Array.from(tracks, (t) => t.frame - all[0].frame),
    point: Int32Array.from(tracks, (t) => names.indexOf(t.track)),
    xPx: Float64Array.from(tracks, (t) => t.x),
    yPx: Float64Array.from(tracks, (t) => t.y),
    weight: new Float64Array(tracks.length).fill(1),
    lens: readSolveSetup(SETUP).map,
    focal: { held: false },
  };
  const points = names.flatMap((name) => [...POINTS.find((p) => p.id === name)!.at]);
  return { problem, state: { rotations: Float64Array.from(rotations), translations: Float64Array.from(translations), points: Float64Array.from(points), focalMm: 24 } };
}

test.each(['dolly', 'arc'] as const)('what a bend does to a %s is what the adjustment does when it is bent', (way) => {
  const { problem, state } = truth(way);
  const bent = (k1: number) => {
    const lens = { ...problem.lens, distortion: { model: 'radial' as const, k: [k1, 0, 0] as const, p: [0, 0] as const } };
    return adjust({ ...problem, lens }, state, { maxIterations: 200, costTolerance: 1e-14, settle: true });
  };
  const [less, more] = [bent(-1e-3), bent(1e-3)];
  const response = bendResponse(BundleCovariance.compute(problem, state)!.factored, { main: true, witness: false });
  expect(response.moves[0].focal).toBeCloseTo((more.state.focalMm - less.state.focalMm) / 2e-3, 1);
  // the cost grows by the square of the bend times what the tracks know of it
  expect((more.finalCost + less.finalCost) / (1e-6 * response.information.get(0, 0))).toBeCloseTo(1, 1);
  // how deep the set is against how wide, which no gauge changes
  const shape = (x: ArrayLike<number>) => {
    const apart = (a: number, b: number) => Math.hypot(...[0, 1, 2].map((k) => x[3 * a + k] - x[3 * b + k]));
    return apart(0, 1) / apart(2, 3);
  };
  const stepped = (by: number) => shape(state.points.map((x, k) => x + by * response.moves[0].point[k]));
  expect((stepped(1e-4) - stepped(-1e-4)) / 2e-4).toBeCloseTo((shape(more.state.points) - shape(less.state.points)) / 2e-3, 1);
});

test('what the tracks know of a bend is no wider than what lenses have, and what they ask for counts', () => {
  const told = (asked: number, sigma: number) => unmeasuredBend({ information: new Matrix([[1 / sigma ** 2]]), asked: new Matrix([[asked]]) }, [USUAL_K1], 1).get(0, 0);
  expect(told(0, 1e3)).toBeCloseTo(USUAL_K1, 6);
  expect(told(0, 1e-4)).toBeCloseTo(1e-4, 6);
  expect(told(0.003, 1e-4)).toBeCloseTo(0.003, 5);
});

test('lenses that bend as lenses do and that nobody measured: focal lengths are off by what is said of them, of a pan by many times what the tracks alone say', () => {
  const n = draws(40, 3);
  const squares = (Object.keys(WAYS) as Way[]).map((way) => {
    const k1 = normals(77);
    let [said, byTracks] = [0, 0];
    for (let seed = 1; seed <= n; seed += 1) {
      const r = solveTracks(shot(way, { seed, k: [USUAL_K1 * k1(), 0, 0] }).tracks, SETUP);
      const off = r.focalMm! - 24;
      said += (off / r.sigmaFocalMm!) ** 2 / n;
      byTracks += off ** 2 / (r.sigmaFocalMm! ** 2 - r.sigmaByLensMm! ** 2) / n;
    }
    return { said, byTracks };
  });
  for (const { said } of squares) {
    expect(said).toBeGreaterThan(draws(0.4, 0.1));
    expect(said).toBeLessThan(2);
  }
  expect(squares[2].byTracks).toBeGreaterThan(100);
});

test('a zoom bends otherwise at its other end: the length of each frame is off by what is said of it', () => {
  const focal = (t: number) => 24 * (1 + 0.3 * t * t * (3 - 2 * t));
  const zoom: SolveSetup = { ...SETUP, focal: { mode: 'zoom', mm: 24, endMm: 31 } };
  const k1 = normals(77);
  const n = draws(12, 2);
  let [said, byTracks] = [0, 0];
  for (let seed = 1; seed <= n; seed += 1) {
    // as the lens has it of its own length, the picture is bent less and less
    const r = solveTracks(shot('dolly', { seed, frames: 40, focalMm: focal, k: [USUAL_K1 * k1(), 0, 0] }).tracks, zoom);
    const offs = r.frames.map((f, i) => f.focalMm! - focal(i / 39));
    said += offs.reduce((sum, off, i) => sum + (off / r.frames[i].sigmaFocalMm!) ** 2, 0) / (40 * n);
    byTracks += offs.reduce((sum, off) => sum + off / 40, 0) ** 2 / (r.sigmaFocalMm! ** 2 - r.sigmaByLensMm! ** 2) / n;
  }
  expect(said).toBeGreaterThan(0.1);
  expect(said).toBeLessThan(2.5);
  expect(byTracks).toBeGreaterThan(2);
});

test('a pan says that the lens makes most of what is not known; an arc knows it anyway, and of a measured lens nothing is left', () => {
  const codes = (way: Way, setup: SolveSetup) => {
    const r = solveTracks(shot(way, { seed: 1 }).tracks, setup);
    return { said: r.warnings.some((w) => w.code === 'LENS_UNMEASURED'), byLens: r.sigmaByLensMm! / r.sigmaFocalMm! };
  };
  const pan = codes('pan', SETUP);
  expect(pan.said).toBe(true);
  expect(pan.byLens).toBeGreaterThan(0.9);
  const arc = codes('arc', SETUP);
  expect(arc.said).toBe(false);
  expect(arc.byLens).toBeLessThan(0.4);
  for (const way of ['pan', 'arc'] as const) expect(codes(way, MEASURED)).toEqual({ said: false, byLens: 0 });
});
