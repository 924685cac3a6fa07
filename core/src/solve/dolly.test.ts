import { draws, simulateShot, uniform } from '@mesure/synthetic';
import { mulMatVec, type Mat3, type Vec3 } from '../math';
import { solveTracks, type SolveSetup } from '.';
import { buildObservations } from './observations';
import { Reconstruction } from './reconstruction';
import { readSolveSetup } from './setup';

const TRUE_MM = 27;
const NOISE_PX = 0.4;
const setup = (mm: number): SolveSetup => ({ image: { width: 2048, height: 1080 }, sensor: { widthMm: 24, heightMm: 12.66 }, focal: { mode: 'free', mm }, distortion: { mode: 'none' } });

/** A dolly on a straight rail that hardly turns: by so much as it does the focal length is seen at all, and depth trades off with it along a flat valley. */
function dolly(seed: number) {
  const u = uniform(seed);
  const points = Array.from({ length: 110 }, (_, i) => ({ id: `m${i}`, at: [-3.5 + 7 * u(), i % 3 ? 2.6 * u() : 0, -6 + 3.6 * u()] as [number, number, number] }));
  const scene = { widthPx: 2048, heightPx: 1080, focalMm: TRUE_MM, sensorWidthMm: 24, sensorHeightMm: 12.66, frames: 48, noisePx: NOISE_PX, seed, points };
  return { ...simulateShot({ ...scene, path: (t) => [-0.8 + 1.6 * t, 1.3, 1.5], aim: (t) => [-0.5 + t, 1.1, -4] }), points };
}

/** The floor of the same tracks: an adjustment that began at the truth. */
function floorOf(made: ReturnType<typeof dolly>): { focalMm: number; rmsPx: number } {
  const lens = readSolveSetup(setup(TRUE_MM));
  const r = new Reconstruction(buildObservations(made.tracks, lens.map), lens.map, TRUE_MM, { held: false });
  for (const camera of made.cameras) {
    const f = r.obs.frames.indexOf(camera.frame);
    const rotation = [...camera.right, ...camera.down, ...camera.forward] as unknown as Mat3;
    r.poses[f] = { rotation, translation: mulMatVec(rotation, camera.position as Vec3).map((v) => -v) as unknown as Vec3 };
  }
  r.obs.trackIds.forEach((id, t) => (r.points[t] = made.points.find((p) => p.id === id)!.at));
  // far residuals count as little as in a solve, whose floor it is; down to where nothing moves any more, whatever a solve calls settled
  const { residualPx } = r.adjustAll(3 * NOISE_PX, 300, 1e-14);
  return { focalMm: r.focalMm, rmsPx: Math.sqrt(residualPx.reduce((s, v) => s + v * v, 0) / residualPx.length) };
}

test('a straight dolly ends on the floor of its valley, from whatever focal length it begins', () => {
  for (let seed = 1; seed <= draws(8, 1); seed += 1) {
    const made = dolly(seed);
    const floor = floorOf(made);
    const found = [0.65, 1, 1.3].map((by) => solveTracks(made.tracks, setup(by * TRUE_MM)));
    for (const s of found) {
      expect(s.status).toBe('solved');
      expect(s.rmsPx! / floor.rmsPx).toBeLessThan(1.002);
      // one answer, and the one that the tracks have
      expect(Math.abs(s.focalMm! - floor.focalMm)).toBeLessThan(0.1 * s.sigmaFocalMm!);
      expect(Math.abs(s.focalMm! - TRUE_MM)).toBeLessThan(4 * s.sigmaFocalMm!);
    }
    console.info(`dolly ${seed}: floor ${floor.focalMm.toFixed(4)} mm, found ${found.map((s) => `${s.focalMm!.toFixed(4)} ± ${s.sigmaFocalMm!.toFixed(4)}`).join(', ')}`);
  }
});
