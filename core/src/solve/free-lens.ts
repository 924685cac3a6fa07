import { bendingSeen } from './bending';
import type { LensUnknown } from './bundle-problem';
import type { Reconstruction } from './reconstruction';
import type { SolveLens } from './setup';

const BENDS: readonly LensUnknown[] = ['k1', 'k2'];
const ITERATIONS = 25;
/** Of χ², what a second coefficient must take away. */
const PAYS = 8;
/** And what a principal point that nobody asked for must: about three and a half of its sigmas, across or down. */
const UNASKED_PAYS = 16;

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
  const toOne = r.kept();
  const cost = one.costPerObs * one.obsOf.length;
  r.freeLens = [...BENDS.slice(0, 2), ...others];
  const two = r.adjustAll(huberPx, ITERATIONS, 1e-6);
  const won = (2 * (cost - two.costPerObs * two.obsOf.length)) / Math.max(1e-6, cost / one.obsOf.length);
  if (won > PAYS) return 2 * ITERATIONS;
  // the second says nothing: back to one, which widens no sigma
  toOne();
  return 2 * ITERATIONS;
}

/**
 * Principal point and shape of a pixel beside everything else, last, where the rest stands already: each with what is known of it beforehand, since
 * a turn of the camera hides nearly all of a shift of the centre. What nobody asked for is found where it pays, and stays as it was where it does not:
 * a little of it that is none would be extrapolated to the whole picture.
 * @returns rounds that it took
 */
export function freeRest(r: Reconstruction, lens: SolveLens): number {
  const huberPx = Math.max(1e-3, 3 * r.noisePx);
  const asked = lens.alsoFree.filter((name) => !lens.unasked.includes(name));
  const found = r.freeLens;
  const free = (names: readonly LensUnknown[]): number => {
    r.freeLens = [...found, ...names.filter((name) => !found.includes(name))];
    const { costPerObs, obsOf } = r.adjustAll(huberPx, ITERATIONS, 1e-6);
    return costPerObs * obsOf.length;
  };
  if (lens.unasked.every((name) => found.includes(name))) {
    free(lens.alsoFree);
    return ITERATIONS;
  }
  const without = free(asked);
  const back = r.kept();
  const won = (2 * (without - free(lens.alsoFree))) / Math.max(1e-6, without / r.obs.count, r.noisePx ** 2);
  if (won < UNASKED_PAYS) back();
  return 2 * ITERATIONS;
}
