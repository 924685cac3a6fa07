import { median } from '../math';

/** Residual over its sigma beyond which a row contradicts the others: one in a thousand good ones does by chance (Baarda 1968). */
export const SUSPECT_NORMALISED = 3.29;
/** Nearer than this share of the limit what was left out comes back. */
const FITS_AGAIN = 0.8;
/** Residuals of at least this share of the worst one are looked at in the same round. */
const ALSO_BAD = 0.6;
const MOST_ROUNDS = 60;
/** Fewer say nothing of how their tolerances were stated. */
const LEAST_FOR_SPREAD = 6;

/** One row against the rest. */
export interface Normalised {
  row: number;
  /** residual over its own sigma; of a row that is left out, against what the others predict; null: nothing checks it */
  w: number | null;
  isOut: boolean;
}
export interface SnoopProblem<F> {
  /** every row against a fit */
  judge(fit: F): Normalised[];
  /** what a row belongs to: rows of one thing leave and come back together */
  thingOf(row: number): number;
  /** names of what a thing speaks of: two that share one may be bad for one reason, and do not leave in the same round */
  speaksOf(thing: number): readonly string[];
  /** things that a fit was made without */
  outOf(fit: F): ReadonlySet<number>;
  /** the fit without these things, begun at another one */
  without(from: F, things: ReadonlySet<number>): F;
}
export interface Snooped<F> {
  fit: F;
  /** how much wider than stated the residuals scatter: tolerances that are too small throughout are no blunders */
  spread: number;
  /** something contradicts the rest still */
  stillBad: boolean;
}

/**
 * Data snooping over many rows: the thing with the largest normalised residual is left out, in one round with others as bad that speak of nothing
 * it speaks of, and comes back when it fits (Ghilani, Adjustment Computations, 2017, ch. 21; Baarda 1968).
 * @param most things that may be left out
 * @param mostSpread how wide the scatter of all may be taken to be
 */
export function snoop<F>(problem: SnoopProblem<F>, start: F, most: number, mostSpread: number): Snooped<F> {
  let fit = start;
  let spread = 1;
  for (let round = 0; round <= MOST_ROUNDS; round += 1) {
    const judged = problem.judge(fit);
    const used = judged.filter((j) => j.w !== null && !j.isOut);
    spread = used.length >= LEAST_FOR_SPREAD ? Math.max(1, Math.min(mostSpread, median(used.map((j) => Math.abs(j.w!))) / 0.6745)) : 1;
    const back = comesBack(problem, fit, judged, spread);
    if (back) {
      fit = back;
      continue;
    }
    const bad = used.filter((j) => Math.abs(j.w!) > SUSPECT_NORMALISED * spread).sort((a, b) => Math.abs(b.w!) - Math.abs(a.w!));
    if (bad.length === 0) return { fit, spread, stillBad: false };
    const out = problem.outOf(fit);
    if (out.size >= most) return { fit, spread, stillBad: true };
    fit = problem.without(fit, withWorst(problem, out, bad, most));
  }
  return { fit, spread, stillBad: true };
}

/** The fit with the best of what was left out, where that fits by now; null: nothing does. Once in, it must stay in by the same measure as all. */
function comesBack<F>(problem: SnoopProblem<F>, fit: F, judged: readonly Normalised[], spread: number): F | null {
  const [best] = judged.filter((j) => j.isOut && Math.abs(j.w!) < FITS_AGAIN * SUSPECT_NORMALISED * spread).sort((a, b) => Math.abs(a.w!) - Math.abs(b.w!));
  if (!best) return null;
  const back = problem.without(fit, new Set([...problem.outOf(fit)].filter((thing) => thing !== problem.thingOf(best.row))));
  const again = problem.judge(back).find((j) => j.row === best.row)!;
  return Math.abs(again.w ?? 0) < SUSPECT_NORMALISED * spread ? back : null;
}

/** The worst one; and of those as bad, the ones that share nothing with it, since they do not speak of the same. */
function withWorst<F>(problem: SnoopProblem<F>, before: ReadonlySet<number>, bad: readonly Normalised[], most: number): Set<number> {
  const out = new Set(before);
  const touched = new Set<string>();
  for (const j of bad) {
    const names = problem.speaksOf(problem.thingOf(j.row));
    if (Math.abs(j.w!) < ALSO_BAD * Math.abs(bad[0].w!) || names.some((n) => touched.has(n)) || out.size >= most) continue;
    out.add(problem.thingOf(j.row));
    names.forEach((n) => touched.add(n));
  }
  return out;
}
