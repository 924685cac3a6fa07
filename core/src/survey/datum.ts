import { cross, sub, type Vec3 } from '../math';
import { covarianceOf } from './adjust';
import type { NetRows } from '../facts';

/** What of the frame nothing measures, and was therefore taken: in words, and as rows of its own. */
export interface Datum {
  words: string;
  /** nothing measured says which way is up */
  upTaken: boolean;
  /** known points hold the frame whole: other places of theirs stand in it too */
  byKnown: boolean;
}

export const BY_KNOWN = 'the known points';

/** How much of a motion must be free before a coordinate is taken for it. */
const FREE_SHARE = 1e-6;

/**
 * Finds which moves and turns of the whole net the facts leave free, and holds as many coordinates as there are of them: the first point of `base` is
 * the origin, the way to the second +X, the third lies level with both.
 * Method  the rows' derivatives along the six rigid motions give a 6 × 6 matrix; a coordinate is held when it adds to its rank (Gram–Schmidt).
 */
export function takeDatum(rows: NetRows, x: Float64Array, names: readonly string[], base: readonly [number, number, number]): Datum {
  const n = x.length / 3;
  const centre: Vec3 = [0, 1, 2].map((a) => Array.from({ length: n }, (_, p) => x[3 * p + a]).reduce((s, v) => s + v / n, 0)) as unknown as Vec3;
  const size = Math.max(0.1, ...Array.from({ length: n }, (_, p) => Math.hypot(x[3 * p] - centre[0], x[3 * p + 1] - centre[1], x[3 * p + 2] - centre[2])));
  /** motion of a point's axis under three moves and three turns; turns are scaled so that all are of one size */
  const motion = (p: number, axis: number): number[] => {
    const d = sub([x[3 * p], x[3 * p + 1], x[3 * p + 2]], centre);
    const turns = (
      [
        [1, 0, 0],
        [0, 1, 0],
        [0, 0, 1],
      ] as Vec3[]
    ).map((w) => cross(w, d)[axis] / size);
    return [axis === 0 ? 1 : 0, axis === 1 ? 1 : 0, axis === 2 ? 1 : 0, ...turns];
  };
  const known: number[][] = [];
  const addTo = (row: readonly number[]): boolean => {
    let v = [...row];
    const length = Math.hypot(...v);
    if (length === 0) return false;
    for (let pass = 0; pass < 2; pass += 1)
      for (const k of known) {
        const along = k.reduce((s, a, i) => s + a * v[i], 0);
        v = v.map((a, i) => a - along * k[i]);
      }
    const left = Math.hypot(...v);
    if (left * left < FREE_SHARE * Math.max(1, length * length)) return false;
    known.push(v.map((a) => a / left));
    return true;
  };
  const g = new Float64Array(9);
  for (let r = 0; r < rows.count && known.length < 6; r += 1) {
    if (rows.weight[r] === 0) continue;
    rows.evaluate(r, x, g);
    const row = new Array<number>(6).fill(0);
    for (let k = 0; k < 3; k += 1) {
      const p = rows.point[3 * r + k];
      if (p >= 0) for (let a = 0; a < 3; a += 1) if (g[3 * k + a] !== 0) motion(p, a).forEach((m, i) => (row[i] += g[3 * k + a] * m));
    }
    // a tie moves with the net: only rounding is left of it
    if (Math.hypot(...row) > 1e-7) addTo(row);
  }
  if (known.length === 6) return { words: BY_KNOWN, upTaken: false, byKnown: true };
  const [first, second, third] = base;
  const taken: string[] = [];
  const hold = (p: number, axis: number): boolean => {
    if (p < 0 || !addTo(motion(p, axis))) return false;
    rows.addCoordinate(p, axis, x[3 * p + axis], 0);
    taken.push(`${p}.${axis}`);
    return true;
  };
  const origin = [hold(first, 0), hold(first, 2)];
  const up = hold(first, 1);
  const heading = hold(second, 2);
  const upTaken = [hold(second, 1), hold(third, 1)].some(Boolean);
  // a net whose points stand one above the other still turns: any level axis will do
  for (let p = 0; p < n && known.length < 6; p += 1) for (const axis of [2, 0, 1]) if (known.length < 6) hold(p, axis);
  const words = [
    origin.some(Boolean) ? `origin at ${names[first]}` : null,
    up ? `height counted from ${names[first]}` : 'heights from the floor',
    heading ? `+X towards ${names[second]}` : null,
    upTaken ? `level through ${names[first]}, ${names[second]} and ${names[third]}` : null,
  ].filter((w) => w !== null);
  return { words: words.join('; '), upTaken, byKnown: false };
}

/**
 * Triples that a datum may be taken from: three points far apart that are held by many facts, then triangles of ties. A loose point as
 * the end of an axis would loosen all others, and in a net that bends each rigid part has to be asked for itself.
 */
export function datumBases(rows: NetRows, x: Float64Array): [number, number, number][] {
  const n = x.length / 3;
  const facts = new Int32Array(n);
  const tied: Set<number>[] = Array.from({ length: n }, () => new Set());
  for (let r = 0; r < rows.count; r += 1) {
    const p = [0, 1, 2].map((k) => rows.point[3 * r + k]).filter((v) => v >= 0);
    for (const a of p) {
      facts[a] += 1;
      for (const b of p) if (a !== b) tied[a].add(b);
    }
  }
  const middle = [...facts].sort((a, b) => a - b)[n >> 1];
  const held = Array.from({ length: n }, (_, p) => p).filter((p) => facts[p] >= middle);
  const bases = [threeApart(x, held)];
  const used = new Set(bases[0]);
  for (const a of [...held].sort((p, q) => facts[q] - facts[p])) {
    if (bases.length > MOST_BASES) break;
    if (used.has(a)) continue;
    const around = [...tied[a]].filter((b) => b !== a);
    let best: { area: number; base: [number, number, number] } | null = null;
    for (const b of around)
      for (const c of around) {
        if (b >= c || !tied[b].has(c)) continue;
        const area = areaOf(x, a, b, c);
        if (!best || area > best.area) best = { area, base: [a, b, c] };
      }
    if (!best) continue;
    bases.push(best.base);
    best.base.forEach((p) => used.add(p));
  }
  return bases;
}
const MOST_BASES = 8;

const placeOf = (x: Float64Array, p: number): Vec3 => [x[3 * p], x[3 * p + 1], x[3 * p + 2]];
const areaOf = (x: Float64Array, a: number, b: number, c: number): number => Math.hypot(...cross(sub(placeOf(x, b), placeOf(x, a)), sub(placeOf(x, c), placeOf(x, a))));

/** The first of the points, the one farthest from it, and the one farthest from the line of both. */
function threeApart(x: Float64Array, among: readonly number[]): [number, number, number] {
  const far = (value: (p: number) => number) => among.reduce((best, p) => (value(p) > value(best) ? p : best), among[0]);
  const [a] = among;
  const b = far((p) => Math.hypot(x[3 * p] - x[3 * a], x[3 * p + 2] - x[3 * a + 2]));
  return [a, b, far((p) => areaOf(x, a, b, p))];
}

/**
 * Where the net bends, the datum goes to the part of it that holds most points.
 * @param isLoose whether a point of that covariance (3 × 3, row by row, m²) is not determined
 */
export function bestDatum({ rows, slot }: { rows: NetRows; slot: Int32Array }, x: Float64Array, names: readonly string[], isLoose: (c: Float64Array) => boolean): Datum {
  const factRows = rows.count;
  let best: { loose: number; base: [number, number, number] } | null = null;
  for (const base of datumBases(rows, x)) {
    takeDatum(rows, x, names, base);
    const c = covarianceOf(rows, x, slot);
    rows.truncate(factRows);
    const loose = names.filter((_, k) => !c || isLoose(c.ofPoint(k))).length;
    if (!best || loose < best.loose) best = { loose, base };
    if (loose === 0) break;
  }
  return takeDatum(rows, x, names, best!.base);
}
