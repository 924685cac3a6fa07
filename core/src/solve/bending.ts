import type { Distortion } from '../lens';
import { adjust } from './adjust';
import type { BundleProblem, BundleState } from './bundle-problem';
import type { Reconstruction } from './reconstruction';
import type { BendResponse } from './unmeasured-lens';

/** A lens that bends, in a solve that took it as straight. */
export interface Bending {
  /** first radial coefficient that the residuals ask for, normalised by the focal length */
  k1: number;
  /** share of the cost that would remain with it */
  remaining: number;
  /**
   * By how many of its sigmas the focal length would move. Missing: the residuals themselves ask for it. There: cameras and places took it up, and from where
   * they ended nobody knows how much it bends, or to which side
   */
  movesFocal?: number;
}

/** A mild barrel: what is tried to either side. */
const TRIED_K1 = 0.04;
const MOST_K1 = 0.64;
const ITERATIONS = 8;
/** Below it the lens explains what noise and drift do not. */
const EXPLAINS = 0.93;

/**
 * Does the lens bend? The bundle is adjusted again with one radial coefficient, to the side that fits better and twice as strong each time
 * while that pays: cameras and points have taken up most of the bending, so that the residuals alone show a small part of it.
 * Source: score of one further parameter by its profile; Bates & Watts, Nonlinear Regression Analysis (1988), sec. 6.1.
 * @param problem one without distortion
 */
export function bendingSeen(problem: BundleProblem, state: BundleState): Bending | null {
  const costAt = (k1: number, iterations = ITERATIONS) => {
    const distortion: Distortion = { model: 'radial', k: [k1, 0, 0], p: [0, 0] };
    return adjust({ ...problem, lens: { ...problem.lens, distortion } }, state, { maxIterations: iterations, costTolerance: 1e-4 }).finalCost;
  };
  const none = costAt(0);
  if (!(none > 0)) return null;
  const side = costAt(-TRIED_K1) < costAt(TRIED_K1) ? -1 : 1;
  let [k1, best] = [0, none];
  for (let size = TRIED_K1; size <= MOST_K1; size *= 2) {
    const cost = costAt(side * size, 2 * ITERATIONS);
    if (cost >= best) break;
    [k1, best] = [side * size, cost];
  }
  // between what was tried, by the parabola through the best and its neighbours
  if (k1 !== 0) {
    const [inner, outer] = [k1 / 2, 1.5 * k1];
    const [ci, co] = [costAt(inner, 2 * ITERATIONS), costAt(outer, 2 * ITERATIONS)];
    const bend = ci - 2 * best + co;
    const between = bend > 0 ? k1 + (0.5 * (k1 / 2) * (ci - co)) / bend : k1;
    const cost = costAt(between, 2 * ITERATIONS);
    if (cost < best) [k1, best] = [between, cost];
  }
  return best < EXPLAINS * none ? { k1, remaining: best / none } : null;
}

/** Rounds from the floor of the solve, where one more unknown is nearly a matter of one step. */
const FELT_ITERATIONS = 4;
/** Of χ², as far as errors are independent, what the coefficient must take away (five of its sigmas), and of the focal length's, how far it must move it. */
const FELT_PAYS = 25;
const FELT_SIGMAS = 2;
/** To first order it must come to no less than this share of either; a valley that bends makes up to twice as much of it. */
const WORTH_ROUNDS = 0.25;

/**
 * Would a lens that bends change the answer? Cameras and places of a small move take up a bend so well that nothing goes along the tracks, and the
 * focal length is wrong by many of its sigmas: a coefficient that the tracks know is asked for then, and one that moves nothing is not worth a word.
 * @param along how many times the variance is what it would be of independent errors
 * @param told variance of a residual, px², with what goes along the tracks
 * @param sigmaMm of the focal length, which is free
 * @param response what the bundle would do by one coefficient
 */
export function bendFelt(r: Reconstruction, along: number, told: number, sigmaMm: number, { information, asked, moves }: BendResponse): Bending | null {
  const k1 = asked.get(0, 0);
  const wouldWin = (k1 ** 2 * information.get(0, 0)) / told;
  const wouldMove = Math.abs(k1 * moves[0].focal) / sigmaMm;
  if (wouldWin < WORTH_ROUNDS * FELT_PAYS || wouldMove < WORTH_ROUNDS * FELT_SIGMAS) return null;
  const back = r.kept();
  const straight = r.adjustAll(r.huberPx, 0);
  const straightMm = r.focalMm;
  r.freeLens = [...r.freeLens, 'k1'];
  const bent = r.adjustAll(r.huberPx, FELT_ITERATIONS, 1e-6);
  const [{ distortion }, { focalMm }] = [r.lens, r];
  back();
  const remaining = bent.costPerObs / straight.costPerObs;
  const won = (2 * bent.obsOf.length * (1 - remaining)) / along;
  const movesFocal = Math.abs(focalMm - straightMm) / sigmaMm;
  return won > FELT_PAYS && movesFocal > FELT_SIGMAS ? { k1: distortion.model === 'radial' ? distortion.k[0] : 0, remaining, movesFocal } : null;
}
