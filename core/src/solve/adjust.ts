import { evaluateBundle, Linearisation, profileAt, stepState, type BundleProblem, type BundleState } from './bundle-problem';
import { SchurSystem } from './schur';
import { addCurvature } from './step-curvature';

export interface AdjustOptions {
  /** Huber's threshold on a residual's length, px; Infinity for plain least squares. Default Infinity */
  huberPx?: number;
  maxIterations?: number; // default 30
  /** reason 'cost': relative fall of the cost below this; default 1e-7 */
  costTolerance?: number;
  /**
   * Reason 'settled': stop only where an almost undamped step would move no combination of the unknowns by more than a fiftieth of its own sigma
   * (the Newton decrement, which asks for gradient and step at once in the unknowns' own scale; Boyd & Vandenberghe, Convex Optimization, sec. 9.5).
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

/** Every camera keeps a focal length. */
function positive(problem: BundleProblem, state: BundleState): boolean {
  if (!problem.zoom) return true;
  for (let c = 0; c < problem.cameraCount; c += 1) if (!(profileAt(problem, state, c) > 0.02)) return false;
  return true;
}

/** ½ Σ ρ(|r|) with Huber's ρ, plus what is known of focal length and lens beforehand. Returns the weights' square roots in `scale` when given. */
export function robustCost(problem: BundleProblem, state: BundleState, lin: Linearisation, huberPx: number, scale?: Float64Array): number {
  let sum = 0;
  const count = problem.camera.length;
  for (let i = 0; i < count; i += 1) {
    const e = Math.hypot(lin.residual[2 * i], lin.residual[2 * i + 1]);
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
 * Levenberg–Marquardt on a bundle.
 * Source  Nielsen, Damping Parameter in Marquardt's Method, IMM-REP-1999-05 (gain ratio); Huber weights by iteratively re-weighted rows;
 *         each step follows the bend of the residuals (step-curvature.ts).
 * Gauge   Left free: the damping keeps the system positive definite, which converges faster than holding a camera.
 */
export function adjust(problem: BundleProblem, start: BundleState, options: AdjustOptions = {}): AdjustResult {
  const huberPx = options.huberPx ?? Infinity;
  const maxIterations = options.maxIterations ?? 30;
  const costTolerance = options.costTolerance ?? 1e-7;
  const count = problem.camera.length;
  if (maxIterations === 0) {
    const lin = new Linearisation(count);
    evaluateBundle(problem, start, lin, false);
    const cost = robustCost(problem, start, lin, huberPx);
    return { state: start, reason: 'maxIterations', iterations: 0, initialCost: cost, finalCost: cost };
  }
  const system = new SchurSystem(problem);
  const lin = new Linearisation(count);
  const trial = new Linearisation(count);
  const scale = new Float64Array(count);
  const gCamera = new Float64Array(6 * problem.cameraCount);
  const gPoint = new Float64Array(3 * problem.pointCount);
  let gFocal = 0;
  const zoomCount = system.zoomCount;
  const gZoom = new Float64Array(zoomCount);
  const lensCount = system.lensCount;
  const gLens = new Float64Array(lensCount);
  const prior = !problem.focal.held && problem.focal.priorSigmaMm ? 1 / problem.focal.priorSigmaMm ** 2 : 0;
  let state = start;

  const linearise = () => {
    evaluateBundle(problem, state, lin, true);
    const cost = robustCost(problem, state, lin, huberPx, scale);
    gCamera.fill(0);
    gPoint.fill(0);
    gZoom.fill(0);
    for (let k = 0; k < lensCount; k += 1) {
      const known = problem.freeLens![k].prior;
      gLens[k] = known && state.lens ? -(state.lens[k] - known.value) / known.sigma ** 2 : 0;
    }
    gFocal = prior > 0 ? -prior * (state.focalMm - problem.focal.priorMm!) : 0;
    for (let i = 0; i < count; i += 1) {
      const w = scale[i];
      if (w !== 1) {
        lin.residual[2 * i] *= w;
        lin.residual[2 * i + 1] *= w;
        for (let k = 12 * i; k < 12 * i + 12; k += 1) lin.jCamera[k] *= w;
        for (let k = 6 * i; k < 6 * i + 6; k += 1) lin.jPoint[k] *= w;
        lin.jFocal[2 * i] *= w;
        lin.jFocal[2 * i + 1] *= w;
        for (let k = 2 * lensCount * i; k < 2 * lensCount * (i + 1); k += 1) lin.jLens[k] *= w;
      }
      const ru = lin.residual[2 * i],
        rv = lin.residual[2 * i + 1];
      const c = 6 * problem.camera[i],
        p = 3 * problem.point[i];
      for (let k = 0; k < 6; k += 1) gCamera[c + k] -= lin.jCamera[12 * i + k] * ru + lin.jCamera[12 * i + 6 + k] * rv;
      for (let k = 0; k < 3; k += 1) gPoint[p + k] -= lin.jPoint[6 * i + k] * ru + lin.jPoint[6 * i + 3 + k] * rv;
      const alongFocal = lin.jFocal[2 * i] * ru + lin.jFocal[2 * i + 1] * rv;
      gFocal -= alongFocal;
      for (let k = 0; k < zoomCount; k += 1) gZoom[k] -= lin.zoomOverFocal[problem.camera[i] * zoomCount + k] * alongFocal;
      for (let k = 0; k < lensCount; k += 1) gLens[k] -= lin.jLens[2 * lensCount * i + k] * ru + lin.jLens[2 * lensCount * i + lensCount + k] * rv;
    }
    return cost;
  };

  let cost = linearise();
  const initialCost = cost;
  let damping = 1e-5;
  let growth = 2;
  let reason: AdjustResult['reason'] = 'maxIterations';
  let iterations = 0;
  for (; iterations < maxIterations; iterations += 1) {
    options.onIteration?.(iterations, cost);
    let accepted = false;
    const usedDamping = damping;
    if (system.factor(lin, damping, prior)) {
      const step = system.solve(gCamera, gPoint, gFocal, gZoom, gLens);
      addCurvature(problem, state, lin, scale, step, system, trial);
      const next = stepState(state, step.camera, step.point, step.focal, step.zoom, step.lens);
      if (next.focalMm > 0.1 * state.focalMm && positive(problem, next)) {
        evaluateBundle(problem, next, trial, false);
        const nextCost = robustCost(problem, next, trial, huberPx);
        if (nextCost <= cost) {
          let predicted = step.focal * gFocal;
          for (let k = 0; k < zoomCount; k += 1) predicted += step.zoom[k] * gZoom[k];
          for (let k = 0; k < lensCount; k += 1) predicted += step.lens[k] * gLens[k];
          for (let i = 0; i < gCamera.length; i += 1) predicted += step.camera[i] * gCamera[i];
          for (let i = 0; i < gPoint.length; i += 1) predicted += step.point[i] * gPoint[i];
          const gain = (cost - nextCost) / Math.max(predicted / 2, 1e-300);
          damping = Math.max(1e-9, damping * Math.max(0.1, 1 - (2 * gain - 1) ** 3));
          growth = 2;
          const small = cost - nextCost <= costTolerance * cost;
          // of the noise that is there: half the cost an observation is the variance of one coordinate
          const sigmas = Math.sqrt(Math.max(0, predicted) / Math.max(cost / count, 1e-300));
          const undamped = usedDamping <= SETTLING_DAMPING;
          state = next;
          accepted = true;
          if (options.settle ? small && undamped && sigmas <= SETTLED_SIGMAS : small) {
            cost = nextCost;
            reason = options.settle ? 'settled' : 'cost';
            iterations += 1;
            break;
          }
          // a damped step says little of how far a flat direction still goes
          if (options.settle && small && !undamped) damping = Math.min(damping, SETTLING_DAMPING);
          cost = linearise();
        }
      }
    }
    if (!accepted) {
      damping = Math.max(damping, 1e-7) * growth * 4;
      growth *= 2;
      if (damping > 1e8) {
        reason = 'stationary';
        break;
      }
    }
  }
  return { state, reason, iterations, initialCost, finalCost: cost };
}
