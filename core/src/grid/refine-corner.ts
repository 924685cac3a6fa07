import type { SmoothedPicture } from '../picture';
import { saddlePoint } from '../charts';

/** A corner rests when the next step would move it by less: the model that places it in the end starts anywhere within a tenth of a pixel. */
const RESTS_PX = 0.02;
/**
 * Each step is a small part of the one before: 2 to 5 % of it in clean pictures, up to 11 % in soft ones. What the first is followed by is
 * guessed to be more than that; after two the part is known, and half as much again is allowed for.
 */
const SECOND_SHARE = 0.15;
const ALLOWANCE = 1.5;

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
  let [x, y] = startOf(picture, corner, radiusPx);
  let before = Number.NaN;
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
    const step = Math.hypot(sx, sy);
    if (step * (iteration === 0 ? SECOND_SHARE : Math.min(1, (ALLOWANCE * step) / before)) < RESTS_PX) break;
    before = step;
  }
  corner.x = x;
  corner.y = y;
  return true;
}

/** A start within a tenth of a pixel of the corner, which saves half of the rounds over the whole window. */
function startOf(picture: SmoothedPicture, { x, y }: { x: number; y: number }, radiusPx: number): [number, number] {
  // as much as the window needs, so that it is smoothed once
  const { image, x0, y0 } = picture.near(x, y, radiusPx + 1);
  const [fx, fy] = saddlePoint(image, x - x0, y - y0);
  return [x0 + fx, y0 + fy];
}
