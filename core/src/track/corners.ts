import { median } from '../math';
import { halve, smooth, type GrayImage } from '../picture';

/** Where a picture has structure in two directions, so that a tracker can hold on to it. */
export interface Corner {
  /** of the given picture, px */
  x: number;
  y: number;
  /** smaller eigenvalue of the structure tensor over the noise's own, at least 1 */
  strength: number;
}

/** What a photo of a set offers a tracker. */
export interface PictureDetail {
  corners: number;
  /** share of the frame's cells (4 × 3) that hold a corner, 0…1 */
  spread: number;
}

export interface CornerOptions {
  /** corners closer than this to a stronger one are left out, px of the searched picture; default 16 */
  apartPx?: number;
  /** how far the response must stand above that of noise; default 12 */
  aboveNoise?: number;
}
const APART_PX = 16;
const ABOVE_NOISE = 12;
/** The search is made in a picture of about this size: finer detail is lost to the first blur of a moving camera. */
const LONG_SIDE_PX = 1600;
/** Half of the window over which gradients are gathered, px. */
const WINDOW_PX = 4;
/** A response of less contrast than this, grey levels, is no corner even in a picture without noise. */
const LEAST_CONTRAST = 6;

/**
 * Corners by the smaller eigenvalue of the structure tensor, strongest first, none closer to another than `apartPx`.
 * Model    gradients g of the smoothed picture; M = mean over a window of g gᵀ; response λ_min(M). Pure noise of sigma s gives λ ≈ s_g², the
 *          variance of a gradient, which is taken from the median of the squared gradients (a picture is mostly plain).
 * Source   Shi & Tomasi, Good Features to Track, CVPR 1994.
 */
export function findCorners(image: GrayImage, { apartPx = APART_PX, aboveNoise = ABOVE_NOISE }: CornerOptions = {}): Corner[] {
  let picture = image;
  let factor = 1;
  while (Math.max(picture.widthPx, picture.heightPx) > LONG_SIDE_PX) {
    picture = halve(picture);
    factor *= 2;
  }
  const { widthPx: w, heightPx: h } = picture;
  if (w < 4 * WINDOW_PX || h < 4 * WINDOW_PX) return [];
  const { data } = smooth(picture, 1);
  const xx = new Float32Array(w * h),
    xy = new Float32Array(w * h),
    yy = new Float32Array(w * h);
  const squares: number[] = [];
  for (let y = 1; y < h - 1; y += 1)
    for (let x = 1; x < w - 1; x += 1) {
      const i = y * w + x;
      const gx = (data[i + 1] - data[i - 1]) / 2;
      const gy = (data[i + w] - data[i - w]) / 2;
      xx[i] = gx * gx;
      xy[i] = gx * gy;
      yy[i] = gy * gy;
      if ((x + y * 7) % 13 === 0) squares.push(gx * gx + gy * gy);
    }
  // of two squared normal numbers the median is 2 ln 2 times the variance of one
  const noise = Math.max(median(squares) / (2 * Math.LN2), (LEAST_CONTRAST / (2 * WINDOW_PX)) ** 2 / aboveNoise);
  for (const field of [xx, xy, yy]) boxMean(field, w, h, WINDOW_PX);
  const response = new Float32Array(w * h);
  for (let i = 0; i < response.length; i += 1) {
    const half = (xx[i] + yy[i]) / 2;
    response[i] = half - Math.sqrt(Math.max(0, half * half - (xx[i] * yy[i] - xy[i] * xy[i])));
  }
  const found: Corner[] = [];
  const limit = aboveNoise * noise;
  for (let y = 2 * WINDOW_PX; y < h - 2 * WINDOW_PX; y += 1)
    for (let x = 2 * WINDOW_PX; x < w - 2 * WINDOW_PX; x += 1) {
      const i = y * w + x;
      const r = response[i];
      if (r > limit && isPeak(response, w, i)) found.push({ x: (x + 0.5) * factor, y: (y + 0.5) * factor, strength: r / noise });
    }
  return apart(
    found.sort((a, b) => b.strength - a.strength),
    apartPx * factor,
  );
}

/** Of gravel, leaves and cloth everything is detail, and what is usual in the picture is no noise: corners then stand hardly above it. */
const ALL_DETAIL = 0.5;
const HARDLY_ANY = 24;
/** Slopes of a picture of half the size over its own, squared: noise of single pixels keeps a quarter, what has a size of its own more than it had. */
const HAS_SIZE = 0.6;

/** Corners, strongest first; of a picture in which nearly nothing stands out, those of its texture. One that is plain but for its noise still has none. */
export function cornersOrTexture(image: GrayImage, options: Pick<CornerOptions, 'apartPx'> = {}): Corner[] {
  const standing = findCorners(image, options);
  if (standing.length >= HARDLY_ANY || meanSlope2(halve(image)) < HAS_SIZE * meanSlope2(image)) return standing;
  return findCorners(image, { ...options, aboveNoise: ALL_DETAIL });
}

/** Mean of the squared slopes of every third pixel, lightly smoothed. */
function meanSlope2(image: GrayImage): number {
  const { widthPx: w, heightPx: h, data } = smooth(image, 1);
  let [sum, n] = [0, 0];
  for (let y = 1; y < h - 1; y += 3)
    for (let x = 1; x < w - 1; x += 3) {
      const i = y * w + x;
      sum += (data[i + 1] - data[i - 1]) ** 2 + (data[i + w] - data[i - w]) ** 2;
      n += 1;
    }
  return n === 0 ? 0 : sum / n;
}

function isPeak(response: Float32Array, w: number, i: number): boolean {
  const r = response[i];
  for (let dy = -1; dy <= 1; dy += 1)
    for (let dx = -1; dx <= 1; dx += 1) {
      const j = i + dy * w + dx;
      // on a plateau the first one counts
      if (j !== i && (response[j] > r || (response[j] === r && j < i))) return false;
    }
  return true;
}

/** The strongest ones that keep their distance, found by a raster of cells as wide as the distance. */
function apart(sorted: readonly Corner[], px: number): Corner[] {
  const cells = new Map<string, Corner[]>();
  const kept: Corner[] = [];
  for (const c of sorted) {
    const [cx, cy] = [Math.floor(c.x / px), Math.floor(c.y / px)];
    let free = true;
    for (let dy = -1; dy <= 1 && free; dy += 1) for (let dx = -1; dx <= 1 && free; dx += 1) free = !(cells.get(`${cx + dx},${cy + dy}`) ?? []).some((k) => Math.hypot(k.x - c.x, k.y - c.y) < px);
    if (!free) continue;
    kept.push(c);
    const key = `${cx},${cy}`;
    cells.set(key, [...(cells.get(key) ?? []), c]);
  }
  return kept;
}

/** Mean over a square window of 2 r + 1: running sums along the rows, then rows added and taken away as wholes, so that memory is read in order. */
function boxMean(field: Float32Array, w: number, h: number, r: number): void {
  const across = new Float32Array(w * h);
  for (let y = 0; y < h; y += 1) {
    const row = y * w;
    let sum = 0;
    for (let x = 0; x < Math.min(r, w); x += 1) sum += field[row + x];
    for (let x = 0; x < w; x += 1) {
      if (x + r < w) sum += field[row + x + r];
      if (x - r - 1 >= 0) sum -= field[row + x - r - 1];
      across[row + x] = sum;
    }
  }
  const sums = new Float64Array(w);
  const add = (y: number, sign: number) => {
    const row = y * w;
    for (let x = 0; x < w; x += 1) sums[x] += sign * across[row + x];
  };
  const count = (2 * r + 1) ** 2;
  for (let y = 0; y < Math.min(r, h); y += 1) add(y, 1);
  for (let y = 0; y < h; y += 1) {
    if (y + r < h) add(y + r, 1);
    if (y - r - 1 >= 0) add(y - r - 1, -1);
    const row = y * w;
    for (let x = 0; x < w; x += 1) field[row + x] = sums[x] / count;
  }
}

const COLUMNS = 4;
const ROWS = 3;

/** Count and spread of what a photo offers. */
export function countDetail(image: GrayImage): PictureDetail {
  const corners = findCorners(image);
  const cells = new Set(corners.map((c) => Math.min(COLUMNS - 1, Math.floor((COLUMNS * c.x) / image.widthPx)) + COLUMNS * Math.min(ROWS - 1, Math.floor((ROWS * c.y) / image.heightPx))));
  return { corners: corners.length, spread: cells.size / (COLUMNS * ROWS) };
}
