import { normals, uniform } from './noise';

type P3 = [number, number, number];
export interface DrawnNet {
  points: Map<string, P3>;
  ties: { a: string; b: string; m: number; sigmaM: number }[];
  heights: { id: string; m: number; sigmaM: number }[];
  /** places that an instrument gave */
  known: { id: string; at: P3; sigmaM: P3 }[];
  /** ties that are wrong, by index */
  wrong: number[];
  /** what was drawn, in words */
  words: string;
}

/**
 * A set of marks as somebody may have taped it: 5 to 35 marks, three to eight ties each, none to many heights, none to three known places, none to
 * three blunders (centimetres to metres, units and digits), and now and then an instrument that reads some of the ties too long.
 */
export function drawnNet(seed: number): DrawnNet {
  const u = uniform(1000 + seed);
  const g = normals(5000 + seed);
  const n = 5 + Math.floor(31 * u() ** 1.5);
  const room: P3 = [4 + 8 * u(), 2 + 2 * u(), 4 + 6 * u()];
  const points = new Map<string, P3>(Array.from({ length: n }, (_, i) => [`p${i}`, [room[0] * u(), u() < 0.4 ? 0 : room[1] * u(), -room[2] * u()]]));
  const ids = [...points.keys()];
  const apart = (a: string, b: string) => Math.hypot(...points.get(a)!.map((v, k) => v - points.get(b)![k]));
  const sigmaM = 0.0015 + 0.0015 * u();
  const perPoint = 3 + Math.floor(6 * u());
  const ties: DrawnNet['ties'] = [];
  const there = new Set<string>();
  for (const a of ids) {
    // nobody tapes across the whole room while something nearer is untaped
    const near = ids.filter((b) => b !== a).sort((p, q) => apart(a, p) - apart(a, q));
    let made = ties.filter((t) => t.a === a || t.b === a).length;
    for (let tries = 0; made < perPoint && tries < 60; tries += 1) {
      const b = near[Math.floor(Math.min(near.length, 10) * u())];
      const key = [a, b].sort().join();
      if (there.has(key) || apart(a, b) < 0.15) continue;
      there.add(key);
      ties.push({ a, b, m: apart(a, b) + sigmaM * g(), sigmaM });
      made += 1;
    }
  }
  const heightCount = u() < 0.25 ? 0 : u() < 0.5 ? 3 : Math.ceil(n / 3);
  const heights = ids.slice(0, Math.min(n, heightCount)).map((id) => ({ id, m: points.get(id)![1] + 0.003 * g(), sigmaM: 0.003 }));
  const known = u() < 0.3 ? ids.slice(-3).map((id) => ({ id, at: points.get(id)!.map((v) => v + 0.001 * g()) as P3, sigmaM: [0.001, 0.001, 0.001] as P3 })) : [];
  const blunders = Math.floor(4 * u());
  const wrong = [...new Set(Array.from({ length: blunders }, () => Math.floor(u() * ties.length)))];
  for (const i of wrong) {
    const { m } = ties[i];
    const kind = u();
    ties[i].m = kind < 0.3 ? m / 2.54 : kind < 0.5 ? m + (u() < 0.5 ? 1 : -0.5) * Math.min(1, m / 2) : m + (u() < 0.5 ? 1 : -1) * Math.min(m / 2, 0.03 + 0.3 * u());
  }
  const stretch = u() < 0.25 ? 1 + 0.001 * (2 + 6 * u()) : 1;
  if (stretch > 1) for (const [i, t] of ties.entries()) if (i % 3 === 0 && !wrong.includes(i)) t.m *= stretch;
  const words = `${n} marks, ${ties.length} ties, ${heights.length} heights, ${known.length} known, ${wrong.length} wrong${stretch > 1 ? `, a third ${((stretch - 1) * 1000).toFixed(1)} ‰ long` : ''}`;
  return { points, ties, heights, known, wrong, words };
}
