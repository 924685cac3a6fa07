import { pixelsOf, rowKernel, sampleAt, SPARE, type GrayImage } from '../picture';

/** A place where four cells of a chequer meet. */
export interface Saddle {
  x: number;
  y: number;
  /** direction of the bright quadrants' bisector, radians in [0, π) */
  brightRad: number;
  /** second-harmonic amplitude on the ring, in grey levels: half the contrast between the cells, less by blur */
  contrast: number;
}

const RING = 24;
const ringCos = Array.from({ length: RING }, (_, i) => Math.cos((2 * Math.PI * i) / RING));
const ringSin = Array.from({ length: RING }, (_, i) => Math.sin((2 * Math.PI * i) / RING));
const ringValues = new Float64Array(RING);

/** Does a ring lie inside a picture, with what sampling on it reads? */
export const ringFits = (picture: { widthPx: number; heightPx: number }, x: number, y: number, radiusPx: number): boolean =>
  x - radiusPx >= 1 && y - radiusPx >= 1 && x + radiusPx <= picture.widthPx - 1.5 && y + radiusPx <= picture.heightPx - 1.5;

/**
 * Looks at the picture on a ring round (x, y): a crossing of four cells has most of its variance in the second harmonic
 * (8/π² = 0.81 for sharp right-angled sectors, more when blurred). Null when it does not look like one.
 */
export function ringTest(image: GrayImage, x: number, y: number, radiusPx: number, minContrast: number, minShare = 0.6): Saddle | null {
  if (!ringFits(image, x, y, radiusPx)) return null;
  for (let i = 0; i < RING; i += 1) ringValues[i] = sampleAt(image, x + radiusPx * ringCos[i], y + radiusPx * ringSin[i]);
  return judgeRing(x, y, minContrast, minShare);
}

/** Half the size of an oval, px: where its angle 0 and its quarter turn lie from its middle. */
export interface Oval {
  across: readonly [number, number];
  down: readonly [number, number];
}

/** As `ringTest`, on an oval: `brightRad` counts from `across` towards `down`, so that cells seen at a slant are right-angled again. */
export function ovalTest(image: GrayImage, x: number, y: number, { across, down }: Oval, minContrast: number, minShare: number): Saddle | null {
  if (!ringFits(image, x, y, ovalReachPx({ across, down }))) return null;
  for (let i = 0; i < RING; i += 1) ringValues[i] = sampleAt(image, x + across[0] * ringCos[i] + down[0] * ringSin[i], y + across[1] * ringCos[i] + down[1] * ringSin[i]);
  return judgeRing(x, y, minContrast, minShare);
}

export const ovalReachPx = ({ across, down }: Oval): number => Math.max(Math.hypot(across[0], down[0]), Math.hypot(across[1], down[1]));

/** What stands in `ringValues`. */
function judgeRing(x: number, y: number, minContrast: number, minShare: number): Saddle | null {
  let mean = 0;
  for (let i = 0; i < RING; i += 1) mean += ringValues[i];
  mean /= RING;
  let variance = 0,
    c2 = 0,
    s2 = 0;
  for (let i = 0; i < RING; i += 1) {
    const v = ringValues[i] - mean;
    variance += v * v;
    const two = (2 * i) % RING;
    c2 += v * ringCos[two];
    s2 += v * ringSin[two];
  }
  const contrast = (2 * Math.hypot(c2, s2)) / RING;
  if (contrast < minContrast) return null;
  if ((contrast * contrast * RING) / 2 < minShare * variance) return null;
  const brightRad = (0.5 * Math.atan2(s2, c2) + Math.PI) % Math.PI;
  return { x, y, brightRad, contrast };
}

/**
 * Places where the smoothed picture has a strong saddle: local maxima of −det(Hessian).
 * Source  Beaudet, Rotationally invariant image operators, IJCPR 1978 (determinant of the Hessian).
 * @param smoothed the picture after Gaussian smoothing
 * @returns at most MOST places, strongest first
 */
export const findSaddles = (smoothed: GrayImage, ringRadiusPx: number): Saddle[] => saddlesAmong(strongPlaces(smoothed), smoothed, ringRadiusPx);

/** Those of the places that look like a crossing of four cells, strongest first. */
export function saddlesAmong({ places, strengths }: StrongPlaces, smoothed: GrayImage, ringRadiusPx: number): Saddle[] {
  // row by row, as the picture lies in memory, and put in order then
  const found: Saddle[] = [];
  const strong: number[] = [];
  for (let i = 0; i < places.length; i += 1) {
    const saddle = ringTest(smoothed, (places[i] % smoothed.widthPx) + 0.5, Math.floor(places[i] / smoothed.widthPx) + 0.5, ringRadiusPx, 2);
    if (!saddle) continue;
    found.push(saddle);
    strong.push(strengths[i]);
  }
  return Array.from(largestFirst(strong).subarray(0, MOST), (i) => found[i]);
}

/** Room for a number in the list below the 31 bits of a positive number of single precision, in the 53 that a number holds exactly. */
const PLACES = 2 ** 22;

/** The order that puts numbers of single precision, none below 0, from the largest on; equal ones stay as they are. Sorts without a comparison of ours. */
function largestFirst(values: readonly number[]): Uint32Array {
  if (values.length > PLACES) return Uint32Array.from(values.keys()).sort((a, b) => values[b] - values[a]);
  // the bits of such numbers are in the order of the numbers
  const bits = new Uint32Array(Float32Array.from(values).buffer);
  const keys = Float64Array.from(bits, (b, i) => b * PLACES + (PLACES - 1 - i)).sort();
  const n = keys.length;
  return Uint32Array.from(keys, (_, k) => PLACES - 1 - (keys[n - 1 - k] % PLACES));
}

/**
 * Where the quadratic through a pixel's neighbourhood in a smoothed picture is flat, px; the point itself when that lies more than a pixel off
 * or at the picture's border.
 */
export function saddlePoint({ widthPx: w, heightPx: h, data }: GrayImage, x: number, y: number): [number, number] {
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

/** The noise of an 8-bit picture; a saddle of 4 grey levels of contrast is above it. */
const FLOOR = 0.5;
/**
 * A chart has at least a few dozen corners: the 30th strongest place is one. Light falling to 40 % leaves 16 % of its response (it goes
 * with contrast squared); 1 % leaves room for a hotspot on top.
 */
const SURELY_CORNERS = 30;
const WEAKEST_SHARE = 0.01;

/** More corners than a picture of cells of ten pixels has. */
const MOST = 120_000;

/** Indices of pixels, and the −det(Hessian) of each. */
export interface StrongPlaces {
  places: number[];
  strengths: number[];
}

/** The local maxima of −det(Hessian) that may be corners, before any is looked at. */
export function strongPlaces({ widthPx: w, heightPx: h, data }: GrayImage): StrongPlaces {
  const places: number[] = [];
  const strengths: number[] = [];
  if (h < 8 || w < 8) return { places, strengths };
  // what is weaker than 1 % of the 30th strongest so far will be weaker than that of all: it is not kept, nor are most of a noisy
  // picture's half a million maxima
  const strongest: number[] = [];
  let least = FLOOR;
  // three rows of the picture and three of the response, in rings
  const kernel = rowKernel(w, 6);
  const pixels = pixelsOf(data);
  const ring = (y: number): [number, number, number] => [(y - 1) % 3, y % 3, (y + 1) % 3];
  const responseRing = (y: number): [number, number, number] => [3 + ((y - 1) % 3), 3 + (y % 3), 3 + ((y + 1) % 3)];
  const read = (y: number) => kernel.read(y % 3, pixels, y * w, w);
  read(0);
  read(1);
  for (let below = 1; below < h - 1; below += 1) {
    read(below + 1);
    kernel.saddles(ring(below), 3 + (below % 3));
    const y = below - 1;
    if (y < 2) continue;
    const bits = kernel.peaks(responseRing(y), least);
    const response = kernel.rows[3 + (y % 3)];
    for (let block = 0; block < bits.length; block += 1) {
      if (bits[block] === 0) continue;
      for (let x = 4 * block, set = bits[block]; set !== 0; x += 1, set >>= 1) {
        if ((set & 1) === 0 || x < 2 || x > w - 3) continue;
        const v = response[SPARE + x];
        places.push(y * w + x);
        strengths.push(v);
        if (strongest.length < SURELY_CORNERS || v > strongest[0]) insert(strongest, v);
      }
    }
    if (strongest.length === SURELY_CORNERS) least = Math.max(FLOOR, WEAKEST_SHARE * strongest[0]);
  }
  least = Math.max(FLOOR, WEAKEST_SHARE * (strongest[0] ?? 0));
  return { places: places.filter((_, i) => strengths[i] >= least), strengths: strengths.filter((v) => v >= least) };
}

/** Into the strongest so far, the weakest of them first. */
function insert(strongest: number[], v: number): void {
  if (strongest.length === SURELY_CORNERS) strongest.shift();
  let at = strongest.length;
  while (at > 0 && strongest[at - 1] > v) at -= 1;
  strongest.splice(at, 0, v);
}

/** Angle between two directions that are the same after half a turn, 0…π/2. */
export function axisAngle(a: number, b: number): number {
  const d = Math.abs(a - b) % Math.PI;
  return Math.min(d, Math.PI - d);
}
