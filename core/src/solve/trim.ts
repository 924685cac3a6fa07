import { sigmaFromMedianRadius } from '../estimate';
import { median } from '../math';
import type { TrimPreview } from './result';

/** Beyond so many one-axis sigmas of the others a place is left out. */
const TRIM_SIGMAS = 3;
const LEAST_NOISE_PX = 1e-3;

/** @param radiusPx how far each place is off, px */
export const trimLimitPx = (radiusPx: ArrayLike<number>): number => TRIM_SIGMAS * Math.max(sigmaFromMedianRadius(median(Array.from(radiusPx))), LEAST_NOISE_PX);

/** What lies beyond the limit of a trim now; the trim itself adjusts after each round, and may leave out a few more. */
export function trimWould(radiusPx: Float64Array, track: ArrayLike<number>): TrimPreview {
  const limitPx = trimLimitPx(radiusPx);
  const tracks = new Set<number>();
  let [kept, sum] = [0, 0];
  radiusPx.forEach((e, i) => {
    if (e > limitPx) tracks.add(track[i]);
    else {
      kept += 1;
      sum += e * e;
    }
  });
  return { places: radiusPx.length - kept, of: radiusPx.length, tracks: tracks.size, limitPx, restRmsPx: Math.sqrt(sum / Math.max(1, kept)) };
}
