import type { Vec3 } from '../math';
import { pointsOfFact } from '../facts';
import type { Net, Places } from './net';

/** So many beginnings are tried, the best braced first. */
const SEEDS = 5;

/** The points that are left when those with fewer than three facts to the others are taken away, again and again; the largest connected part. */
export function coreOf(net: Net): number[] {
  const known = new Set(net.known.map((k) => net.index.get(k.id)));
  const inside = new Set(net.ids.map((_, p) => p));
  const others = (p: number, i: number) =>
    pointsOfFact(net.facts[i])
      .map((id) => net.index.get(id)!)
      .filter((q) => q !== p);
  const strength = (p: number) =>
    known.has(p)
      ? 3
      : net.factsOf[p].reduce((sum, i) => {
          const f = net.facts[i];
          return f.kind === 'wall' || !others(p, i).every((q) => inside.has(q)) ? sum : sum + (f.kind === 'plumb' ? 2 : 1);
        }, 0);
  // of three points that begin a net two have fewer facts than three: they count as soon as three others hang on them
  for (let changed = true; changed;) {
    changed = false;
    for (const p of [...inside])
      if (strength(p) < Math.min(3, Math.max(2, inside.size - 1))) {
        inside.delete(p);
        changed = true;
      }
  }
  let best: number[] = [];
  const seen = new Set<number>();
  for (const start of inside) {
    if (seen.has(start)) continue;
    const part = [start];
    seen.add(start);
    for (let head = 0; head < part.length; head += 1)
      for (const i of net.factsOf[part[head]])
        for (const q of others(part[head], i))
          if (inside.has(q) && !seen.has(q)) {
            seen.add(q);
            part.push(q);
          }
    if (part.length > best.length) best = part;
  }
  return best;
}

const tiesOf = (net: Net): Map<number, Map<number, number>> => {
  const out = new Map<number, Map<number, number>>();
  const put = (a: number, b: number, m: number) => {
    if (!out.has(a)) out.set(a, new Map());
    out.get(a)!.set(b, m);
  };
  for (const f of net.facts)
    if (f.kind === 'tie') {
      const [a, b] = pointsOfFact(f).map((id) => net.index.get(id)!);
      put(a, b, f.m);
      put(b, a, f.m);
    }
  return out;
};

/** Two tied points of known height, far apart and with many common neighbours: one at the origin, the other on +X. */
export function levelSeeds(net: Net): Places[] {
  const heights = new Map<number, number>();
  for (const f of net.facts) if (f.kind === 'height') heights.set(net.index.get(f.id)!, f.m);
  const ties = tiesOf(net);
  const list: { places: Places; value: number }[] = [];
  for (const [a, others] of ties)
    for (const [b, m] of others) {
      if (b < a || !heights.has(a) || !heights.has(b)) continue;
      const level = m * m - (heights.get(a)! - heights.get(b)!) ** 2;
      if (level < 0.01) continue;
      const common = [...others.keys()].filter((c) => ties.get(b)!.has(c) && heights.has(c)).length;
      list.push({
        places: new Map<number, Vec3>([
          [a, [0, heights.get(a)!, 0]],
          [b, [Math.sqrt(level), heights.get(b)!, 0]],
        ]),
        value: (common + 0.1) * Math.sqrt(level),
      });
    }
  return list
    .sort((p, q) => q.value - p.value)
    .slice(0, SEEDS)
    .map((s) => s.places);
}

/** Three points tied to each other, wide and with many common neighbours, laid into the plane y = 0. */
export function triangleSeeds(net: Net): Places[] {
  const ties = tiesOf(net);
  const list: { places: Places; value: number }[] = [];
  for (const [a, ofA] of ties)
    for (const [b, ab] of ofA) {
      if (b < a) continue;
      for (const [c, bc] of ties.get(b)!) {
        if (c < b || !ofA.has(c)) continue;
        const ac = ofA.get(c)!;
        const along = (ab * ab + ac * ac - bc * bc) / (2 * ab);
        const up = ac * ac - along * along;
        if (up < 0.01 * ac * ac) continue;
        const common = [...ofA.keys()].filter((d) => ties.get(b)!.has(d) && ties.get(c)!.has(d)).length;
        list.push({
          places: new Map<number, Vec3>([
            [a, [0, 0, 0]],
            [b, [ab, 0, 0]],
            [c, [along, 0, Math.sqrt(up)]],
          ]),
          value: (common + 0.1) * Math.sqrt(up),
        });
      }
    }
  return list
    .sort((p, q) => q.value - p.value)
    .slice(0, SEEDS)
    .map((s) => s.places);
}
