import type { Pyramid } from './pyramid';

/** Half of the window that is followed, px of each level. */
const HALF_PX = 7;
const SIDE = 2 * HALF_PX + 1;
const PIXELS = SIDE * SIDE;
const ITERATIONS = 10;
const SETTLED_PX = 0.02;
/** At a coarse level, px of it: the next one goes on from there. */
const COARSE_PX = 0.1;
/** Smaller eigenvalue of the mean g gᵀ below which a window holds nothing to go by at a level, grey levels². */
const LEAST_STRUCTURE = 0.4;

const template = new Float32Array(PIXELS);
const gradX = new Float32Array(PIXELS);
const gradY = new Float32Array(PIXELS);
const window = new Float32Array((SIDE + 2) * (SIDE + 2));

/**
 * A window of a level about a place, bilinear, row by row; beyond the border the last pixel goes on.
 * @param out side × side numbers
 */
function cut(level: Pyramid['levels'][number], xPx: number, yPx: number, side: number, out: Float32Array): void {
  const { widthPx: w, heightPx: h, data } = level;
  const fx = xPx - 0.5 - (side - 1) / 2;
  const fy = yPx - 0.5 - (side - 1) / 2;
  const x0 = Math.floor(fx);
  const y0 = Math.floor(fy);
  const [ax, ay] = [fx - x0, fy - y0];
  const [w00, w10, w01, w11] = [(1 - ax) * (1 - ay), ax * (1 - ay), (1 - ax) * ay, ax * ay];
  if (x0 >= 0 && y0 >= 0 && x0 + side < w && y0 + side < h) {
    for (let j = 0, o = 0; j < side; j += 1) {
      let i = (y0 + j) * w + x0;
      for (let k = 0; k < side; k += 1, i += 1, o += 1) out[o] = w00 * data[i] + w10 * data[i + 1] + w01 * data[i + w] + w11 * data[i + w + 1];
    }
    return;
  }
  const inside = (v: number, size: number) => (v < 0 ? 0 : v >= size ? size - 1 : v);
  for (let j = 0, o = 0; j < side; j += 1) {
    const r0 = inside(y0 + j, h) * w;
    const r1 = inside(y0 + j + 1, h) * w;
    for (let k = 0; k < side; k += 1, o += 1) {
      const c0 = inside(x0 + k, w);
      const c1 = inside(x0 + k + 1, w);
      out[o] = w00 * data[r0 + c0] + w10 * data[r0 + c1] + w01 * data[r1 + c0] + w11 * data[r1 + c1];
    }
  }
}

/** Σ e·gx, Σ e·gy and Σ e, with e what is seen less the template. */
const misfit = new Float64Array(3);

/** Writes `misfit` for the window about a place: without cutting it out first where all of it lies in the picture. */
function compare(level: Pyramid['levels'][number], xPx: number, yPx: number): void {
  const { widthPx: w, heightPx: h, data } = level;
  const x0 = Math.floor(xPx - 0.5) - HALF_PX;
  const y0 = Math.floor(yPx - 0.5) - HALF_PX;
  if (x0 >= 0 && y0 >= 0 && x0 + SIDE < w && y0 + SIDE < h) compareInside(data, w, y0 * w + x0, xPx - 0.5 - HALF_PX - x0, yPx - 0.5 - HALF_PX - y0);
  else {
    cut(level, xPx, yPx, SIDE, window);
    compareCut();
  }
}

/** @param first index of the upper left pixel; `ax` and `ay` are how far the window lies beyond it, px */
function compareInside(data: Float32Array, w: number, first: number, ax: number, ay: number): void {
  const w00 = (1 - ax) * (1 - ay);
  const w10 = ax * (1 - ay);
  const w01 = (1 - ax) * ay;
  const w11 = ax * ay;
  let bx = 0,
    by = 0,
    total = 0;
  for (let j = 0, o = 0, row = first; j < SIDE; j += 1, row += w) {
    let left = w00 * data[row] + w01 * data[row + w];
    for (let i = row + 1; i <= row + SIDE; i += 1, o += 1) {
      const upper = data[i];
      const lower = data[i + w];
      const e = left + w10 * upper + w11 * lower - template[o];
      left = w00 * upper + w01 * lower;
      bx += e * gradX[o];
      by += e * gradY[o];
      total += e;
    }
  }
  misfit[0] = bx;
  misfit[1] = by;
  misfit[2] = total;
}

function compareCut(): void {
  let bx = 0,
    by = 0,
    total = 0;
  for (let o = 0; o < PIXELS; o += 1) {
    const e = window[o] - template[o];
    bx += e * gradX[o];
    by += e * gradY[o];
    total += e;
  }
  misfit[0] = bx;
  misfit[1] = by;
  misfit[2] = total;
}

/** Σ gx², Σ gx·gy, Σ gy², Σ gx and Σ gy. */
const slopes = new Float64Array(5);

/** Template and gradients of what was cut out with a pixel on every side, and the sums of them. */
function takeTemplate(): void {
  let xx = 0,
    xy = 0,
    yy = 0,
    sx = 0,
    sy = 0;
  for (let j = 0, o = 0; j < SIDE; j += 1)
    for (let k = 0, i = (j + 1) * (SIDE + 2) + 1; k < SIDE; k += 1, i += 1, o += 1) {
      const gx = (window[i + 1] - window[i - 1]) / 2;
      const gy = (window[i + SIDE + 2] - window[i - SIDE - 2]) / 2;
      template[o] = window[i];
      gradX[o] = gx;
      gradY[o] = gy;
      sx += gx;
      sy += gy;
      xx += gx * gx;
      xy += gx * gy;
      yy += gy * gy;
    }
  slopes[0] = xx;
  slopes[1] = xy;
  slopes[2] = yy;
  slopes[3] = sx;
  slopes[4] = sy;
}

/**
 * Where a window about a place of one frame has gone in another: coarse to fine, a shift alone, brightness as a whole left free.
 * Source   Lucas & Kanade 1981 over a pyramid (Bouguet 2000); the template's gradients serve all rounds (Baker & Matthews, IJCV 2004).
 * @param guess shift expected, px of the full size
 * @param coarsest level at which it begins; where the guess is good a fine one saves most of the work
 * @param out the place in `to`, px
 * @returns false where there is nothing to go by, or the search did not settle at the full size
 */
export function flow(from: Pyramid, to: Pyramid, xPx: number, yPx: number, guess: readonly [number, number], out: Float64Array, coarsest = Infinity): boolean {
  let [dx, dy] = guess;
  let settled = false;
  for (let l = Math.min(from.levels.length - 1, to.levels.length - 1, coarsest); l >= 0; l -= 1) {
    const scale = 2 ** l;
    const [x, y] = [xPx / scale, yPx / scale];
    cut(from.levels[l], x, y, SIDE + 2, window);
    takeTemplate();
    const sx = slopes[3];
    const sy = slopes[4];
    // a brightness that is free takes the mean of the gradients with it
    const xx = slopes[0] - (sx * sx) / PIXELS;
    const xy = slopes[1] - (sx * sy) / PIXELS;
    const yy = slopes[2] - (sy * sy) / PIXELS;
    const det = xx * yy - xy * xy;
    const half = (xx + yy) / 2;
    if (half - Math.sqrt(Math.max(0, half * half - det)) < LEAST_STRUCTURE * PIXELS) {
      if (l === 0) return false;
      continue;
    }
    let u = dx / scale;
    let v = dy / scale;
    settled = false;
    for (let round = 0; round < ITERATIONS && !settled; round += 1) {
      compare(to.levels[l], x + u, y + v);
      const bx = misfit[0] - (misfit[2] * sx) / PIXELS;
      const by = misfit[1] - (misfit[2] * sy) / PIXELS;
      const stepX = (yy * bx - xy * by) / det;
      const stepY = (xx * by - xy * bx) / det;
      u -= stepX;
      v -= stepY;
      settled = stepX * stepX + stepY * stepY < (l === 0 ? SETTLED_PX * SETTLED_PX : COARSE_PX * COARSE_PX);
      if (!(Math.abs(u * scale - dx) < 64 * scale && Math.abs(v * scale - dy) < 64 * scale)) return false;
    }
    dx = u * scale;
    dy = v * scale;
  }
  out[0] = xPx + dx;
  out[1] = yPx + dy;
  return settled && Number.isFinite(dx + dy);
}
