import type { PictureGeometry } from './picture-geometry';

/**
 * How a lens bends that nobody measured, as one radial coefficient that is counted as the share of its distance from the middle by which the corner of the
 * picture moves: what a solve, a forecast and a line-up of one picture mean by it.
 */

/** From the middle of the picture to its corner, mm on the sensor. */
export const cornerMm = ({ widthPx, heightPx, pxPerMmX, pxPerMmY }: PictureGeometry): number => Math.hypot(widthPx / pxPerMmX, heightPx / pxPerMmY) / 2;

/** By what share of its distance from the middle a place of the sensor moves when the corner moves by all of its own. */
export const bendShare = (xMm: number, yMm: number, toCornerMm: number): number => (xMm * xMm + yMm * yMm) / toCornerMm ** 2;

/** A focal length that changes by less than this share breathes, and bends as one. */
const ZOOM_SHARE = 0.02;

/** A lens bends by one coefficient, a zoom by one at either end: of each how much is in each frame, in the proportion of its focal length. */
export function bendEnds(focals: readonly number[]): Float64Array[] {
  const [shortest, longest] = [Math.min(...focals), Math.max(...focals)];
  if (longest < (1 + ZOOM_SHARE) * shortest) return [Float64Array.from(focals, () => 1)];
  const share = Float64Array.from(focals, (v) => (v - shortest) / (longest - shortest));
  return [share.map((v) => 1 - v), share];
}
