import { seededNormal } from '../math';
import { halve, sampleAt, smooth, type GrayImage } from '../picture';
import { findCorners, type Corner } from '../track';

/** Something in a picture that can be found again in another: where, what it looks like, and how light it is. */
export interface StillFeatures {
  count: number;
  /** shares of the picture's width and of its height, 0…1 */
  x: Float32Array;
  y: Float32Array;
  /** mean grey level round each, 0…255 */
  light: Uint8Array;
  /** four words of 32 comparisons for each */
  bits: Uint32Array;
}

/** Pictures are compared at about this size: finer things differ between two places anyway. */
const LONG_SIDE_PX = 800;
const MOST_FEATURES = 256;
const APART_PX = 9;
const REACH_PX = 15;
const WORDS = 4;
const BYTES = 2 + 2 + 1 + 4 * WORDS;
const COLUMNS = 12;
const ROWS = 8;

/** The comparisons: pairs of places from a normal distribution round the corner; the same for all pictures, for good. */
const TESTS = (() => {
  const normal = seededNormal(20);
  const places = new Int8Array(4 * 32 * WORDS);
  for (let i = 0; i < places.length; i += 1) places[i] = Math.max(-REACH_PX, Math.min(REACH_PX, Math.round((REACH_PX / 2.5) * normal())));
  return places;
})();

/**
 * Corners spread over the frame, each with 128 comparisons of grey levels round it.
 * Source  Calonder et al., BRIEF: Binary Robust Independent Elementary Features, ECCV 2010. Not turned with the picture: a walk is shot upright.
 */
export function stillFeatures(image: GrayImage): StillFeatures {
  const small = reduced(image, LONG_SIDE_PX);
  const { widthPx: w, heightPx: h } = small;
  const { data } = smooth(smooth(small, 1.5), 1.5);
  const inside = findCorners(small, { apartPx: APART_PX }).filter((c) => c.x > REACH_PX + 1 && c.y > REACH_PX + 1 && c.x < w - REACH_PX - 1 && c.y < h - REACH_PX - 1);
  const corners = spreadOut(inside, w, h, MOST_FEATURES);
  const out: StillFeatures = {
    count: corners.length,
    x: Float32Array.from(corners, (c) => c.x / w),
    y: Float32Array.from(corners, (c) => c.y / h),
    light: new Uint8Array(corners.length),
    bits: new Uint32Array(WORDS * corners.length),
  };
  corners.forEach((c, k) => {
    const at = Math.floor(c.y) * w + Math.floor(c.x);
    for (let t = 0; t < 32 * WORDS; t += 1) {
      const a = data[at + TESTS[4 * t + 1] * w + TESTS[4 * t]];
      const b = data[at + TESTS[4 * t + 3] * w + TESTS[4 * t + 2]];
      if (a < b) out.bits[WORDS * k + (t >> 5)] |= 1 << (t & 31);
    }
    let sum = 0;
    for (let dy = -REACH_PX; dy <= REACH_PX; dy += 3) for (let dx = -REACH_PX; dx <= REACH_PX; dx += 3) sum += data[at + dy * w + dx];
    out.light[k] = Math.round(sum / (2 * Math.floor(REACH_PX / 3) + 1) ** 2);
  });
  return out;
}

/** Of each cell of a raster its strongest first, then its second, and so on: the border of the frame must not go short. */
function spreadOut(sorted: readonly Corner[], w: number, h: number, most: number): Corner[] {
  const cells = new Map<number, Corner[]>();
  for (const c of sorted) {
    const cell = Math.floor((ROWS * c.y) / h) * COLUMNS + Math.floor((COLUMNS * c.x) / w);
    cells.set(cell, [...(cells.get(cell) ?? []), c]);
  }
  const out: Corner[] = [];
  for (let rank = 0; out.length < Math.min(most, sorted.length); rank += 1) for (const list of cells.values()) if (list[rank] && out.length < most) out.push(list[rank]);
  return out;
}

/** By halves, then the rest of the way by bilinear sampling. */
function reduced(image: GrayImage, longSidePx: number): GrayImage {
  let picture = image;
  while (Math.max(picture.widthPx, picture.heightPx) >= 2 * longSidePx) picture = halve(picture);
  const factor = Math.max(picture.widthPx, picture.heightPx) / longSidePx;
  if (factor <= 1) return picture;
  const source = factor > 1.3 ? smooth(picture, 0.5 * factor) : picture;
  const widthPx = Math.floor(picture.widthPx / factor);
  const heightPx = Math.floor(picture.heightPx / factor);
  const data = new Float32Array(widthPx * heightPx);
  const inside = (v: number, size: number) => Math.min(size - 1.001, Math.max(0.5, v));
  for (let y = 0; y < heightPx; y += 1)
    for (let x = 0; x < widthPx; x += 1) data[y * widthPx + x] = sampleAt(source, inside((x + 0.5) * factor, picture.widthPx), inside((y + 0.5) * factor, picture.heightPx));
  return { widthPx, heightPx, data };
}

/** As text, 21 bytes a feature in base 64, so that it travels with the picture's record: another phone compares without the picture. */
export function packFeatures(f: StillFeatures): string {
  const bytes = new Uint8Array(BYTES * f.count);
  const view = new DataView(bytes.buffer);
  for (let k = 0; k < f.count; k += 1) {
    view.setUint16(BYTES * k, Math.round(65535 * f.x[k]));
    view.setUint16(BYTES * k + 2, Math.round(65535 * f.y[k]));
    view.setUint8(BYTES * k + 4, f.light[k]);
    for (let i = 0; i < WORDS; i += 1) view.setUint32(BYTES * k + 5 + 4 * i, f.bits[WORDS * k + i]);
  }
  let text = '';
  for (const b of bytes) text += String.fromCharCode(b);
  return btoa(text);
}

export function unpackFeatures(packed: string): StillFeatures {
  const text = atob(packed);
  const count = Math.floor(text.length / BYTES);
  const view = new DataView(Uint8Array.from(text, (c) => c.charCodeAt(0)).buffer);
  const out: StillFeatures = { count, x: new Float32Array(count), y: new Float32Array(count), light: new Uint8Array(count), bits: new Uint32Array(WORDS * count) };
  for (let k = 0; k < count; k += 1) {
    out.x[k] = view.getUint16(BYTES * k) / 65535;
    out.y[k] = view.getUint16(BYTES * k + 2) / 65535;
    out.light[k] = view.getUint8(BYTES * k + 4);
    for (let i = 0; i < WORDS; i += 1) out.bits[WORDS * k + i] = view.getUint32(BYTES * k + 5 + 4 * i);
  }
  return out;
}

/** How many of the 128 comparisons differ. */
export function bitsApart(a: Uint32Array, i: number, b: Uint32Array, j: number): number {
  let n = 0;
  for (let k = 0; k < WORDS; k += 1) {
    let v = a[WORDS * i + k] ^ b[WORDS * j + k];
    v -= (v >>> 1) & 0x55555555;
    v = (v & 0x33333333) + ((v >>> 2) & 0x33333333);
    n += Math.imul((v + (v >>> 4)) & 0x0f0f0f0f, 0x01010101) >>> 24;
  }
  return n;
}
