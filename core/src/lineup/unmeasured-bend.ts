import { USUAL_SIGMA } from '../facts';
import { bendShare, cornerMm } from '../optics';
import type { SolveLens } from '../solve/setup';
import { PICTURE, type Warning } from '../warnings';

/** How the lens of a picture bends that nobody measured: one coefficient (see optics), found with the rest and pulled towards nought by what lenses usually have. */
export interface UnknownBend {
  /** one standard deviation beforehand */
  sigma: number;
  /** from the middle of the picture to its corner, mm on the sensor */
  toCornerMm: number;
}

/** null: a plate or what else was given says how it bends, or that it does not. */
export function bendOf({ unmeasured, geometry }: SolveLens): UnknownBend | null {
  return unmeasured ? { sigma: USUAL_SIGMA.bendAtCorner, toCornerMm: cornerMm(geometry) } : null;
}

/** How many times as far from the middle a place of the sensor is, mm, as a straight lens would put it. */
export const bentBy = (bend: number, xMm: number, yMm: number, { toCornerMm }: UnknownBend): number => 1 + bend * bendShare(xMm, yMm, toCornerMm);

/** A coefficient of so many of its sigmas is one; below it, it may be none. */
const BENDS = 3.5;
/** The lens makes more of what is not known than all else. */
const MOSTLY_LENS = Math.SQRT1_2;

/** What is said of it: that it bends, or how much of the focal length's sigma is its. Everything by the covariance of the fit, `focal` in mm; −1: held. */
export function bendWords(at: { focal: number; bend: number; count: number }, bend: number, covariance: Float64Array, worse: number): Warning[] {
  const c = (i: number, j: number): number => covariance[i * at.count + j];
  const own = Math.sqrt(c(at.bend, at.bend));
  if (Math.abs(bend) > BENDS * worse * own) return [PICTURE.PICTURE_BENDS(100 * bend, 100 * worse * own)];
  if (at.focal < 0) return [];
  const [whole, byLens] = [Math.sqrt(c(at.focal, at.focal)), Math.abs(c(at.focal, at.bend)) / own];
  return byLens > MOSTLY_LENS * whole ? [PICTURE.PICTURE_LENS_UNMEASURED(worse * whole, worse * byLens)] : [];
}
