import { median } from '../math';
import { halve, pixelsOf, rowKernel, smooth, SPARE, type GrayImage, type Taps } from '../picture';

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
  // of two squared normal numbers the median is 2 ln 2 times the variance of one
  const noise = Math.max(median(someSlopes2(data, w, h)) / (2 * Math.LN2), (LEAST_CONTRAST / (2 * WINDOW_PX)) ** 2 / aboveNoise);
  const found = peaksOf(responsesOf(data, w, h), w, h, aboveNoise * noise).map((i): Corner => {
    const x = i.at % w;
    return { x: (x + 0.5) * factor, y: ((i.at - x) / w + 0.5) * factor, strength: i.response / noise };
  });
  return apart(
    found.sort((a, b) => b.strength - a.strength),
    apartPx * factor,
  );
}

// small functions over plain arrays: one that is long and seldom called is never made fast

/** Squared slopes of every thirteenth pixel. */
function someSlopes2(data: Float32Array, w: number, h: number): Float64Array {
  const squares = new Float64Array(Math.ceil((w * h) / 13) + h);
  let n = 0;
  for (let y = 1; y < h - 1; y += 1) {
    // (x + 7 y) is a multiple of 13
    const first = 13 - ((7 * y) % 13);
    for (let x = first; x < w - 1; x += 13) {
      const i = y * w + x;
      const gx = (data[i + 1] - data[i - 1]) / 2;
      const gy = (data[i + w] - data[i - w]) / 2;
      squares[n] = gx * gx + gy * gy;
      n += 1;
    }
  }
  return squares.subarray(0, n);
}

const SIDE = 2 * WINDOW_PX + 1;
/** Places of the scratch rows: three of the picture, the last products xx, xy, yy in three rings, their sums down, their sums along, and the answer. */
const PICTURE = 0;
const PRODUCTS = 3;
const DOWN = PRODUCTS + 3 * SIDE;
const ALONG = DOWN + 3;
const ANSWER = ALONG + 3;
/** All nine of a window count alike. */
const EVENLY: Taps = [1, 1, 1, 1, 1];

/** λ_min of M for each pixel; within a window of the frame's edge it means nothing. */
function responsesOf(data: Float32Array, w: number, h: number): Float32Array {
  const response = new Float32Array(w * h);
  const kernel = rowKernel(w, ANSWER + 1);
  const pixels = pixelsOf(data);
  const { rows } = kernel;
  // what lies beside the rows is read with them
  for (const row of rows) row.fill(0);
  const product = (field: number, y: number) => PRODUCTS + SIDE * field + (y % SIDE);
  const picture = (y: number) => PICTURE + (y % 3);
  for (let y = 0; y < 2; y += 1) kernel.read(picture(y), pixels, y * w, w);
  for (let y = 1; y < h - 1; y += 1) {
    kernel.read(picture(y + 1), pixels, (y + 1) * w, w);
    kernel.slopes([picture(y - 1), picture(y), picture(y + 1)], [product(0, y), product(1, y), product(2, y)]);
    if (y < SIDE) continue;
    for (let field = 0; field < 3; field += 1) {
      const nine = Array.from({ length: SIDE }, (_, i) => product(field, y + 1 + i));
      kernel.down(nine, DOWN + field, EVENLY);
      kernel.across(DOWN + field, ALONG + field, EVENLY);
    }
    kernel.eigen([ALONG, ALONG + 1, ALONG + 2], ANSWER, 1 / (SIDE * SIDE));
    response.set(rows[ANSWER].subarray(SPARE, SPARE + w), (y - WINDOW_PX) * w);
  }
  return response;
}

/** Places above a limit that none of their eight neighbours exceeds, away from the frame's edge. */
function peaksOf(response: Float32Array, w: number, h: number, limit: number): { at: number; response: number }[] {
  const found: { at: number; response: number }[] = [];
  for (let y = 2 * WINDOW_PX; y < h - 2 * WINDOW_PX; y += 1)
    for (let i = y * w + 2 * WINDOW_PX; i < (y + 1) * w - 2 * WINDOW_PX; i += 1) if (response[i] > limit && isPeak(response, w, i)) found.push({ at: i, response: response[i] });
  return found;
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

const COLUMNS = 4;
const ROWS = 3;

/** Count and spread of what a photo offers. */
export function countDetail(image: GrayImage): PictureDetail {
  const corners = findCorners(image);
  const cells = new Set(corners.map((c) => Math.min(COLUMNS - 1, Math.floor((COLUMNS * c.x) / image.widthPx)) + COLUMNS * Math.min(ROWS - 1, Math.floor((ROWS * c.y) / image.heightPx))));
  return { corners: corners.length, spread: cells.size / (COLUMNS * ROWS) };
}
