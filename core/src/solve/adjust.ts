import { descend, fallsByGain, type DescentResult, type Trial } from '../estimate';
import { BundleGradient } from './bundle-gradient';
import { evaluateBundle, Linearisation, profileAt, residualsAt, stepState, type BundleProblem, type BundleState } from './bundle-problem';
import { SchurSystem } from './schur';
import { addCurvature } from './step-curvature';

export interface AdjustOptions {
  /** Huber's threshold on a residual's length, px; Infinity for plain least squares. Default Infinity */
  huberPx?: number;
  maxIterations?: number; // default 30
  /**
   * Reason 'cost': relative fall of the cost below this, of a step or of the next one; default 1e-7. An undamped step that keeps all but a share s of its
   * promise leaves about s² of it: where s times the promise is small, one more round would only say so.
   */
  costTolerance?: number;
  /**
   * Reason 'settled': stop only where a further almost undamped step would move no combination of the unknowns by more than a fiftieth of its own sigma
   * (the Newton decrement, which asks for gradient and step at once in the unknowns' own scale; Boyd & Vandenberghe, Convex Optimization, sec. 9.5): by the
   * length of the last step, or sooner by what the last two say of the next.
   * In a flat valley the cost hardly falls long before its floor is reached.
   */
  settle?: boolean;
  onIteration?: (iteration: number, cost: number) => void;
}

export interface AdjustResult {
  state: BundleState;
  reason: 'cost' | 'settled' | 'stationary' | 'maxIterations';
  iterations: number;
  initialCost: number;
  finalCost: number;
}

/** Where a step's length in sigmas is judged, it must be shortened by no more than this. */
const SETTLING_DAMPING = 1e-8;
const SETTLED_SIGMAS = 0.02;
/** A round leaves a share of what there was, by which a step is shorter than the one before or breaks its promise: at least as much, and as much more than it looks. */
const LEAST_LEFT = 0.05;
const CAREFUL = 1.5;
const FIRST_DAMPING = 1e-5;
const LEAST_DAMPING = 1e-9;
const MOST_DAMPING = 1e8;
const MOST_SHRINK = 0.1;
/** In a valley that bends each step is as long as the bend lets it be: a damping that was just refused, and a hundred times as much, both waste a round. */
const WELL_ABOVE = 4;
const FORGOTTEN = 0.5;

/** Of what a step promised, the share that it broke, to either side: robust weights and curvature leave it to the steps that follow. */
const brokenShare = (t: Trial<BundleState>): number => Math.abs(1 - t.fall / Math.max(t.promised, 1e-300));

/** Every camera keeps a focal length. */
function positive(problem: BundleProblem, state: BundleState): boolean {
  if (!problem.zoom) return true;
  for (let c = 0; c < problem.cameraCount; c += 1) if (!(profileAt(problem, state, c) > 0.02)) return false;
  return true;
}

/** ½ Σ ρ(|r|) with Huber's ρ, plus what is known of focal length and lens beforehand. Returns the weights' square roots in `scale` when given. */
export function robustCost(problem: BundleProblem, state: BundleState, residual: Float64Array, huberPx: number, scale?: Float64Array): number {
  let sum = 0;
  const count = problem.camera.length;
  for (let i = 0; i < count; i += 1) {
    const e = Math.hypot(residual[2 * i], residual[2 * i + 1]);
    if (e <= huberPx) {
      sum += e * e;
      if (scale) scale[i] = 1;
    } else {
      sum += huberPx * (2 * e - huberPx);
      if (scale) scale[i] = Math.sqrt(huberPx / e);
    }
  }
  const { focal } = problem;
  if (!focal.held && focal.priorSigmaMm && focal.priorMm !== undefined) sum += ((state.focalMm - focal.priorMm) / focal.priorSigmaMm) ** 2;
  problem.freeLens?.forEach(({ prior }, k) => {
    if (prior && state.lens) sum += ((state.lens[k] - prior.value) / prior.sigma) ** 2;
  });
  return sum / 2;
}

/**
 * A bundle by the damped loop of the core (descend.ts).
 * Method  Huber weights by iteratively re-weighted rows; damping by the gain ratio; each step follows the bend of the residuals (step-curvature.ts).
 * Gauge   Left free: the damping keeps the system positive definite, which converges faster than holding a camera.
 */
export function adjust(problem: BundleProblem, start: BundleState, options: AdjustOptions = {}): AdjustResult {
  const huberPx = options.huberPx ?? Infinity;
  const maxIterations = options.maxIterations ?? 30;
  const { settle = false, costTolerance = 1e-7 } = options;
  const isSmall = (t: Trial<BundleState>): boolean => t.fall <= costTolerance * t.cost;
  const nextIsSmall = (t: Trial<BundleState>): boolean => t.damping <= FIRST_DAMPING && 2 * Math.max(t.promised, t.fall) * Math.max(LEAST_LEFT ** 2, brokenShare(t)) <= costTolerance * t.cost;
  const count = problem.camera.length;
  if (maxIterations === 0) {
    const cost = robustCost(problem, start, residualsAt(problem, start), huberPx);
    return { state: start, reason: 'maxIterations', iterations: 0, initialCost: cost, finalCost: cost };
  }
  const system = new SchurSystem(problem);
  const gradient = new BundleGradient(problem, system);
  const lin = new Linearisation(count);
  const trial = new Linearisation(count, false);
  const scale = new Float64Array(count);
  let before: number | null = null; // length of the step before, in sigmas
  let refused = 0; // damping of the last step that was refused; less of it is tried again by and by, and not at once
  return solved(
    descend<BundleState, 'cost' | 'settled'>(
      {
        linearise(state) {
          evaluateBundle(problem, state, lin, true);
          const cost = robustCost(problem, state, lin.residual, huberPx, scale);
          gradient.gather(state, lin, scale);
          return cost;
        },
        step(state, damping) {
          if (!system.factor(lin, damping, gradient.priorWeight)) return null;
          const step = system.solve(gradient.camera, gradient.point, gradient.focal, gradient.zoom, gradient.lens);
          addCurvature(problem, state, lin, scale, step, system, trial);
          const to = stepState(state, step.camera, step.point, step.focal, step.zoom, step.lens);
          if (!(to.focalMm > 0.1 * state.focalMm && positive(problem, to))) return null;
          return { to, promised: gradient.promisedBy(step) };
        },
        costAt(state) {
          evaluateBundle(problem, state, trial, false);
          return robustCost(problem, state, trial.residual, huberPx);
        },
      },
      start,
      {
        maxIterations,
        damping: {
          // what is to settle was adjusted before: an undamped step is tried at once
          first: settle ? SETTLING_DAMPING : FIRST_DAMPING,
          most: MOST_DAMPING,
          falls(t, gain) {
            const damping = Math.max(fallsByGain(t.damping, gain, LEAST_DAMPING, MOST_SHRINK), Math.min(t.damping, WELL_ABOVE * refused));
            refused *= FORGOTTEN;
            // a damped step says little of how far a flat direction still goes
            return settle && isSmall(t) && t.damping > SETTLING_DAMPING ? Math.min(damping, SETTLING_DAMPING) : damping;
          },
          rises(damping, nth) {
            refused = damping;
            return damping * WELL_ABOVE * 2 ** (nth - 1);
          },
        },
        ends(t) {
          if (!t.taken) return null;
          if (!settle) return isSmall(t) || nextIsSmall(t) ? 'cost' : null;
          if (t.damping > SETTLING_DAMPING) return null;
          // of the noise that is there: half the cost an observation is the variance of one coordinate
          const sigmasOf = (fall: number): number => Math.sqrt((2 * Math.max(0, fall)) / Math.max(t.cost / count, 1e-300));
          // a bent step may promise next to nothing and fall far
          const sigmas = sigmasOf(Math.max(t.promised, t.fall));
          const share = Math.max(LEAST_LEFT, before === null ? 1 : sigmas / before, brokenShare(t));
          before = sigmas;
          const next = share < 1 ? (CAREFUL * sigmas * share) / Math.sqrt(1 - share) : Infinity;
          return next <= SETTLED_SIGMAS || (isSmall(t) && sigmasOf(t.promised) <= SETTLED_SIGMAS) ? 'settled' : null;
        },
        linearisedAtEnd: false,
        onIteration: options.onIteration,
      },
    ),
  );
}

const solved = ({ x, ...told }: DescentResult<BundleState, 'cost' | 'settled'>): AdjustResult => ({ state: x, ...told });
