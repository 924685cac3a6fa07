import { draws, simulateShot, uniform } from '@mesure/synthetic';
import { coefficientsOf } from '../lens';
import { shotCamera, solveTracks, type SolveSetup } from '.';
import { evaluateBundle, Linearisation, stepState, type BundleProblem, type BundleState } from './bundle-problem';

type Point = readonly [number, number, number];
const u = uniform(5);
// all over the picture, so that its corners are seen
const POINTS = Array.from({ length: 140 }, (_, i) => ({ id: `m${i}`, at: [-3.6 + 7.2 * u(), i % 2 ? 2.9 * u() : 0, -5 + 4 * u()] as Point }));
const TRUE_MM = 20;
const film = (k: readonly [number, number, number], seed: number) =>
  simulateShot({
    widthPx: 1920,
    heightPx: 1080,
    sensorWidthMm: 24,
    sensorHeightMm: 13.5,
    focalMm: TRUE_MM,
    k,
    frames: 40,
    points: POINTS,
    path: (t) => [-0.8 + 1.6 * t, 1.4, 1.1 - 0.3 * t],
    aim: (t) => [0.6 - 1.2 * t, 1, -3],
    noisePx: 0.3,
    seed,
  });
const setup = (change: Partial<SolveSetup> = {}): SolveSetup => ({
  image: { width: 1920, height: 1080 },
  sensor: { widthMm: 24, heightMm: 13.5 },
  focal: { mode: 'free', mm: 21 },
  distortion: { mode: 'free' },
  ...change,
});

test('derivatives by what of the lens is free are those of the residuals', () => {
  const problem: BundleProblem = {
    ...{ cameraCount: 1, pointCount: 2, camera: Int32Array.of(0, 0), point: Int32Array.of(0, 1), xPx: Float64Array.of(900, 300), yPx: Float64Array.of(500, 800), weight: Float64Array.of(0.5, 1) },
    lens: { cx: 960, cy: 540, pxPerMmX: 80, pxPerMmY: 80, distortion: { model: 'radial', k: [0, 0, 0.01], p: [0.001, 0] }, normaliserMm: 25, follows: false },
    focal: { held: false },
    freeLens: [{ name: 'k2' }, { name: 'cx' }, { name: 'k1' }, { name: 'ratio' }, { name: 'cy' }],
  };
  const state: BundleState = {
    rotations: Float64Array.of(1, 0, 0, 0, 1, 0, 0, 0, 1),
    translations: new Float64Array(3),
    points: Float64Array.of(1, 0.6, 3, -1.5, 0.7, 4),
    focalMm: 24,
    lens: Float64Array.of(0.02, 950, -0.1, 1.05, 545),
  };
  const lin = new Linearisation(2);
  evaluateBundle(problem, state, lin, true);
  for (let k = 0; k < 5; k += 1) {
    const h = 1e-6;
    const [plus, minus] = [h, -h].map((d) => {
      const out = new Linearisation(2);
      evaluateBundle(
        problem,
        stepState(
          state,
          new Float64Array(6),
          new Float64Array(6),
          0,
          undefined,
          Float64Array.from({ length: 5 }, (_, i) => (i === k ? d : 0)),
        ),
        out,
        false,
      );
      return out.residual;
    });
    for (let i = 0; i < 2; i += 1) for (let axis = 0; axis < 2; axis += 1) expect(lin.jLens[10 * i + 5 * axis + k]).toBeCloseTo((plus[2 * i + axis] - minus[2 * i + axis]) / (2 * h), 3);
  }
});

test('a barrel that nobody measured comes out with the focal length, both within their sigmas', () => {
  let [zf, zk, worst] = [0, 0, 0];
  const runs = draws(5, 2);
  for (let seed = 1; seed <= runs; seed += 1) {
    const s = solveTracks(film([-0.11, 0.02, 0], seed).tracks, setup());
    expect([s.status, s.distortion.mode]).toEqual(['solved', 'free']);
    expect(s.noisePx).toBeLessThan(0.33);
    zf += ((s.focalMm! - TRUE_MM) / s.sigmaFocalMm!) ** 2 / runs;
    // over 21 mm the same bending has (21 / 20)² of the coefficient
    const { sigma, normalisedWithMm } = s.distortion;
    const k1 = -0.11 * (normalisedWithMm / TRUE_MM) ** 2;
    zk += ((coefficientsOf(s.distortion)[0] - k1) / sigma!.k1) ** 2 / runs;
    worst = Math.max(worst, Math.abs(coefficientsOf(s.distortion)[0] / k1 - 1));
    expect(sigma!.k1).toBeGreaterThan(0);
  }
  expect(zf).toBeLessThan(3);
  expect(zk).toBeLessThan(3);
  expect(worst).toBeLessThan(0.1);
});

test('a lens without bending is found straight within its sigma', () => {
  const s = solveTracks(film([0, 0, 0], 3).tracks, setup());
  expect(Math.abs(coefficientsOf(s.distortion)[0])).toBeLessThan(3 * s.distortion.sigma!.k1);
  expect(Math.abs(s.focalMm! - TRUE_MM)).toBeLessThan(3 * s.sigmaFocalMm!);
});

test('the camera that leaves carries the distortion that was found, not the record’s', () => {
  const s = solveTracks(film([-0.11, 0.02, 0], 2).tracks, setup());
  const camera = shotCamera(setup(), s);
  expect(camera.distorted).toBe(true);
  expect(coefficientsOf(camera.lens.distortion)[0]).toBeCloseTo(coefficientsOf(s.distortion)[0], 12);
  expect(camera.lens.fxPx).toBeCloseTo(21 * 80, 6);
});

test('another model than the radial one is refused with its field', () => {
  expect(() => solveTracks(film([0, 0, 0], 1).tracks, setup({ distortion: { mode: 'free', model: 'fisheye' } }))).toThrow(/a free or guided distortion is radial/);
});
