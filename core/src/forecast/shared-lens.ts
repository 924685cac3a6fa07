import { inverse, Matrix } from 'ml-matrix';
import type { PictureGeometry } from '../optics';
import type { InformationResult } from './information';
import type { ForecastPlan } from './plan';

/** What all frames share of the lens: one focal length, then how it bends; of a zoom that at either end, and between them in the proportion of the focal length. */
export interface SharedLens {
  /** how many unknowns it is */
  size: number;
  focal: boolean;
  /** of each coefficient how much of it is in each frame */
  ends: Float64Array[];
  /** of each unknown what is known before; null: nothing */
  priors: (number | null)[];
}

export function lensShared({ focal, frames, bend }: ForecastPlan): SharedLens {
  const shared = focal.mode !== 'held' && !focal.perFrame;
  const ends = bend === null ? [] : endsOf(frames.map((f) => f.effectiveMm));
  return { size: (shared ? 1 : 0) + ends.length, focal: shared, ends, priors: [...(shared ? [focal.mode === 'guided' ? focal.sigmaMm : null] : []), ...ends.map(() => bend!.sigmaAtCorner)] };
}

/** A focal length that changes by less than this share breathes, and bends as one. */
const ZOOM_SHARE = 0.02;
function endsOf(mm: readonly number[]): Float64Array[] {
  const [shortest, longest] = [Math.min(...mm), Math.max(...mm)];
  if (longest < (1 + ZOOM_SHARE) * shortest) return [Float64Array.from(mm, () => 1)];
  const share = mm.map((v) => (v - shortest) / (longest - shortest));
  return [Float64Array.from(share, (v) => 1 - v), Float64Array.from(share)];
}

/** By what share of its distance from the middle a place moves that stands at a, b before the camera, for a bend that moves the corner by all of its own. */
export function bendSlope(geometry: PictureGeometry, effectiveMm: number, a: number, b: number): number {
  const cornerMm = Math.hypot(geometry.widthPx / geometry.pxPerMmX, geometry.heightPx / geometry.pxPerMmY) / 2;
  return ((effectiveMm * a) ** 2 + (effectiveMm * b) ** 2) / cornerMm ** 2;
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
