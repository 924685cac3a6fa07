import type { SmoothedPicture } from '../picture';

/** A corner rests when it moves by less: a quarter of the noise of the best plates. */
const RESTS_PX = 0.004;

/** The smoothing mirrors the picture at its border: pixels nearer than this are not the subject's. */
const BORDER_PX = 2;
/** A corner needs some of its surroundings on every side. */
const NEAREST_PX = 5;

/**
 * Sub-pixel place of a chequer corner: the point to which all gradients of its surroundings are orthogonal.
 * Model    minimises Σ w(p) (∇I(p)·(p − c))² over a round window that follows c; closed form in c, repeated until it rests.
 * Source   Förstner & Gülch, A fast operator for detection and precise location of distinct points, ISPRS 1987.
 * Limits   The window must end before the next edge, which is a whole cell away: radius at most the cell less the blur's reach.
 * @returns false when the point lies at the picture's border, the window is flat, or the point wanders off
 */
export function refineCorner(picture: SmoothedPicture, corner: { x: number; y: number }, radiusPx: number, maxShiftPx: number, flat = false): boolean {
  const { widthPx: w, heightPx: h } = picture;
  let [x, y] = flatPlace(picture, corner.x, corner.y, radiusPx);
  for (let iteration = 0; iteration < 8; iteration += 1) {
    if (x < NEAREST_PX || y < NEAREST_PX || x > w - NEAREST_PX || y > h - NEAREST_PX) return false;
    // each pixel of an edge speaks for itself: a window that the picture's border cuts off is smaller, not wrong. The weight falls to zero
    // at the rim, so that pixels entering the window do not make the point jump; flat inside, where (1 − q)² threw away a quarter of the
    // precision
    const sums = picture.structureAt(x, y, radiusPx, BORDER_PX, flat);
    const a = sums[0],
      b = sums[1],
      c = sums[2],
      d = sums[3],
      e = sums[4];
    const det = a * c - b * b;
    if (!(det > 1e-3 * (a + c) * (a + c) * 0.25)) return false;
    const sx = (c * d - b * e) / det;
    const sy = (a * e - b * d) / det;
    x += sx;
    y += sy;
    if (Math.hypot(x - corner.x, y - corner.y) > maxShiftPx) return false;
    if (sx * sx + sy * sy < RESTS_PX * RESTS_PX) break;
  }
  corner.x = x;
  corner.y = y;
  return true;
}

/**
 * Where the quadratic through the pixel's neighbourhood is flat: a start within a tenth of a pixel of the corner, which saves half of the
 * rounds over the whole window. The point itself when that lies more than a pixel off.
 */
function flatPlace(picture: SmoothedPicture, x: number, y: number, radiusPx: number): [number, number] {
  const px = Math.floor(x);
  const py = Math.floor(y);
  if (px < 1 || py < 1 || px > picture.widthPx - 2 || py > picture.heightPx - 2) return [x, y];
  // as much as the window needs, so that it is smoothed once
  const { image, x0, y0 } = picture.near(x, y, radiusPx + 1);
  const { widthPx: w, data } = image;
  const i = (py - y0) * w + px - x0;
  const gx = (data[i + 1] - data[i - 1]) / 2;
  const gy = (data[i + w] - data[i - w]) / 2;
  const xx = data[i + 1] + data[i - 1] - 2 * data[i];
  const yy = data[i + w] + data[i - w] - 2 * data[i];
  const xy = (data[i + w + 1] - data[i + w - 1] - data[i - w + 1] + data[i - w - 1]) / 4;
  const det = xx * yy - xy * xy;
  const nx = px + 0.5 - (yy * gx - xy * gy) / det;
  const ny = py + 0.5 - (xx * gy - xy * gx) / det;
  return Math.hypot(nx - x, ny - y) <= 1 ? [nx, ny] : [x, y];
}
