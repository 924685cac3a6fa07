import type { Vec3 } from '../math';
import { intersect, offSurface, type Surface } from './intersect';
import type { Net, Places } from './net';

/** First coordinates wander by so much before they are adjusted, m: twins and blunders lie farther apart. */
const WANDER_M = 0.03;
/** A fact that is farther off than this many sigmas counts no more against a place: it may be a blunder. */
export const CAP = 25;
/** Two places whose caps differ by less than this fit alike. */
const ALIKE = 4;
const TWIN_M = 0.1;
const MOST_TRIPLES = 30;

/** Surfaces on which a point lies, by facts to points that are placed. `level`: up is known, so that heights count. */
export function surfacesOf(net: Net, p: number, placed: Places, level: boolean): Surface[] {
  const out: Surface[] = [];
  const id = net.ids[p];
  const there = (other: string): Vec3 | undefined => placed.get(net.index.get(other)!);
  const plane = (normal: Vec3, offsetM: number, sigmaM: number) => out.push({ kind: 'plane', normal, offsetM, sigmaM });
  for (const i of net.factsOf[p]) {
    const f = net.facts[i];
    if (f.kind === 'tie') {
      const centre = there(f.a === id ? f.b : f.a);
      if (centre) out.push({ kind: 'sphere', centre, radiusM: f.m, sigmaM: f.sigmaM });
    } else if (!level) continue;
    else if (f.kind === 'height') plane([0, 1, 0], f.m, f.sigmaM);
    else if (f.kind === 'level' || f.kind === 'plumb') {
      const other = there(f.a === id ? f.b : f.a);
      if (!other) continue;
      if (f.kind === 'level') plane([0, 1, 0], other[1], f.sigmaM);
      else {
        plane([1, 0, 0], other[0], f.sigmaM);
        plane([0, 0, 1], other[2], f.sigmaM);
      }
    }
  }
  return out;
}

export const scoreOf = (surfaces: readonly Surface[], x: Vec3, wanderM: number): number => surfaces.reduce((sum, s) => sum + Math.min(CAP, (offSurface(s, x) / Math.hypot(s.sigmaM, wanderM)) ** 2), 0);

/** Places that fit the surfaces best: the first, and a second one when it fits about as well. */
export function candidates(surfaces: readonly Surface[], random: () => number, wanderM = WANDER_M): Vec3[] {
  const n = surfaces.length;
  const triples: [number, number, number][] = [];
  if (n <= 6) {
    for (let i = 0; i < n; i += 1) for (let j = i + 1; j < n; j += 1) for (let k = j + 1; k < n; k += 1) triples.push([i, j, k]);
  } else {
    for (let t = 0; t < MOST_TRIPLES; t += 1) {
      const i = Math.floor(random() * n);
      const j = (i + 1 + Math.floor(random() * (n - 1))) % n;
      const k = Math.floor(random() * n);
      if (k !== i && k !== j) triples.push([i, j, k]);
    }
  }
  const found = triples.flatMap(([i, j, k]) => intersect([surfaces[i], surfaces[j], surfaces[k]])).map((x) => ({ x, score: scoreOf(surfaces, x, wanderM) }));
  if (found.length === 0) return [];
  found.sort((a, b) => a.score - b.score);
  const [best] = found;
  const twin = found.find((c) => c.score < best.score + ALIKE && Math.hypot(c.x[0] - best.x[0], c.x[1] - best.x[1], c.x[2] - best.x[2]) > TWIN_M);
  return twin ? [best.x, twin.x] : [best.x];
}
