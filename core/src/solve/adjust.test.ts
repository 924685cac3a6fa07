import { draws, normals, simulateShot, uniform } from '@mesure/synthetic';
import { expSO3, mulMat3, mulMatVec, type Mat3, type Vec3 } from '../math';
import { adjust } from './adjust';
import { BundleCovariance } from './covariance';
import { buildObservations } from './observations';
import { Reconstruction } from './reconstruction';
import { readSolveSetup, type SolveSetup } from './setup';

const [FOCAL_MM, NOISE_PX] = [27, 0.4];
const SETUP: SolveSetup = { image: { width: 2048, height: 1080 }, sensor: { widthMm: 24, heightMm: 12.66 }, focal: { mode: 'free', mm: FOCAL_MM }, distortion: { mode: 'none' } };
type Way = { path: (t: number) => [number, number, number]; aim: (t: number) => [number, number, number] };
const WAYS: Record<string, Way> = {
  // by so little as it turns the focal length is seen at all: a flat valley
  'a straight dolly': { path: (t) => [-0.8 + 1.6 * t, 1.3, 1.5], aim: (t) => [-0.5 + t, 1.1, -4] },
  'an arc': { path: (t) => [-1.4 * Math.cos(3 * t), 1.4, 1.4 * Math.sin(3 * t) - 1], aim: () => [0, 1, -4] },
};

/** A bundle of which one sighting in forty is wild, begun from the truth with everything shaken. */
function bundle({ path, aim }: Way, seed: number, focalBy: number) {
  const u = uniform(seed);
  const points = Array.from({ length: 80 }, (_, i) => ({ id: `m${i}`, at: [-3.5 + 7 * u(), i % 3 ? 2.6 * u() : 0, -6 + 3.6 * u()] as [number, number, number] }));
  const made = simulateShot({ widthPx: 2048, heightPx: 1080, focalMm: FOCAL_MM, sensorWidthMm: 24, sensorHeightMm: 12.66, frames: 36, noisePx: NOISE_PX, seed, points, path, aim });
  const wild = normals(seed + 7);
  const tracks = made.tracks.map((t, i) => (i % 40 === 0 ? { ...t, x: t.x + 6 * wild(), y: t.y + 6 * wild() } : t));
  const lens = readSolveSetup(SETUP);
  const r = new Reconstruction(buildObservations(tracks, lens.map), lens.map, focalBy * FOCAL_MM, { held: false });
  const n = normals(seed + 3);
  for (const camera of made.cameras) {
    const seen = [...camera.right, ...camera.down, ...camera.forward] as unknown as Mat3;
    const rotation = mulMat3(expSO3([0.002 * n(), 0.002 * n(), 0.002 * n()]), seen);
    r.poses[r.obs.frames.indexOf(camera.frame)] = { rotation, translation: mulMatVec(rotation, camera.position as Vec3).map((v) => 0.004 * n() - v) as unknown as Vec3 };
  }
  r.obs.trackIds.forEach((id, t) => (r.points[t] = points.find((p) => p.id === id)!.at.map((v) => v + 0.02 * n()) as unknown as Vec3));
  return r.toBundle();
}
const huberPx = 3 * NOISE_PX;
/** By how many sigmas of all unknowns together a bundle of this cost is off: twice what is left of it is their square. */
const offSigmas = (cost: number, floor: number, count: number): number => Math.sqrt((2 * Math.max(0, cost - floor)) / (floor / count));

test.each(Object.keys(WAYS))('what has settled goes on by some hundredths of a sigma, and its focal length is where hundreds of further rounds end, %s', (way) => {
  for (let seed = 1; seed <= draws(20, 3); seed += 1)
    for (const focalBy of [0.9, 1, 1.12]) {
      const { problem, state } = bundle(WAYS[way], seed, focalBy);
      const count = problem.camera.length;
      const settled = adjust(problem, state, { huberPx, maxIterations: 160, costTolerance: 1e-3 / count, settle: true });
      expect(settled.reason).toBe('settled');
      const next = adjust(problem, settled.state, { huberPx, maxIterations: 1, costTolerance: 0, settle: true });
      expect(offSigmas(settled.finalCost, next.finalCost, count)).toBeLessThan(0.05);
      const floor = adjust(problem, settled.state, { huberPx, maxIterations: 400, costTolerance: 1e-15 });
      const sigmaMm = NOISE_PX * Math.sqrt(BundleCovariance.compute(problem, settled.state, huberPx)!.focalVariance());
      expect(Math.abs(settled.state.focalMm - floor.state.focalMm)).toBeLessThan(0.04 * sigmaMm);
    }
});

test.each([1e-3, 1e-4, 1e-5])('one more round after a cost that falls by no more than %p of it wins hardly more than that', (costTolerance) => {
  for (const way of Object.values(WAYS))
    for (let seed = 1; seed <= draws(20, 3); seed += 1) {
      const { problem, state } = bundle(way, seed, 1);
      const ended = adjust(problem, state, { huberPx, costTolerance });
      expect(ended.reason).toBe('cost');
      const next = adjust(problem, ended.state, { huberPx, maxIterations: 1 });
      expect(ended.finalCost - next.finalCost).toBeLessThan(2 * costTolerance * ended.finalCost);
    }
});
