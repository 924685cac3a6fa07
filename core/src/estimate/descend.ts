/** A sum of squares, or what is kept as one, as the loop needs it; X is whatever holds the unknowns. */
export interface Descent<X> {
  /** cost at x; what a step from there needs is kept until the next call */
  linearise(x: X): number;
  /** from x, where it was linearised last: the step at this damping and the fall of the cost that it promises; null: not positive definite, or to where nothing may be */
  step(x: X, damping: number): { to: X; promised: number } | null;
  costAt(x: X): number;
}

export interface Trial<X> {
  from: X;
  to: X;
  /** cost before, and by how much it fell; below 0 where the step was refused */
  cost: number;
  fall: number;
  promised: number;
  damping: number;
  taken: boolean;
}

export interface Damping<X> {
  first: number;
  /** beyond it no step helps: 'stationary' */
  most: number;
  /** after a step that was taken; gain: fall over what was promised */
  falls(trial: Trial<X>, gain: number): number;
  /** after the nth refusal in a row; singular: there was no step */
  rises(damping: number, nth: number, singular: boolean): number;
}

export interface DescentOptions<X, R extends string> {
  maxIterations: number;
  damping: Damping<X>;
  /** why it ends with this trial, or null */
  ends(trial: Trial<X>): R | null;
  /** is the cost that a step comes to low enough to take it; where it is missing: not above the one before */
  takes?(before: number, after: number): boolean;
  /** what a step needs is computed at the end too, for a covariance; default true */
  linearisedAtEnd?: boolean;
  onIteration?(iteration: number, cost: number): void;
}

export interface DescentResult<X, R extends string> {
  x: X;
  reason: R | 'stationary' | 'maxIterations';
  /** steps that were tried */
  iterations: number;
  initialCost: number;
  finalCost: number;
}

/**
 * The one damped loop: every least-squares problem of the core goes down by it, each with its own rows, factor and measure of being there.
 * Method  Levenberg–Marquardt: a step that lowers the cost is taken and the damping falls, else it rises and the step is tried again.
 * Source  Madsen, Nielsen, Tingleff, Methods for Non-Linear Least Squares Problems (2004), sec. 3.2.
 */
export function descend<X, R extends string>(problem: Descent<X>, start: X, options: DescentOptions<X, R>): DescentResult<X, R> {
  const takes = options.takes ?? ((before: number, after: number) => after <= before);
  let x = start;
  let cost = problem.linearise(x);
  const initialCost = cost;
  let damping = options.damping.first;
  let refused = 0;
  for (let iteration = 0; iteration < options.maxIterations; iteration += 1) {
    options.onIteration?.(iteration, cost);
    const step = problem.step(x, damping);
    if (step) {
      const after = problem.costAt(step.to);
      const taken = takes(cost, after);
      const trial: Trial<X> = { from: x, to: step.to, cost, fall: cost - after, promised: step.promised, damping, taken };
      const reason = options.ends(trial);
      if (taken) {
        x = step.to;
        refused = 0;
        damping = options.damping.falls(trial, trial.fall / Math.max(step.promised, 1e-300));
        cost = reason !== null && options.linearisedAtEnd === false ? after : problem.linearise(x);
      }
      if (reason !== null) return { x, reason, iterations: iteration + 1, initialCost, finalCost: cost };
      if (taken) continue;
    }
    refused += 1;
    damping = options.damping.rises(damping, refused, step === null);
    if (damping > options.damping.most) return { x, reason: 'stationary', iterations: iteration + 1, initialCost, finalCost: cost };
  }
  return { x, reason: 'maxIterations', iterations: options.maxIterations, initialCost, finalCost: cost };
}

/** Damping after a step by how well it kept what was promised (Nielsen, Damping Parameter in Marquardt's Method, IMM-REP-1999-05). */
export const fallsByGain = (damping: number, gain: number, least: number, mostShrink: number): number => Math.max(least, damping * Math.max(mostShrink, 1 - (2 * gain - 1) ** 3));
