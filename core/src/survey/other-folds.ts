import { TOLD_APART } from '../estimate';
import { applySimilarity, umeyama, type Vec3 } from '../math';
import type { Net, Places } from './net';
import type { NetAttempt } from './net-attempt';
import { layAgain } from './place';
import { sideTold } from './twins';

/** Other layouts that are tried; each costs about as much as the net itself. */
const TRIES = 6;
/** Larger nets are laid out again only where what was found cannot be right. */
const SMALL_NET = 60;
/** A net whose points are checked by less than so many facts each may be folded otherwise without a contradiction. */
const BRACED = 1;
/** Residuals that scatter wider than so many of their sigmas may be those of a fold. */
const USUAL_SCATTER = 1.6;
/** Places that lie closer together than this are the same, m. */
const APART_M = 0.1;
/** The points that two folds share are at least this share of all. */
const SHARED = 0.6;
const ROUNDS = 12;

/** Whether a net may lie folded: something contradicts it, or too little holds it. */
function mayBeFolded(net: Net, a: NetAttempt): boolean {
  if (a.contradictory) return true;
  if (net.ids.length > SMALL_NET) return false;
  return (a.sigma0 ?? 0) > USUAL_SCATTER || a.redundancy < BRACED * net.ids.length;
}

/**
 * The best of several layouts of a net, and the points that lie elsewhere in another one which the facts do not tell from it. Lengths alone may be met
 * by several shapes, which no residual shows; where something contradicts a shape, another one may need no contradiction at all.
 * Source  global rigidity of frameworks: Hendrickson, Conditions for unique graph realizations, SIAM J. Comput. 21 (1992).
 */
export function bestFold(net: Net, first: NetAttempt, attempt: (raw: Places) => NetAttempt): { best: NetAttempt; elsewhere: Set<string> } {
  if (!mayBeFolded(net, first)) return { best: first, elsewhere: new Set() };
  const all = [first];
  for (let t = 0; t < TRIES; t += 1) {
    const raw = layAgain(net, first.placed, 31 + t);
    if (raw.size >= first.placed.size) all.push(attempt(raw));
  }
  const least = all.reduce((a, b) => (b.cost < a.cost - 1e-6 ? b : a));
  const alike = all.filter((a) => a.cost < least.cost + TOLD_APART * Math.max(1, least.sigma0 ?? 1) ** 2);
  // the floor and the plan tell shapes apart that the facts do not
  const told = (a: NetAttempt, b: NetAttempt, group: readonly number[]) => sideTold(net, group, a.placed, b.placed, !a.datum.upTaken && !b.datum.upTaken);
  let best = least;
  for (const a of alike) {
    const group = differing(best.placed, a.placed);
    if (group.length > 0 && told(best, a, group) === 'there') best = a;
  }
  const elsewhere = new Set<string>();
  for (const a of alike) {
    const group = a === best ? [] : differing(best.placed, a.placed);
    if (group.length > 0 && told(best, a, group) === null) for (const p of group) elsewhere.add(net.ids[p]);
  }
  // a question that is asked of somebody is no other fold
  for (const t of best.twins) t.ids.forEach((id) => elsewhere.delete(id));
  return { best, elsewhere };
}

/** Points that lie elsewhere when the others are laid on each other, as they are or mirrored. */
function differing(a: Places, b: Places): number[] {
  const ids = [...a.keys()].filter((p) => b.has(p));
  const to = ids.map((p) => a.get(p)!);
  const both = [1, -1].map((side) => {
    const from = ids.map((p): Vec3 => {
      const [x, y, z] = b.get(p)!;
      return [side * x, y, z];
    });
    let kept = ids.map((_, i) => i);
    let off: number[] = [];
    for (let round = 0; round < ROUNDS; round += 1) {
      const laid = umeyama(
        kept.map((i) => from[i]),
        kept.map((i) => to[i]),
        false,
      );
      off = from.map((q, i) => Math.hypot(...applySimilarity(laid, q).map((v, k) => v - to[i][k])));
      kept = [...off.keys()].sort((p, q) => off[p] - off[q]).slice(0, Math.max(3, Math.ceil(SHARED * off.length)));
    }
    return ids.filter((_, i) => off[i] > APART_M);
  });
  return both[0].length <= both[1].length ? both[0] : both[1];
}
