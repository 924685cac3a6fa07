import { bendingSeen } from './bending';
import { reprofile } from './observations';
import type { Reconstruction } from './reconstruction';

const ITERATIONS = 25;
/** Of χ², what a second coefficient must take away. */
const PAYS = 8;

/**
 * A distortion that nobody measured, found with the rest in stages: first how much the residuals ask for at all, since cameras and points have taken up
 * most of the bending; then k1 free beside everything, then k2 where it pays. Coefficients are over the recorded focal length: a map of the picture.
 * @returns rounds that it took
 */
export function freeLens(r: Reconstruction): number {
  const straight = r.lens.distortion.model === 'radial' && r.lens.distortion.k.every((k) => k === 0);
  if (straight && r.freeLens === 0) {
    const { problem, state } = r.toBundle();
    const seen = bendingSeen(problem, state);
    if (seen) r.bendBy([seen.k1]);
  }
  r.freeLens = Math.max(1, r.freeLens);
  const huberPx = Math.max(1e-3, 3 * r.noisePx);
  const one = r.adjustAll(huberPx, ITERATIONS, 1e-6);
  if (r.freeLens > 1) return ITERATIONS;
  const before = { poses: [...r.poses], points: [...r.points], focalMm: r.focalMm, lens: r.lens, profile: r.obs.profile.slice() };
  const cost = one.costPerObs * one.obsOf.length;
  r.freeLens = 2;
  const two = r.adjustAll(huberPx, ITERATIONS, 1e-6);
  const won = (2 * (cost - two.costPerObs * two.obsOf.length)) / Math.max(1e-6, cost / one.obsOf.length);
  if (won > PAYS) return 2 * ITERATIONS;
  // the second says nothing: back to one, which widens no sigma
  r.freeLens = 1;
  before.poses.forEach((p, f) => (r.poses[f] = p));
  before.points.forEach((p, t) => (r.points[t] = p));
  r.focalMm = before.focalMm;
  if (before.lens.distortion.model === 'radial') r.bendBy(before.lens.distortion.k);
  reprofile(r.obs, before.profile);
  return 2 * ITERATIONS;
}
