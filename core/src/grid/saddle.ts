import type { GrayImage } from '../picture';
import { sampleAt } from '../picture';

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

/**
 * Looks at the picture on a ring round (x, y): a crossing of four cells has most of its variance in the second harmonic
 * (8/π² = 0.81 for sharp right-angled sectors, more when blurred). Null when it does not look like one.
 */
export function ringTest(image: GrayImage, x: number, y: number, radiusPx: number, minContrast: number, minShare = 0.6): Saddle | null {
  if (x - radiusPx < 1 || y - radiusPx < 1 || x + radiusPx > image.widthPx - 1.5 || y + radiusPx > image.heightPx - 1.5) return null;
  let mean = 0;
  for (let i = 0; i < RING; i += 1) {
    ringValues[i] = sampleAt(image, x + radiusPx * ringCos[i], y + radiusPx * ringSin[i]);
    mean += ringValues[i];
  }
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
 * @returns at most `limit` places, strongest first
 */
export function findSaddles(smoothed: GrayImage, ringRadiusPx: number, limit = 120_000): Saddle[] {
  const { widthPx: w, heightPx: h, data } = smoothed;
  const rows = [0, 1, 2].map(() => new Float32Array(w));
  const fill = (y: number, out: Float32Array) => {
    const at = y * w;
    // the three columns of the neighbourhood slide along the row: three reads a pixel instead of nine
    let a0 = data[at - w],
      b0 = data[at],
      c0 = data[at + w];
    let a1 = data[at - w + 1],
      b1 = data[at + 1],
      c1 = data[at + w + 1];
    for (let x = 1; x < w - 1; x += 1) {
      const i = at + x + 1;
      const a2 = data[i - w],
        b2 = data[i],
        c2 = data[i + w];
      const twice = 2 * b1;
      const xy = (c2 - a2 - c0 + a0) / 4;
      out[x] = xy * xy - (b0 + b2 - twice) * (a1 + c1 - twice);
      a0 = a1;
      b0 = b1;
      c0 = c1;
      a1 = a2;
      b1 = b2;
      c1 = c2;
    }
  };
  if (h < 8 || w < 8) return [];
  // typed and growing: a noisy 4K picture has half a million local maxima, and objects for them cost a second
  let places = new Int32Array(1 << 16);
  let strengths = new Float32Array(1 << 16);
  let count = 0;
  const floor = 0.5; // the noise of an 8-bit picture; a saddle of 4 grey levels of contrast is above it
  fill(1, rows[0]);
  fill(2, rows[1]);
  for (let y = 2; y < h - 2; y += 1) {
    const above = rows[(y - 2) % 3];
    const here = rows[(y - 1) % 3];
    const below = rows[y % 3];
    fill(y + 1, below);
    for (let x = 2; x < w - 2; x += 1) {
      const v = here[x];
      if (v < floor) continue;
      if (v <= here[x - 1] || v < here[x + 1] || v <= above[x] || v < below[x]) continue;
      if (v <= above[x - 1] || v <= above[x + 1] || v < below[x - 1] || v < below[x + 1]) continue;
      if (count === places.length) {
        const wider = new Int32Array(2 * count);
        wider.set(places);
        places = wider;
        const stronger = new Float32Array(2 * count);
        stronger.set(strengths);
        strengths = stronger;
      }
      places[count] = y * w + x;
      strengths[count] = v;
      count += 1;
    }
  }
  if (count === 0) return [];
  // a chart has at least a few dozen corners: the 30th strongest place is one. Light falling to 40 % leaves 16 % of its response
  // (it goes with contrast squared); 1 % leaves room for a hotspot on top
  const ranked = strengths.slice(0, count).sort();
  const threshold = Math.max(floor, 0.01 * ranked[Math.max(0, count - 30)]);
  const order: number[] = [];
  for (let i = 0; i < count; i += 1) if (strengths[i] >= threshold) order.push(i);
  order.sort((a, b) => strengths[b] - strengths[a]);
  const saddles: Saddle[] = [];
  for (const i of order) {
    if (saddles.length >= limit) break;
    const saddle = ringTest(smoothed, (places[i] % w) + 0.5, Math.floor(places[i] / w) + 0.5, ringRadiusPx, 2);
    if (saddle) saddles.push(saddle);
  }
  return saddles;
}
