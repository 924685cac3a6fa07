import { inverse, Matrix } from 'ml-matrix';
import type { AnchorInput } from './anchor-solve';
import { misfitsOf, type FactSpread } from './fact-spread';
import type { ScalarFact } from './facts';
import { LEFT_OUT_VARIANCE_M2, type FactFit } from './fit-facts';
import { pseudoInverse7, symmetrise } from './pseudo-inverse';

/** What the facts say of the focal length, without what the tracks or a record say of it. */
export interface FocalTold {
  /** to be added to the solve's, mm */
  offMm: number;
  sigmaMm: number;
  /** surveyed places among the facts that were kept */
  places: number;
  /** misfit of the facts with that focal length, in their own sigmas squared, and how many of them are left to make it */
  misfit: number;
  freedom: number;
}

/**
 * With another focal length the same tracks make a world of another shape: flatter or deeper along the line of sight. Places that were measured say which
 * one is true, however little the move of the camera does.
 * Model    m(δ) = m + j δ + H θ + e: misfits of the facts, how they follow the focal length when everything else is adjusted to it (the solve's own
 *          regression, C_yf / C_ff), the seven directions of the world, and noise of the facts and of what the solve knows of them at a given focal
 *          length, C_yy − C_yf C_fy / C_ff. Least squares in δ and θ. What is known of the focal length otherwise takes no part.
 * Source   Partitioned least squares: Förstner & Wrobel, Photogrammetric Computer Vision (2016), sec. 4.2.6.
 * @param focalVariance of the solve's focal length, mm²
 * @returns null where it is held, or the facts say nothing of it
 */
export function focalTold(input: AnchorInput, list: readonly ScalarFact[], fit: FactFit, spread: FactSpread, focalVariance: number, isOut: (fact: number) => boolean): FocalTold | null {
  if (!(focalVariance > 0) || list.length === 0 || spread.focal.length === 0) return null;
  const kept = list.flatMap((_, i) => (isOut(i) ? [] : [i]));
  const freedom = kept.length - 8;
  if (freedom < 1) return null;
  const along = Matrix.columnVector(spread.focal.map((c) => c / focalVariance));
  const own = spread.inner.clone().sub(along.mmul(along.transpose()).mul(focalVariance));
  list.forEach((f, i) => own.set(i, i, own.get(i, i) + f.sigmaM ** 2 + (isOut(i) ? LEFT_OUT_VARIANCE_M2 : 0)));
  const weight = inverse(symmetrise(own));
  const { design } = fit;
  const weighed = weight.mmul(design);
  const projected = weight.clone().sub(weighed.mmul(pseudoInverse7(design.transpose().mmul(weighed))).mmul(weighed.transpose()));
  const m = Matrix.columnVector(misfitsOf(input, list, fit.similarity));
  const pull = projected.mmul(along);
  const information = along.dot(pull);
  if (!(information > 0)) return null;
  const offMm = -m.dot(pull) / information;
  const misfit = m.dot(projected.mmul(m)) - information * offMm * offMm;
  if (!Number.isFinite(offMm) || !Number.isFinite(misfit)) return null;
  const places = new Set(kept.flatMap((i) => (list[i].kind === 'surveyed' ? [list[i].group] : []))).size;
  return { offMm, sigmaMm: 1 / Math.sqrt(information), places, misfit: Math.max(0, misfit), freedom };
}
