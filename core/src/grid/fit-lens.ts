import { distortionFrom, type Distortion, type DistortionModel } from '../lens';
import { CoreError } from '../errors';
import { leastSquares, sigmaFromMedianRadius, type LeastSquaresResult } from '../estimate';
import { expSO3, median, mulMat3, type Vec3 } from '../math';
import { startPoses, type BoardPose } from './board-pose';
import { cornerRows } from './corner-rows';
import { layoutOf, type LensTerm } from './lens-unknowns';
import type { GridFrame, GridObservation } from './observation';
import { SAMPLE_CORNERS, sampleOfPlates } from './sample';

export interface LensFit {
  model: DistortionModel;
  terms: LensTerm[];
  distortion: Distortion;
  center: [number, number];
  focalRatio: number;
  aspect: number;
  poses: BoardPose[];
  /** one standard deviation of each fitted unknown by its name, from the residuals' own scatter */
  sigma: Record<string, number>;
  /** per observation, picture minus model, px; dropped ones too */
  residuals: Float64Array;
  used: Uint8Array;
  rmsPx: number;
  maxPx: number;
  /** one coordinate of a corner */
  sigmaPx: number;
  usedCount: number;
  status: LeastSquaresResult['status'];
}

export interface LensFitOptions {
  model?: DistortionModel; // default radial
  terms: readonly LensTerm[];
  /** coefficients are taken over when they are of the same model */
  start?: { distortion: Distortion; center: readonly [number, number]; poses: readonly BoardPose[]; focalRatio?: number; aspect?: number };
  /** rounds of robust weights before the final plain fit; default 3 */
  robustRounds?: number;
  /** the final fit ends when a step lowers the cost by a smaller share; default 1e-8 */
  costTolerance?: number;
}

const ROBUST_ROUNDS = 3;
/** On the way to the last fit a thousandth of the cost is near enough: the weights change by more. */
const ON_THE_WAY = 1e-3;
const LEAST_CORNERS = 12;
/** Huber's limit and that of a blunder, in sigmas of one axis. */
const HUBER_SIGMAS = 2.5;
const BLUNDER_SIGMAS = 4;
/** Keeps a plate without noise from dropping its own rounding, px. */
const LEAST_SIGMA_PX = 0.005;

/**
 * Fits board poses and a distortion model to chart corners.
 * Model     cell (col, row, 0) → camera by the plate's pose → x = ρX/Z, y = ρY/Z → distortion → u = cx + α fx·xd, v = cy + fy·yd, with
 *           fx, fy from the recorded focal length, α the aspect. Plate size is in cells: one plate cannot tell size from distance.
 * Method    Levenberg–Marquardt with analytic derivatives; corners at the border weigh less (borderTrust); Huber weights with a scale
 *           re-estimated from the median, then residuals above 4 sigma are dropped and a plain fit gives honest standard deviations.
 * Source    Brown 1971; Zhang, A flexible new technique for camera calibration, PAMI 22(11), 2000; Huber, Robust Statistics (1981).
 * @throws CoreError TOO_FEW_OBSERVATIONS
 */
export function fitLens(observations: readonly GridObservation[], frame: GridFrame, options: LensFitOptions): LensFit {
  const plates = observations.reduce((m, o) => Math.max(m, o.plate + 1), 0);
  if (observations.length < LEAST_CORNERS) throw new CoreError('TOO_FEW_OBSERVATIONS', `A lens fit needs at least ${LEAST_CORNERS} corners, got ${observations.length}`);
  if (!options.start && options.robustRounds === undefined && observations.length > 2 * SAMPLE_CORNERS) {
    // a tenth of the corners finds the way and which lie off it; all of them need only the last steps, from its numbers
    const sample = sampleOfPlates(observations, plates);
    return fitLens(observations, frame, { ...options, start: fitLens(sample, frame, { ...options, robustRounds: ROBUST_ROUNDS }), robustRounds: 0 });
  }
  const { start, model = 'radial' } = options;
  const layout = layoutOf(model, options.terms, frame, start);
  const rows = cornerRows({ observations, frame, model, layout, plates });
  const n = observations.length;
  const residuals = new Float64Array(2 * n);
  const radiiOf = (at: Moved): Float64Array => {
    let k = 0;
    rows(at.x, at.poses, null, false, (r) => {
      residuals[k] = r;
      k += 1;
    });
    return Float64Array.from({ length: n }, (_, i) => Math.hypot(residuals[2 * i], residuals[2 * i + 1]));
  };
  const step = (from: Moved, weights: Float64Array, maxIterations: number, last: boolean): Moved & { result: LeastSquaresResult } => {
    const result = leastSquares(from.x, {
      rows: (v, row, derivatives) => rows(v, from.poses, weights, derivatives, row),
      maxIterations,
      costTolerance: last ? (options.costTolerance ?? 1e-8) : ON_THE_WAY,
      covariance: last,
    });
    return { ...moved(Float64Array.from(result.x), from.poses, layout.names.length), result };
  };

  let now: Moved = { x: new Float64Array(layout.names.length + 6 * plates), poses: start ? [...start.poses] : startPoses(observations, frame, plates) };
  layout.names.forEach((name, i) => (now.x[i] = layout.begin.get(name)!));
  let weights = new Float64Array(n).fill(1);
  const rounds = options.robustRounds ?? ROBUST_ROUNDS;
  for (let round = 0; round < rounds; round += 1) {
    now = step(now, weights, round === 0 && !start ? 25 : 6, false);
    const radii = radiiOf(now);
    const limit = HUBER_SIGMAS * Math.max(sigmaFromMedianRadius(median(radii)), 1e-6);
    weights = radii.map((r) => (r <= limit ? 1 : Math.sqrt(limit / r)));
  }
  const before = radiiOf(now);
  const farthest = BLUNDER_SIGMAS * Math.max(sigmaFromMedianRadius(median(before)), LEAST_SIGMA_PX);
  const used = Uint8Array.from(before, (r) => (r <= farthest ? 1 : 0));
  const last = step(now, Float64Array.from(used), 10, true);
  if (last.result.status === 'failed') throw new CoreError('NON_FINITE_INPUT', 'The corners give no finite residuals: the model cannot be inverted where they lie');
  const kept = radiiOf(last).filter((_, i) => used[i] === 1);
  const sum = kept.reduce((s, r) => s + r * r, 0);
  const sigmaPx = Math.sqrt(sum / Math.max(1, 2 * kept.length - last.result.rank));
  const found = layout.read(last.x);
  const sd = (i: number) => Math.sqrt(Math.max(0, last.result.covariance[i * last.x.length + i])) * sigmaPx;
  return {
    model,
    terms: [...options.terms],
    distortion: distortionFrom(model, found.coefficients),
    center: found.center,
    focalRatio: found.rho,
    aspect: found.aspect,
    poses: [...last.poses],
    sigma: Object.fromEntries(layout.names.map((name, i) => [name, sd(i)])),
    residuals,
    used,
    rmsPx: Math.sqrt(sum / Math.max(1, kept.length)),
    maxPx: kept.reduce((most, r) => Math.max(most, r), 0),
    sigmaPx,
    usedCount: kept.length,
    status: last.result.status,
  };
}

/** Unknowns, and the poses that those of the plates are small moves from. */
interface Moved {
  x: Float64Array;
  poses: readonly BoardPose[];
}

/** The moves of the plates go into their poses, and begin at nothing again. */
function moved(x: Float64Array, poses: readonly BoardPose[], shared: number): Moved {
  const there = poses.map((pose, q): BoardPose => {
    const at = shared + 6 * q;
    const shift = pose.translation.map((v, k) => v + x[at + 3 + k]) as unknown as Vec3;
    return { rotation: mulMat3(expSO3([x[at], x[at + 1], x[at + 2]]), pose.rotation), translation: shift };
  });
  return { x: x.map((v, i) => (i < shared ? v : 0)), poses: there };
}
