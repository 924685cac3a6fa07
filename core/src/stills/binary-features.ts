import { seededNormal } from '../math';
import { halve, sampleAt, smooth, type GrayImage } from '../picture';
import type { Corner } from '../track';

/**
 * What a corner looks like as comparisons of grey levels round it, and how two lists of them are laid beside each other.
 * Source  Calonder et al., BRIEF: Binary Robust Independent Elementary Features, ECCV 2010. Not turned with the picture: stills are shot upright.
 */
export interface Comparisons {
  /** of 32 comparisons each */
  words: number;
  /** how far round the corner they reach, px */
  reachPx: number;
  /** xa, ya, xb, yb of each */
  places: Int8Array;
}

/** Pairs of places from a normal distribution round the corner; the same for all pictures, for good. */
export function comparisonsOf(words: number, reachPx: number, seed: number): Comparisons {
  const normal = seededNormal(seed);
  const places = new Int8Array(4 * 32 * words);
  for (let i = 0; i < places.length; i += 1) places[i] = Math.max(-reachPx, Math.min(reachPx, Math.round((reachPx / 2.5) * normal())));
  return { words, reachPx, places };
}

/** Writes the comparisons round the pixel at index `at` of a smoothed picture as the words of feature `k`. */
export function compareInto({ words, places }: Comparisons, data: GrayImage['data'], widthPx: number, at: number, bits: Uint32Array, k: number): void {
  for (let t = 0; t < 32 * words; t += 1) {
    const a = data[at + places[4 * t + 1] * widthPx + places[4 * t]];
    const b = data[at + places[4 * t + 3] * widthPx + places[4 * t + 2]];
    if (a < b) bits[words * k + (t >> 5)] |= 1 << (t & 31);
  }
}

export interface Described {
  count: number;
  bits: Uint32Array;
}

export interface Nearness {
  words: number;
  /** differing comparisons beyond which nothing is alike */
  farBits: number;
  /** a match must be so much nearer than the next candidate */
  ratio: number;
}

/** Nearest and next nearest of each feature of one list in another. */
interface Nearest {
  first: Int32Array;
  second: Int32Array;
  at: Int32Array;
}

/**
 * Features that are each other's nearest, and clearly nearer than the next one either way; with the comparisons that differ. What differs in more than
 * could make a next one matter is not counted to its end: of strangers that is nearly all.
 */
export function mutualNearest(a: Described, b: Described, { words, farBits, ratio }: Nearness): { i: number; j: number; apart: number }[] {
  const most = Math.ceil(farBits / ratio);
  const fresh = (n: number): Nearest => ({ first: new Int32Array(n).fill(most + 1), second: new Int32Array(n).fill(most + 1), at: new Int32Array(n).fill(-1) });
  const [there, back] = [fresh(a.count), fresh(b.count)];
  const [x, y] = [a.bits, b.bits];
  for (let i = 0; i < a.count; i += 1)
    for (let j = 0, q = 0; j < b.count; j += 1, q += words) {
      let d = 0;
      for (let k = 0, p = words * i; k < words && d <= most; k += 1) {
        let v = x[p + k] ^ y[q + k];
        v -= (v >>> 1) & 0x55555555;
        v = (v & 0x33333333) + ((v >>> 2) & 0x33333333);
        d += Math.imul((v + (v >>> 4)) & 0x0f0f0f0f, 0x01010101) >>> 24;
      }
      if (d > most) continue;
      nearer(there, i, j, d);
      nearer(back, j, i, d);
    }
  const clear = ({ first, second }: Nearest, k: number) => first[k] <= farBits && first[k] < ratio * second[k];
  const links: { i: number; j: number; apart: number }[] = [];
  for (let i = 0; i < a.count; i += 1) {
    const j = there.at[i];
    if (j >= 0 && back.at[j] === i && clear(there, i) && clear(back, j)) links.push({ i, j, apart: there.first[i] });
  }
  return links;
}

function nearer(side: Nearest, from: number, to: number, d: number): void {
  if (d < side.first[from]) {
    side.second[from] = side.first[from];
    side.first[from] = d;
    side.at[from] = to;
  } else if (d < side.second[from]) side.second[from] = d;
}

/** Of each cell of a raster its strongest first, then its second, and so on: the border of the frame must not go short. */
export function spreadOut(sorted: readonly Corner[], widthPx: number, heightPx: number, raster: { columns: number; rows: number }, most: number): Corner[] {
  const cells = new Map<number, Corner[]>();
  for (const c of sorted) {
    const cell = Math.floor((raster.rows * c.y) / heightPx) * raster.columns + Math.floor((raster.columns * c.x) / widthPx);
    const list = cells.get(cell);
    if (list) list.push(c);
    else cells.set(cell, [c]);
  }
  const out: Corner[] = [];
  for (let rank = 0; out.length < Math.min(most, sorted.length); rank += 1) for (const list of cells.values()) if (list[rank] && out.length < most) out.push(list[rank]);
  return out;
}

/** A picture of about a size and what one of its px is of the one that was given: full = factor · reduced, corners of the picture at nought. */
export interface Reduced {
  image: GrayImage;
  factor: number;
}

/** By halves, then the rest of the way by bilinear sampling. */
export function reduced(given: GrayImage, longSidePx: number): Reduced {
  let picture = given;
  let halved = 1;
  while (Math.max(picture.widthPx, picture.heightPx) >= 2 * longSidePx) {
    picture = halve(picture);
    halved *= 2;
  }
  const rest = Math.max(picture.widthPx, picture.heightPx) / longSidePx;
  if (rest <= 1) return { image: picture, factor: halved };
  const source = rest > 1.3 ? smooth(picture, 0.5 * rest) : picture;
  const widthPx = Math.floor(picture.widthPx / rest);
  const heightPx = Math.floor(picture.heightPx / rest);
  const data = new Float32Array(widthPx * heightPx);
  const inside = (v: number, size: number) => Math.min(size - 1.001, Math.max(0.5, v));
  for (let y = 0; y < heightPx; y += 1)
    for (let x = 0; x < widthPx; x += 1) data[y * widthPx + x] = sampleAt(source, inside((x + 0.5) * rest, picture.widthPx), inside((y + 0.5) * rest, picture.heightPx));
  return { image: { widthPx, heightPx, data }, factor: halved * rest };
}
