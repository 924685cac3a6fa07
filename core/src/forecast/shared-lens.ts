import { inverse, Matrix } from 'ml-matrix';
import { bendEnds } from '../optics';
import type { InformationResult } from './information';
import type { ForecastPlan } from './plan';

/** What all frames share of the lens: one focal length, then how it bends; of a zoom that at either end, and between them in the proportion of the focal length. */
export interface SharedLens {
  /** how many unknowns it is */
  size: number;
  focal: boolean;
  /** of each coefficient how much of it is in each frame */
  ends: Float64Array[];
  /** of each unknown what is known before, one standard deviation */
  priors: number[];
}

/** What is known of a focal length before: of one that is free no more than that it is one, which keeps what no move tells from being anything. */
export const focalBefore = ({ mode, sigmaMm }: ForecastPlan['focal'], effectiveMm: number): number => (mode === 'guided' ? sigmaMm : effectiveMm);

export function lensShared({ focal, frames, bend }: ForecastPlan): SharedLens {
  const shared = focal.mode !== 'held' && !focal.perFrame;
  const ends = bend === null ? [] : bendEnds(frames.map((f) => f.effectiveMm));
  return { size: (shared ? 1 : 0) + ends.length, focal: shared, ends, priors: [...(shared ? [focalBefore(focal, frames[0].effectiveMm)] : []), ...ends.map(() => bend!.sigmaAtCorner)] };
}

/**
 * The same forecast when the coefficients of the bend are known otherwise: what is left of them goes into everything else as it follows them.
 * Source  conditional normal distribution, C − C_b C_bb⁻¹ C_bᵀ, for what a plate says; what is then put back is a considered parameter, one that is left out of
 *         the estimate and yet counts (Tapley, Schutz, Born, Statistical Orbit Determination, 2004, sec. 6.2).
 * @param sigma one standard deviation of each coefficient; 0: a plate says it
 */
export function withBend(info: InformationResult, sigma: number): InformationResult {
  const { sharedSize: n, lens } = info;
  const ends = lens.ends.length;
  const at = Array.from({ length: ends }, (_, e) => n - ends + e);
  const joint = new Matrix(at.map((r) => at.map((c) => info.covariance[r * n + c])));
  const columns = new Matrix(Array.from({ length: n }, (_, i) => at.map((c) => info.covariance[i * n + c])));
  // how everything follows the coefficients; each follows itself
  const follows = columns.mmul(inverse(joint));
  const change = follows
    .mmul(
      Matrix.eye(ends)
        .mul(sigma ** 2)
        .sub(joint),
    )
    .mmul(follows.transpose());
  return { ...info, covariance: info.covariance.map((v, i) => v + change.get(Math.floor(i / n), i % n)) };
}
