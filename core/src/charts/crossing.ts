import { sampleAt, type GrayImage } from '../picture';
import { ringFits, type Saddle } from './saddle';

const RING = 32;
const ringCos = Float64Array.from({ length: RING }, (_, i) => Math.cos((2 * Math.PI * i) / RING));
const ringSin = Float64Array.from({ length: RING }, (_, i) => Math.sin((2 * Math.PI * i) / RING));
const values = new Float64Array(RING);

/** The second and the odd harmonics of a crossing are small beside the fourth; a line, a bend or a T has them large. */
const OTHER_SHARE = 0.6;
/** Share of the ring's variance in the fourth harmonic: 0.81 for arms as wide as the gaps, about 0.35 for thin ones. */
const FOURTH_SHARE = 0.3;

/**
 * Looks at a picture of dark lines on a ring round (x, y): where two lines cross at about a right angle, four dark arms leave, a quarter
 * turn apart. `brightRad` of the answer is half-way between two arms, in [0, π/2), so that its axes are found as for a chequer's.
 */
export function crossTest(image: GrayImage, x: number, y: number, radiusPx: number, minContrast: number): Saddle | null {
  if (!ringFits(image, x, y, radiusPx)) return null;
  let mean = 0;
  for (let i = 0; i < RING; i += 1) {
    values[i] = sampleAt(image, x + radiusPx * ringCos[i], y + radiusPx * ringSin[i]);
    mean += values[i];
  }
  mean /= RING;
  // the crossing itself is as dark as its arms
  if (mean - sampleAt(image, x, y) < minContrast) return null;
  let variance = 0;
  const c = [0, 0, 0, 0, 0];
  const s = [0, 0, 0, 0, 0];
  for (let i = 0; i < RING; i += 1) {
    const v = values[i] - mean;
    variance += v * v;
    for (let h = 1; h <= 4; h += 1) {
      const k = (h * i) % RING;
      c[h] += v * ringCos[k];
      s[h] += v * ringSin[k];
    }
  }
  const amplitude = (h: number) => (2 * Math.hypot(c[h], s[h])) / RING;
  const fourth = amplitude(4);
  if (fourth < minContrast / 2) return null;
  if (amplitude(1) > OTHER_SHARE * fourth || amplitude(2) > OTHER_SHARE * fourth || amplitude(3) > OTHER_SHARE * fourth) return null;
  if ((fourth * fourth * RING) / 2 < FOURTH_SHARE * variance) return null;
  const brightRad = ((0.25 * Math.atan2(s[4], c[4])) % (Math.PI / 2)) + (s[4] < 0 ? Math.PI / 2 : 0);
  return { x, y, brightRad: brightRad % (Math.PI / 2), contrast: fourth };
}

/**
 * Crossings of dark lines: local minima of the smoothed picture that pass the cross test, the strongest of each neighbourhood.
 * Inside a thick line the minima are where noise puts them; the ring tells which of them lie on a crossing.
 */
export function findCrossings(smoothed: GrayImage, ringRadiusPx: number): Saddle[] {
  const { widthPx: w, heightPx: h, data } = smoothed;
  const found: Saddle[] = [];
  const margin = Math.ceil(ringRadiusPx) + 1;
  for (let y = margin; y < h - margin; y += 1) {
    for (let x = margin; x < w - margin; x += 1) {
      const i = y * w + x;
      const v = data[i];
      if (v > data[i - 1] || v >= data[i + 1] || v > data[i - w] || v >= data[i + w]) continue;
      if (v > data[i - w - 1] || v > data[i - w + 1] || v >= data[i + w - 1] || v >= data[i + w + 1]) continue;
      const crossing = crossTest(smoothed, x + 0.5, y + 0.5, ringRadiusPx, 3);
      if (crossing) found.push(crossing);
    }
  }
  if (found.length === 0) return [];
  found.sort((a, b) => b.contrast - a.contrast);
  // light falling off leaves a tenth of the contrast at worst
  const threshold = 0.1 * found[Math.min(found.length - 1, 30)].contrast;
  const kept: Saddle[] = [];
  const cell = 2 * ringRadiusPx;
  const buckets = new Map<number, Saddle[]>();
  const key = (bx: number, by: number) => by * 65_536 + bx;
  for (const s of found) {
    if (s.contrast < threshold) break;
    const bx = Math.floor(s.x / cell),
      by = Math.floor(s.y / cell);
    let crowded = false;
    for (let dy = -1; dy <= 1 && !crowded; dy += 1)
      for (let dx = -1; dx <= 1 && !crowded; dx += 1) crowded = (buckets.get(key(bx + dx, by + dy)) ?? []).some((q) => Math.hypot(q.x - s.x, q.y - s.y) < ringRadiusPx);
    if (crowded) continue;
    kept.push(s);
    const list = buckets.get(key(bx, by));
    if (list) list.push(s);
    else buckets.set(key(bx, by), [s]);
  }
  return kept;
}

/** The negative: light lines become dark ones. */
export function invert(image: GrayImage): GrayImage {
  return { ...image, data: image.data.map((v) => 255 - v) };
}
