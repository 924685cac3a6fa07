/** χ² by which two explanations must differ before one of them is the explanation (three sigma). */
export const TOLD_APART = 9;
/** What remains must be worse than this many times what is usual before anything is taken for wrong. */
const MISFIT = 1.5;
/** Leaving it out must bring what remains down to this share. */
const GAIN = 0.6;
/** So many of its own sigmas what is left out must lie off what all the others say. */
const OFF_SIGMAS = 4;

/** How well an answer agrees with what it was made from. */
export interface Agreement {
  /** the sum of squares over sigmas */
  chi2: number;
  /** rows less unknowns */
  redundancy: number;
}
/** The root of χ² for each row that is over; 1 is usual. */
export const misfitOf = ({ chi2, redundancy }: Agreement): number => Math.sqrt(chi2 / Math.max(1, redundancy));

/** An answer that was made without one thing. */
export interface WithoutOne<W, S extends Agreement> {
  /** what it was made without */
  what: W;
  rest: S;
}
export interface LeaveOutProblem<W, S extends Agreement> {
  /** answers that were each made without one more thing; those that are not determined are not among them */
  without(answer: S): WithoutOne<W, S>[];
  /** by how many of its sigmas what was left out lies off an answer that was made without it */
  offSigmas(out: WithoutOne<W, S>): number;
  /** the second says the same as the first in other words, and is no other explanation */
  saysTheSame?(first: W, second: W): boolean;
}
export interface LeaveOutResult<W, S> {
  answer: S;
  /** in the order in which they were left out; `as well`: what would explain it nearly as well and says the same in other words */
  left: { what: W; rest: S; asWell: W[] }[];
  /** two explanations of what does not fit that nothing tells apart; neither was left out */
  undecided: readonly [W, W] | null;
}

/**
 * What is wrong among few, where one wrong thing bends all the rest towards it so that residuals do not show it: an answer is made without each,
 * and the one whose absence makes the rest agree is left out. What takes more of the checks along must earn them. Where a second one explains
 * it as well nothing is left out, and both are named.
 * For few cheap problems whose every subset can be fitted see `choose-facts`, for many rows whose residuals show it `snoop`.
 * Source: deletion diagnostics (Cook & Weisberg, Residuals and Influence in Regression, 1982, ch. 2), with Baarda's test against an independent value.
 */
export function leaveOut<W, S extends Agreement>(whole: S, problem: LeaveOutProblem<W, S>): LeaveOutResult<W, S> {
  const out: LeaveOutResult<W, S> = { answer: whole, left: [], undecided: null };
  while (out.answer.redundancy > 1 && misfitOf(out.answer) > MISFIT) {
    const now = out.answer;
    const options = problem.without(now).filter((o) => o.rest.redundancy >= 1 && Number.isFinite(o.rest.chi2));
    if (options.length === 0) return out;
    const scale = Math.max(1, Math.min(...options.map((o) => misfitOf(o.rest)))) ** 2;
    const priceOf = (o: WithoutOne<W, S>) => o.rest.chi2 + TOLD_APART * scale * (now.redundancy - o.rest.redundancy);
    options.sort((a, b) => priceOf(a) - priceOf(b));
    const [best, ...others] = options;
    if (misfitOf(best.rest) > GAIN * misfitOf(now)) return out;
    const near = others.filter((o) => priceOf(o) - priceOf(best) < TOLD_APART * scale);
    const same = (o: WithoutOne<W, S>) => problem.saysTheSame?.(best.what, o.what) ?? false;
    const second = near.find((o) => !same(o));
    if (second) return { ...out, undecided: [best.what, second.what] };
    if (problem.offSigmas(best) < OFF_SIGMAS) return out;
    out.left.push({ ...best, asWell: near.filter(same).map((o) => o.what) });
    out.answer = best.rest;
  }
  return out;
}
