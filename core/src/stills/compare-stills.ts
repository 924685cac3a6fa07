import { homographyOrNone, median, sampleIndices, seededRandom, type Mat3, type PointPair } from '../math';
import { mutualNearest } from './binary-features';
import { WORDS, type StillFeatures } from './still-features';

/** What two pictures have in common. */
export interface StillPair {
  /** features of both that lie on one another */
  matches: number;
  /** share of the frame that both show, 0…1, by the homography between them; null where nothing holds together or there was too little to compare */
  overlap: number | null;
  /** the second against the first, stops: of the same things */
  stops: number | null;
  /** one of the two has too little detail to say that they do not overlap */
  plain: boolean;
}

/** of 128; random features differ in 64 */
const NEARNESS = { words: WORDS, farBits: 40, ratio: 0.85 };
/** A match holds when it comes to lie within this share of the width. */
const REACH = 0.012;
const ROUNDS = 1500;
/** Four matches always agree; by chance a fifth does one time in two thousand. */
const LEAST_MATCHES = 9;
/** With fewer features than this in a picture, finding nothing says nothing. */
const LEAST_FEATURES = 40;
/** Grey levels that are neither cut off nor lost. */
const DARKEST = 8;
const BRIGHTEST = 245;

/**
 * How two pictures of a walk lie on one another: nearest features both ways, then the homography that most of them agree with.
 * A homography is right for a flat thing and for a turn on the spot; of a thing with depth it follows the larger part, so that the
 * overlap is an estimate.
 * @param aspect height over width of the pictures
 * Source  Fischler & Bolles 1981 (random sample consensus); Hartley & Zisserman 2003, sec. 4.8.
 */
export function compareStills(a: StillFeatures, b: StillFeatures, aspect: number): StillPair {
  const plain = Math.min(a.count, b.count) < LEAST_FEATURES;
  const nothing: StillPair = { matches: 0, overlap: null, stops: null, plain };
  const links = mutualNearest(a, b, NEARNESS);
  if (links.length < LEAST_MATCHES) return nothing;
  const pairs = links.map(({ i, j }): PointPair => ({ from: [a.x[i], a.y[i] * aspect], to: [b.x[j], b.y[j] * aspect] }));
  const random = seededRandom(7);
  let best: number[] = [];
  for (let round = 0; round < ROUNDS; round += 1) {
    const h = throughFour(sampleIndices(pairs.length, 4, random).map((k) => pairs[k]));
    if (!h || !likely(h, aspect)) continue;
    const held = holding(h, pairs);
    if (held.length > best.length) best = held;
    if (best.length > 0.9 * pairs.length) break;
  }
  if (best.length < LEAST_MATCHES) return nothing;
  const all = homographyOrNone(best.map((k) => pairs[k]));
  if (!all) return nothing;
  let h = all;
  for (let again = 0; again < 2; again += 1) {
    const held = holding(h, pairs);
    if (held.length < best.length) break;
    const next = homographyOrNone(held.map((k) => pairs[k]));
    if (!next) break;
    best = held;
    h = next;
  }
  const back = homographyOrNone(best.map((k): PointPair => ({ from: pairs[k].to, to: pairs[k].from })));
  if (!back) return nothing;
  const stops = best.flatMap((k) => {
    const [one, two] = [a.light[links[k].i], b.light[links[k].j]];
    return Math.min(one, two) < DARKEST || Math.max(one, two) > BRIGHTEST ? [] : [Math.log2(linear(two) / linear(one))];
  });
  const overlap = (sharedBy(h, aspect) + sharedBy(back, aspect)) / 2;
  return { matches: best.length, overlap, stops: stops.length < LEAST_MATCHES / 2 ? null : median(stops), plain };
}

/** Light of a grey level: IEC 61966-2-1. */
const linear = (grey: number): number => (grey / 255 <= 0.04045 ? grey / 255 / 12.92 : ((grey / 255 + 0.055) / 1.055) ** 2.4);

function holding(h: Mat3, pairs: readonly PointPair[]): number[] {
  const held: number[] = [];
  pairs.forEach((p, k) => {
    const [x, y] = p.from;
    const w = h[6] * x + h[7] * y + h[8];
    const dx = (h[0] * x + h[1] * y + h[2]) / w - p.to[0];
    const dy = (h[3] * x + h[4] * y + h[5]) / w - p.to[1];
    if (dx * dx + dy * dy < REACH * REACH) held.push(k);
  });
  return held;
}

/** Not turned over, and neither blown up nor shrunk as no two steps of a walk do, where the four points were taken from. */
function likely(h: Mat3, aspect: number): boolean {
  const w = h[6] * 0.5 + h[7] * 0.5 * aspect + h[8];
  if (Math.abs(w) < 1e-9) return false;
  const det = h[0] * (h[4] * h[8] - h[5] * h[7]) - h[1] * (h[3] * h[8] - h[5] * h[6]) + h[2] * (h[3] * h[7] - h[4] * h[6]);
  // the change of area in the middle of the picture: det H / w³
  const area = det / w ** 3;
  return area > 0.06 && area < 16;
}

/** Share of a frame that lies within the other's: by a raster of places. */
function sharedBy(h: Mat3, aspect: number): number {
  const n = 40;
  const rows = Math.round(n * aspect);
  // in front of the picture is the side on which most of it lies
  const front = Math.sign(h[6] * 0.5 + h[7] * 0.5 * aspect + h[8]);
  let seen = 0;
  for (let r = 0; r < rows; r += 1)
    for (let c = 0; c < n; c += 1) {
      const [x, y] = [(c + 0.5) / n, ((r + 0.5) / rows) * aspect];
      const w = (h[6] * x + h[7] * y + h[8]) * front;
      if (w <= 1e-9) continue;
      const [u, v] = [((h[0] * x + h[1] * y + h[2]) * front) / w, ((h[3] * x + h[4] * y + h[5]) * front) / w];
      if (u >= 0 && v >= 0 && u <= 1 && v <= aspect) seen += 1;
    }
  return seen / (rows * n);
}

const eight = Array.from({ length: 8 }, () => new Float64Array(9));
/** The homography through four pairs, its last entry 1, by elimination; null where three lie on a line. */
function throughFour(pairs: readonly PointPair[]): Mat3 | null {
  pairs.forEach(({ from: [x, y], to: [u, v] }, k) => {
    eight[2 * k].set([x, y, 1, 0, 0, 0, -u * x, -u * y, u]);
    eight[2 * k + 1].set([0, 0, 0, x, y, 1, -v * x, -v * y, v]);
  });
  for (let c = 0; c < 8; c += 1) {
    let pivot = c;
    for (let r = c + 1; r < 8; r += 1) if (Math.abs(eight[r][c]) > Math.abs(eight[pivot][c])) pivot = r;
    if (Math.abs(eight[pivot][c]) < 1e-9) return null;
    [eight[c], eight[pivot]] = [eight[pivot], eight[c]];
    for (let r = 0; r < 8; r += 1) {
      if (r === c) continue;
      const f = eight[r][c] / eight[c][c];
      if (f !== 0) for (let k = c; k < 9; k += 1) eight[r][k] -= f * eight[c][k];
    }
  }
  return [...eight.map((row, i) => row[8] / row[i]), 1] as unknown as Mat3;
}
