import { bendingSeen } from './bending';
import { reprofile } from './observations';
import type { LensUnknown } from './bundle-problem';
import type { Reconstruction } from './reconstruction';
import type { SolveLens } from './setup';

const BENDS: readonly LensUnknown[] = ['k1', 'k2'];
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
  const others = r.freeLens.filter((name) => !BENDS.includes(name));
  const bends = r.freeLens.length - others.length;
  if (r.lensPriors.k1) {
    // known beforehand, as edges or a plate of another setting tell it: no stage is needed
    r.freeLens = [...BENDS.filter((name) => r.lensPriors[name]), ...others];
    r.adjustAll(Math.max(1e-3, 3 * r.noisePx), ITERATIONS, 1e-6);
    return ITERATIONS;
  }
  if (straight && bends === 0) {
    const { problem, state } = r.toBundle();
    const seen = bendingSeen(problem, state);
    if (seen) r.bendBy([seen.k1]);
  }
  r.freeLens = [...BENDS.slice(0, Math.max(1, bends)), ...others];
  const huberPx = Math.max(1e-3, 3 * r.noisePx);
  const one = r.adjustAll(huberPx, ITERATIONS, 1e-6);
  if (bends > 1) return ITERATIONS;
  const before = { poses: [...r.poses], points: [...r.points], focalMm: r.focalMm, lens: r.lens, profile: r.obs.profile.slice() };
  const cost = one.costPerObs * one.obsOf.length;
  r.freeLens = [...BENDS.slice(0, 2), ...others];
  const two = r.adjustAll(huberPx, ITERATIONS, 1e-6);
  const won = (2 * (cost - two.costPerObs * two.obsOf.length)) / Math.max(1e-6, cost / one.obsOf.length);
  if (won > PAYS) return 2 * ITERATIONS;
  // the second says nothing: back to one, which widens no sigma
  r.freeLens = [...BENDS.slice(0, 1), ...others];
  before.poses.forEach((p, f) => (r.poses[f] = p));
  before.points.forEach((p, t) => (r.points[t] = p));
  r.focalMm = before.focalMm;
  if (before.lens.distortion.model === 'radial') r.bendBy(before.lens.distortion.k);
  reprofile(r.obs, before.profile);
  return 2 * ITERATIONS;
}

/**
 * Principal point and shape of a pixel beside everything else, last, where the rest stands already: each with what is known of it beforehand, since
 * a turn of the camera hides nearly all of a shift of the centre.
 * @returns rounds that it took
 */
export function freeRest(r: Reconstruction, lens: SolveLens): number {
  r.freeLens = [...r.freeLens, ...lens.alsoFree.filter((name) => !r.freeLens.includes(name))];
  r.adjustAll(Math.max(1e-3, 3 * r.noisePx), ITERATIONS, 1e-6);
  return ITERATIONS;
}
