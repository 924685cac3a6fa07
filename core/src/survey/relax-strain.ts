import type { Net } from './net';

/** Dimensions in which the net is laid out first: with room to pass through itself it does not lock in folds. */
export const ROOM = 5;
const LEVEL_HEIGHTS = 3;
const UNDER_FLOOR = 0.3;

export interface Spring {
  a: number;
  b: number;
  m: number;
}

/** What pulls at some points of a net, by their place among them. */
export interface Pulls {
  springs: Spring[];
  heights: Map<number, number>;
  /** pairs of one height */
  levels: [number, number][];
  /** pairs over each other */
  plumbs: [number, number][];
}

/** The facts of a net that lie among its members; known places pull as heights and as ties between them. */
export function pullsOf(net: Net, members: readonly number[]): Pulls {
  const slot = new Map(members.map((p, k) => [p, k]));
  const at = (id: string): number => slot.get(net.index.get(id)!) ?? -1;
  const pulls: Pulls = { springs: [], heights: new Map(), levels: [], plumbs: [] };
  for (const f of net.facts) {
    if (f.kind === 'height') {
      if (at(f.id) >= 0) pulls.heights.set(at(f.id), f.m);
      continue;
    }
    if (f.kind === 'wall') continue;
    const [a, b] = [at(f.a), at(f.b)];
    if (a < 0 || b < 0) continue;
    if (f.kind === 'tie') pulls.springs.push({ a, b, m: f.m });
    else (f.kind === 'level' ? pulls.levels : pulls.plumbs).push([a, b]);
  }
  for (const k of net.known) if (at(k.id) >= 0) pulls.heights.set(at(k.id), k.at[1]);
  net.known.forEach((k, i) =>
    net.known.slice(0, i).forEach((l) => {
      if (at(k.id) >= 0 && at(l.id) >= 0) pulls.springs.push({ a: at(k.id), b: at(l.id), m: Math.hypot(k.at[0] - l.at[0], k.at[1] - l.at[1], k.at[2] - l.at[2]) });
    }),
  );
  return pulls;
}

/**
 * Strain of the ties under a loss that grows ever more slowly beyond `scaleM` (Cauchy), and the square of what sticks out of space.
 * @returns of coordinates, ROOM a point, the energy; its gradient goes into the second argument
 */
export function strainOf({ springs, heights, levels, plumbs }: Pulls): (scaleM: number, press: number) => (p: Float64Array, g: Float64Array) => number {
  const D = ROOM;
  const ends = Int32Array.from(springs.flatMap((q) => [D * q.a, D * q.b]));
  const lengths = Float64Array.from(springs, (q) => q.m);
  const high = Int32Array.from(heights.keys(), (i) => D * i + 1);
  const highM = Float64Array.from(heights.values());
  // pairs of coordinates that are to be the same
  const alike = Int32Array.from([...levels.flatMap(([a, b]) => [D * a + 1, D * b + 1]), ...plumbs.flatMap(([a, b]) => [0, 2, 3, 4].flatMap((k) => [D * a + k, D * b + k]))]);
  return (scaleM: number, press: number) =>
    (p: Float64Array, g: Float64Array): number => {
      g.fill(0);
      let e = 0;
      const c2 = scaleM * scaleM;
      for (let s = 0; s < lengths.length; s += 1) {
        const a = ends[2 * s],
          b = ends[2 * s + 1];
        const d0 = p[b] - p[a],
          d1 = p[b + 1] - p[a + 1],
          d2 = p[b + 2] - p[a + 2],
          d3 = p[b + 3] - p[a + 3],
          d4 = p[b + 4] - p[a + 4];
        const d = Math.sqrt(d0 * d0 + d1 * d1 + d2 * d2 + d3 * d3 + d4 * d4) + 1e-12;
        const v = d - lengths[s];
        const q = 1 + (v * v) / c2;
        e += c2 * Math.log(q);
        const w = (2 * v) / (q * d);
        g[b] += w * d0;
        g[a] -= w * d0;
        g[b + 1] += w * d1;
        g[a + 1] -= w * d1;
        g[b + 2] += w * d2;
        g[a + 2] -= w * d2;
        g[b + 3] += w * d3;
        g[a + 3] -= w * d3;
        g[b + 4] += w * d4;
        g[a + 4] -= w * d4;
      }
      for (let i = 0; i < high.length; i += 1) {
        const v = p[high[i]] - highM[i];
        const q = 1 + (v * v) / c2;
        e += c2 * Math.log(q);
        g[high[i]] += (2 * v) / q;
      }
      // what is measured over a floor stands on it or above
      if (high.length >= LEVEL_HEIGHTS)
        for (let i = 1; i < p.length; i += D)
          if (p[i] < 0) {
            e += UNDER_FLOOR * p[i] * p[i];
            g[i] += 2 * UNDER_FLOOR * p[i];
          }
      for (let i = 0; i < alike.length; i += 2) {
        const v = p[alike[i + 1]] - p[alike[i]];
        e += v * v;
        g[alike[i + 1]] += 2 * v;
        g[alike[i]] -= 2 * v;
      }
      if (press > 0)
        for (let i = 0; i < p.length; i += D) {
          e += press * (p[i + 3] * p[i + 3] + p[i + 4] * p[i + 4]);
          g[i + 3] += 2 * press * p[i + 3];
          g[i + 4] += 2 * press * p[i + 4];
        }
      return e;
    };
}
