import type { GrayImage } from './gray-image';

/** A corner rests when it moves by less: a tenth of the noise of the best plates. */
const RESTS_PX = 0.002;

/**
 * Sub-pixel place of a chequer corner: the point to which all gradients of its surroundings are orthogonal.
 * Model    minimises Σ w(p) (∇I(p)·(p − c))² over a round window that follows c; closed form in c, repeated until it rests.
 * Source   Förstner & Gülch, A fast operator for detection and precise location of distinct points, ISPRS 1987.
 * Limits   The window must end before the next edge: radius at most half the cell less the blur.
 * @param image smoothed picture; @returns false when the window leaves the picture, is flat, or the point wanders off
 */
export function refineCorner(image: GrayImage, corner: { x: number; y: number }, radiusPx: number, maxShiftPx: number): boolean {
  const { widthPx: w, heightPx: h, data } = image;
  let [x, y] = flatPlace(image, corner.x, corner.y);
  const r2max = radiusPx * radiusPx;
  for (let iteration = 0; iteration < 8; iteration += 1) {
    const x0 = Math.ceil(x - 0.5 - radiusPx);
    const x1 = Math.floor(x - 0.5 + radiusPx);
    const y0 = Math.ceil(y - 0.5 - radiusPx);
    const y1 = Math.floor(y - 0.5 + radiusPx);
    if (x0 < 1 || y0 < 1 || x1 > w - 2 || y1 > h - 2) return false;
    let a = 0,
      b = 0,
      c = 0,
      d = 0,
      e = 0;
    for (let py = y0; py <= y1; py += 1) {
      const dy = py + 0.5 - y;
      for (let px = x0; px <= x1; px += 1) {
        const dx = px + 0.5 - x;
        const q = (dx * dx + dy * dy) / r2max;
        if (q >= 1) continue;
        // falls to zero at the rim, so that pixels entering the window do not make the point jump
        const weight = (1 - q) * (1 - q);
        const i = py * w + px;
        const gx = data[i + 1] - data[i - 1];
        const gy = data[i + w] - data[i - w];
        const gxx = weight * gx * gx;
        const gxy = weight * gx * gy;
        const gyy = weight * gy * gy;
        a += gxx;
        b += gxy;
        c += gyy;
        d += gxx * dx + gxy * dy;
        e += gxy * dx + gyy * dy;
      }
    }
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
function flatPlace({ widthPx: w, heightPx: h, data }: GrayImage, x: number, y: number): [number, number] {
  const px = Math.floor(x);
  const py = Math.floor(y);
  if (px < 1 || py < 1 || px > w - 2 || py > h - 2) return [x, y];
  const i = py * w + px;
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
