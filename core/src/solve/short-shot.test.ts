import { draws, simulateShot, uniform } from '@mesure/synthetic';
import { coefficientsOf } from '../lens';
import { reconcile } from '../reconcile';
import type { SolveSetup } from './setup';
import { solveTracks } from './solve-tracks';

const SENSOR = { widthPx: 1920, heightPx: 1080, sensorWidthMm: 24, sensorHeightMm: 13.5 };
const TRUE_MM = 18;
type Point = [number, number, number];
const WAYS = {
  'half round the set': { path: (t: number): Point => [4 * Math.sin(-0.6 + 1.2 * t), 1.4, -2.5 + 5 * Math.cos(-0.6 + 1.2 * t)], aim: (t: number): Point => [0.2 * t, 0.8, -3.5] },
  'straight past it': { path: (t: number): Point => [-0.3 + 0.6 * t, 1.4, 3], aim: (t: number): Point => [0.2 * t, 0.8, -3.5] },
  'turned on the spot': { path: (): Point => [0, 1.4, 3], aim: (t: number): Point => [-1 + 2 * t, 0.8, -3.5] },
};

function tracksOf(way: keyof typeof WAYS, frames: number, points: number, seed: number) {
  const u = uniform(seed + 50);
  const places = Array.from({ length: points }, (_, i) => ({ id: `p${i}`, at: [-3 + 6 * u(), 3 * u(), -6 + 5 * u()] as Point }));
  return simulateShot({ ...SENSOR, ...WAYS[way], focalMm: TRUE_MM, frames, noisePx: 0.4, points: places, seed }).tracks;
}
const setup = (change: Partial<SolveSetup> = {}): SolveSetup => ({
  image: { width: 1920, height: 1080 },
  sensor: { widthMm: 24, heightMm: 13.5 },
  focal: { mode: 'free', mm: 20 },
  // a plate saw that it does not bend
  distortion: { mode: 'held', model: 'radial', k: [0, 0, 0] },
  ...change,
});

test.each([
  ['half round the set', 2, 'hardly'],
  ['half round the set', 3, 'well'],
  ['half round the set', 4, 'well'],
  ['straight past it', 3, 'hardly'],
  ['turned on the spot', 2, 'well'],
  ['turned on the spot', 3, 'well'],
] as const)('a shot %s of %i frames tells its focal length %s and says so: never the number that it began at', (way, frames, tells) => {
  const runs = draws(40, 5);
  let z2 = 0;
  for (let seed = 1; seed <= runs; seed += 1) {
    const s = solveTracks(tracksOf(way, frames, 40, seed), setup());
    expect(s.focalMode).toBe('free');
    expect(s.sigmaFocalMm!).toBeGreaterThan(0.001 * TRUE_MM);
    if (tells === 'well') expect(s.sigmaFocalMm!).toBeLessThan(0.02 * TRUE_MM);
    else expect(s.warnings.map((w) => w.code)).toContain('FOCAL_HARDLY_SEEN');
    z2 += ((s.focalMm! - TRUE_MM) / s.sigmaFocalMm!) ** 2 / runs;
  }
  expect(z2).toBeGreaterThan(0.02);
  // where it is hardly told the valley is no parabola
  expect(z2).toBeLessThan((tells === 'well' ? 1 : 1.5) + 4.2 * Math.sqrt(2 / runs));
});

test('what leaves as many unknowns as numbers is no solve, and says which', () => {
  const few = solveTracks(tracksOf('turned on the spot', 2, 14, 2), setup({ distortion: { mode: 'free' } }));
  expect(few.status).toBe('failed');
  expect(few.reason).toMatch(/\d+ sightings in 2 frames give \d+ numbers for \d+ unknowns/);
  expect(few.sigmaFocalMm).toBeNull();
});

test('a bend is found from four frames too', () => {
  const s = solveTracks(tracksOf('half round the set', 4, 60, 3), setup({ distortion: { mode: 'free' } }));
  expect(s.status).toBe('solved');
  const sigma = s.distortion.sigma!.k1;
  expect(sigma).toBeGreaterThan(0);
  expect(Math.abs(coefficientsOf(s.distortion)[0])).toBeLessThan(4 * sigma);
});

test('three frames of many that are placed are not asked, and the number that the solve began at is told as no knowledge', () => {
  const together = tracksOf('half round the set', 3, 40, 1);
  // five tracks tie what follows to nothing
  const later = tracksOf('turned on the spot', 12, 5, 2).map((t) => ({ ...t, track: `later ${t.track}`, frame: t.frame + 3 }));
  const s = solveTracks([...together, ...later], setup());
  expect(s.status).toBe('partial');
  expect(s.frames.map((f) => f.frame)).toEqual([1, 2, 3]);
  expect(s.sigmaFocalMm).toBeNull();
  expect(s.warnings.map((w) => w.code)).toContain('FOCAL_NOT_ASKED');
  const [focal] = reconcile(setup(), s).items.filter((i) => i.quantity === 'focalLength');
  expect(focal.verdict).toBe('not observable');
});
