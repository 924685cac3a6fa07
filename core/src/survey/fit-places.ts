import { adjust, orderPoints } from './adjust';
import { rowsOf, type Net, type Places } from './net';
import { CAP, candidates, scoreOf, surfacesOf } from './surfaces';

/** Where two facts and so large a share of a point's facts are far off, it is the point that lies wrong. */
const FOLDED_SHARE = 0.4;

/** A few rounds of least squares in which far residuals count less (Huber), so that a blunder does not bend what is already placed. */
export function refine(net: Net, placed: Places, level: boolean, rounds = 2): void {
  const { rows, order } = rowsOf(net, placed, level);
  let x: Float64Array = Float64Array.from(order.flatMap((p) => placed.get(p)!));
  const slot = orderPoints(rows, order.length);
  const g = new Float64Array(9);
  for (let round = 0; round < rounds; round += 1) {
    for (let r = 0; r < rows.count; r += 1) {
      const off = rows.offSigmas(r, x, g);
      rows.weight[r] = off > 2 ? 2 / off : 1;
    }
    x = adjust(rows, x, slot, 3).x;
  }
  order.forEach((p, k) => placed.set(p, [x[3 * k], x[3 * k + 1], x[3 * k + 2]]));
}

/**
 * What remains against the placed points: mean capped square over all facts between them, how many of them are far off, and at how many
 * points so many are that the point must lie wrong rather than the lengths.
 */
export function misfit(net: Net, placed: Places): { cost: number; far: number; folded: number } {
  const { rows, order } = rowsOf(net, placed, true);
  const x = Float64Array.from(order.flatMap((p) => placed.get(p)!));
  const g = new Float64Array(9);
  const farAt = new Int32Array(order.length),
    factsAt = new Int32Array(order.length);
  let sum = 0,
    far = 0;
  for (let r = 0; r < rows.count; r += 1) {
    const there = [0, 1, 2].map((k) => rows.point[3 * r + k]).filter((p) => p >= 0);
    for (const p of there) factsAt[p] += 1;
    const square = ((rows.measured[r] - rows.evaluate(r, x, g)) / Math.hypot(rows.sigma[r], 0.005)) ** 2;
    sum += Math.min(CAP, square);
    if (square <= CAP) continue;
    far += 1;
    for (const p of there) farAt[p] += 1;
  }
  let folded = 0;
  for (let p = 0; p < order.length; p += 1) if (farAt[p] >= 2 && farAt[p] >= FOLDED_SHARE * factsAt[p]) folded += 1;
  return { cost: rows.count > 0 ? sum / rows.count : 0, far, folded };
}

/** Neighbours that are adjusted lie right to about this, m. */
const SETTLED_M = 0.006;
/** A better place must be better by this much, in capped squares. */
const BETTER = 9;
/** Passes go on while they mend; each costs about a refinement. */
const PASSES = 30;
const IDLE_PASSES = 3;

/** Points that lie folded over to the wrong side of their neighbours are put where their own facts want them. */
export function unfold(net: Net, placed: Places, random: () => number): void {
  let best = { ...misfit(net, placed), at: new Map(placed) };
  let idle = 0;
  for (let pass = 0; pass < PASSES && idle < IDLE_PASSES; pass += 1) {
    let moved = 0;
    for (const [p, at] of placed) {
      const surfaces = surfacesOf(net, p, placed, true);
      if (surfaces.length < 4) continue;
      const now = scoreOf(surfaces, at, SETTLED_M);
      if (now < CAP) continue;
      const [found] = candidates(surfaces, random, SETTLED_M);
      if (!found || scoreOf(surfaces, found, SETTLED_M) > now - BETTER) continue;
      placed.set(p, found);
      moved += 1;
    }
    if (moved === 0) break;
    refine(net, placed, true, 1);
    const now = misfit(net, placed);
    const better = now.far < best.far || (now.far === best.far && now.cost < best.cost);
    idle = better ? 0 : idle + 1;
    if (better) best = { ...now, at: new Map(placed) };
  }
  for (const [p, at] of best.at) placed.set(p, at);
}

/** Ends of facts that are far off: among them are the points that lie folded. */
export function endsOfFarFacts(net: Net, placed: Places): Set<number> {
  const { rows, order } = rowsOf(net, placed, true);
  const x = Float64Array.from(order.flatMap((p) => placed.get(p)!));
  const g = new Float64Array(9);
  const bad = new Set<number>();
  for (let r = 0; r < rows.count; r += 1)
    if (Math.abs(rows.measured[r] - rows.evaluate(r, x, g)) > 10 * Math.hypot(rows.sigma[r], 0.005))
      for (let k = 0; k < 3; k += 1) if (rows.point[3 * r + k] >= 0) bad.add(order[rows.point[3 * r + k]]);
  return bad;
}
