import { pixelsOf, rowKernel, SPARE, type Taps } from './row-kernel';

/** One channel, row by row, values 0…255 (8-bit scale whatever the source's depth). */
export interface GrayImage {
  widthPx: number;
  heightPx: number;
  /** bytes where the source has no more: a quarter of the memory is read then, which tells on a 4K picture */
  data: Float32Array | Uint8Array;
}

/** What a picture becomes that is computed with. */
export interface FloatImage extends GrayImage {
  data: Float32Array;
}

/** How far the smoothing reaches. */
export const RADIUS = 4;

/** Half of a Gaussian of up to 1.5 px, its middle first; beyond 4 px it is below 3 % of the middle and left out. */
export function smoothingTaps(sigmaPx: number): Taps {
  if (!(sigmaPx > 0 && sigmaPx <= 1.5)) throw new RangeError(`sigmaPx must be above 0 and at most 1.5, is ${sigmaPx}`);
  const kernel = Float64Array.from({ length: RADIUS + 1 }, (_, i) => Math.exp((-i * i) / (2 * sigmaPx * sigmaPx)));
  const sum = kernel.reduce((total, v, i) => total + (i === 0 ? v : 2 * v), 0);
  const [k0, k1, k2, k3, k4] = kernel;
  return [k0 / sum, k1 / sum, k2 / sum, k3 / sum, k4 / sum];
}

/** Where the pixel beyond the border is taken from: mirrored at it. */
export const mirrored = (at: number, size: number) => Math.min(size - 1, Math.max(0, at < 0 ? -at - 1 : at >= size ? 2 * size - 1 - at : at));

/** Places of the scratch rows: the one read, nine smoothed across that wait in a ring for the pass down, and the answer. */
const READ = 0;
const RING = 1;
const NINE = 2 * RADIUS + 1;
const ANSWER = RING + NINE;

/** Memory of a picture that nobody needs any more, where it has the size; fresh memory of megabytes costs as much as what is done in it. */
const memoryFor = (size: number, spent: Float32Array | undefined): Float32Array => (spent?.length === size ? spent : new Float32Array(size));

/**
 * Gaussian smoothing with mirrored borders. Symmetrical, so it moves no corner.
 * @param spent a picture's numbers that may be written over
 */
export function smooth({ widthPx: w, heightPx: h, data }: GrayImage, sigmaPx: number, spent?: Float32Array): FloatImage {
  const taps = smoothingTaps(sigmaPx);
  const kernel = rowKernel(w, ANSWER + 1);
  const pixels = pixelsOf(data);
  const reading = kernel.rows[READ];
  const answer = kernel.rows[ANSWER].subarray(SPARE, SPARE + w);
  const across = (y: number): void => {
    const row = mirrored(y, h) * w;
    kernel.read(READ, pixels, row, w);
    for (let i = 1; i <= RADIUS; i += 1) {
      reading[SPARE - i] = data[row + mirrored(-i, w)];
      reading[SPARE + w - 1 + i] = data[row + mirrored(w - 1 + i, w)];
    }
    kernel.across(READ, RING + ((y + RADIUS) % NINE), taps);
  };
  const out = memoryFor(w * h, spent);
  const nine = new Array<number>(NINE);
  for (let y = -RADIUS; y < RADIUS; y += 1) across(y);
  for (let y = 0; y < h; y += 1) {
    across(y + RADIUS);
    // the place of row y + i in the ring is (y + i + RADIUS) mod 9
    for (let i = 0; i < NINE; i += 1) nine[i] = RING + ((y + i) % NINE);
    kernel.down(nine, ANSWER, taps);
    out.set(answer, y * w);
  }
  return { widthPx: w, heightPx: h, data: out };
}

/**
 * Half-size picture by 2×2 means. Pixel centres keep their place: full = 2 · half in corner-origin coordinates.
 * @param spent as of `smooth`
 */
export function halve({ widthPx, heightPx, data }: GrayImage, spent?: Float32Array): FloatImage {
  const w = widthPx >> 1;
  const h = heightPx >> 1;
  const out = memoryFor(w * h, spent);
  const kernel = rowKernel(widthPx, 3);
  const pixels = pixelsOf(data);
  const answer = kernel.rows[2].subarray(SPARE, SPARE + w);
  for (let y = 0; y < h; y += 1) {
    for (const i of [0, 1]) kernel.read(i, pixels, (2 * y + i) * widthPx, widthPx);
    kernel.halve(0, 1, 2);
    out.set(answer, y * w);
  }
  return { widthPx: w, heightPx: h, data: out };
}

/**
 * A picture reduced by 2^level for a search: of each row of blocks the two middle rows are read, along them every pixel. Half as much is read
 * as by halving, and on a 4K picture reading is what takes the time. Places are kept: full = 2^level · reduced.
 */
export function glance({ widthPx, heightPx, data }: GrayImage, level: number): GrayImage {
  if (level === 0) return { widthPx, heightPx, data };
  const factor = 2 ** level;
  const w = Math.floor(widthPx / factor);
  const h = Math.floor(heightPx / factor);
  const out = new Float32Array(w * h);
  const kernel = rowKernel(widthPx, 3);
  const pixels = pixelsOf(data);
  const answer = kernel.rows[2].subarray(SPARE, SPARE + w);
  // bytes are summed as they are
  const { bytes } = pixels;
  const quartered = bytes && level >= 2;
  for (let y = 0; y < h; y += 1) {
    const middle = (factor * y + factor / 2 - 1) * widthPx;
    if (quartered) kernel.quarter(bytes, middle, middle + widthPx, widthPx, 2);
    else {
      kernel.read(0, pixels, middle, widthPx);
      kernel.read(1, pixels, middle + widthPx, widthPx);
      kernel.halve(0, 1, 2);
    }
    for (let l = quartered ? 2 : 1; l < level; l += 1) kernel.halve(2, 2, 2);
    out.set(answer, y * w);
  }
  return { widthPx: w, heightPx: h, data: out };
}

/** Bilinear value at pixel coordinates (corner origin: the first pixel's centre is 0.5, 0.5); the caller stays inside. */
export function sampleAt(image: GrayImage, xPx: number, yPx: number): number {
  const fx = xPx - 0.5;
  const fy = yPx - 0.5;
  const x0 = Math.floor(fx);
  const y0 = Math.floor(fy);
  const ax = fx - x0;
  const ay = fy - y0;
  const at = y0 * image.widthPx + x0;
  const d = image.data;
  return (1 - ay) * ((1 - ax) * d[at] + ax * d[at + 1]) + ay * ((1 - ax) * d[at + image.widthPx] + ax * d[at + image.widthPx + 1]);
}
