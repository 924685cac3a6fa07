import { median } from '../math';
import { pointsOfFact } from '../facts';
import type { Net } from './net';
import { factRowsOf, fitWithout, judgeRow, type Judged, type NetFit, type NetProblem } from './net-fit';

/** Residual over its sigma beyond which a fact contradicts the others: one in a thousand good ones does by chance (Baarda 1968). */
export const SUSPECT_NORMALISED = 3.29;
/** So many sigmas off after the robust start is a blunder beyond doubt. */
const GROSS = 25;
/** Nearer than this share of the limit what was left out comes back. */
const FITS_AGAIN = 0.8;
/** Residuals of at least this share of the worst one are looked at in the same round. */
const ALSO_BAD = 0.6;
const MOST_ROUNDS = 60;
/** Fewer say nothing of how their tolerances were stated. */
const LEAST_FOR_SPREAD = 6;

/** What is beyond all doubt goes at once; it comes back when it fits the rest after all. */
export function grossBlunders(net: Net, { rows }: NetProblem, off: readonly { row: number; off: number }[], most: number): Set<number> {
  const gross = off.filter((q) => q.off > GROSS);
  // two at one point speak of the point, not of the lengths
  const at = new Map<string, number>();
  for (const q of gross) for (const id of pointsOfFact(net.facts[rows.fact[q.row]])) at.set(id, (at.get(id) ?? 0) + 1);
  const alone = gross.filter((q) => pointsOfFact(net.facts[rows.fact[q.row]]).every((id) => at.get(id) === 1));
  return new Set(alone.slice(0, most).map((q) => rows.fact[q.row]));
}

export interface Snooped {
  fit: NetFit;
  /** how much wider than stated the residuals scatter: tolerances that are too small throughout are no blunders */
  spread: number;
  /** something contradicts the rest still */
  stillBad: boolean;
}

/**
 * Data snooping: the fact with the largest normalised residual is left out, in one round with others as bad that share no point with it, and comes
 * back when it fits (Ghilani, Adjustment Computations, 2017, ch. 21; Baarda 1968).
 * @param most facts that may be left out
 * @param mostSpread how wide the scatter of all may be taken to be
 */
export function snoop(net: Net, problem: NetProblem, start: NetFit, most: number, mostSpread: number): Snooped {
  let fit = start;
  let spread = 1;
  for (let round = 0; round <= MOST_ROUNDS; round += 1) {
    const judged = factRowsOf(problem.rows).map((r) => judgeRow(problem, fit, r));
    const used = judged.filter((j) => j.w !== null && problem.rows.weight[j.row] > 0);
    spread = used.length >= LEAST_FOR_SPREAD ? Math.max(1, Math.min(mostSpread, median(used.map((j) => Math.abs(j.w!))) / 0.6745)) : 1;
    const back = comesBack(problem, fit, judged, spread);
    if (back) {
      fit = back;
      continue;
    }
    const bad = used.filter((j) => Math.abs(j.w!) > SUSPECT_NORMALISED * spread).sort((a, b) => Math.abs(b.w!) - Math.abs(a.w!));
    if (bad.length === 0) return { fit, spread, stillBad: false };
    if (fit.suspects.size >= most) return { fit, spread, stillBad: true };
    fit = fitWithout(problem, fit.x, withWorst(net, problem, fit.suspects, bad, most));
  }
  return { fit, spread, stillBad: true };
}

/** The adjustment with the best of what was left out, where that fits by now; null: nothing does. Once in, it must stay in by the same measure as all. */
function comesBack(problem: NetProblem, fit: NetFit, judged: readonly Judged[], spread: number): NetFit | null {
  const { rows } = problem;
  const [best] = judged.filter((j) => rows.weight[j.row] === 0 && Math.abs(j.w!) < FITS_AGAIN * SUSPECT_NORMALISED * spread).sort((a, b) => Math.abs(a.w!) - Math.abs(b.w!));
  if (!best) return null;
  const back = fitWithout(problem, fit.x, new Set([...fit.suspects].filter((s) => s !== rows.fact[best.row])));
  if (Math.abs(judgeRow(problem, back, best.row).w ?? 0) < SUSPECT_NORMALISED * spread) return back;
  // the rows' weights are those of the adjustment that holds
  fitWithout(problem, back.x, fit.suspects);
  return null;
}

/** The worst one; and of those as bad, the ones that share no point with it, since they do not speak of the same. */
function withWorst(net: Net, { rows }: NetProblem, suspects: ReadonlySet<number>, bad: readonly Judged[], most: number): Set<number> {
  const out = new Set(suspects);
  const touched = new Set<string>();
  for (const j of bad) {
    const ids = pointsOfFact(net.facts[rows.fact[j.row]]);
    if (Math.abs(j.w!) < ALSO_BAD * Math.abs(bad[0].w!) || ids.some((id) => touched.has(id)) || out.size >= most) continue;
    out.add(rows.fact[j.row]);
    ids.forEach((id) => touched.add(id));
  }
  return out;
}
