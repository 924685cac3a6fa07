import { COEFFICIENTS, distort, distortionFrom, frameEffect, undistorter, type Distortion, type DistortionModel, type FrameEffect } from '../lens';
import { CoreError } from '../errors';
import { leastSquares } from '../estimate';
import { median } from '../math';
import { computeOptics, type OpticsInput } from '../optics';
import { unknownsOf, type LensTerm } from './lens-unknowns';
import type { GridFrame } from './observation';
import { gridFrame, sigmaByName, type GridDistortion } from './grid-report';
import { GRID, type Warning } from '../warnings';

/** A point marked on an edge that is straight in reality, px. */
export interface EdgePoint {
  edge: string;
  x: number;
  y: number;
}

export interface EdgeReport {
  status: 'usable' | 'unusable';
  reason: 'crooked' | 'not-determined' | 'folds-over' | null;
  sentence: string;
  distortion: GridDistortion;
  rmsPx: number;
  maxPx: number;
  /** how far each edge bows off a straight line in the picture, and off the model's line afterwards, px */
  edges: { edge: string; points: number; bowBeforePx: number; bowAfterPx: number }[];
  cornerDisplacementPct: number;
  overscan: FrameEffect['overscan'];
  warnings: Warning[];
}

/** Sets of unknowns tried, the plainest first: a hand's marks rarely carry more. */
const CANDIDATES: Record<DistortionModel, LensTerm[][]> = { radial: [[], ['k2'], ['center'], ['k2', 'center']], division: [[], ['center']], fisheye: [[], ['k2']], anamorphic: [[], ['quartic']] };
/** A mark by a careful finger under a loupe; a finer scatter than this is luck. */
const MARK_FLOOR_PX = 0.05;
const DROP_SIGMAS = 4;
/** No hand marks worse than this, and no model that a lens follows leaves more. */
const CROOKED_PX = 3;
const CROOKED_SHARE = 0.001;
/** Edges that reach less far out leave the border, where the distortion is, to extrapolation. */
const FAR_SHARE = 0.7;

/**
 * Distortion from marks along edges that are straight in reality, by straightness alone (plumb-line method).
 * Model    marks → undistorted → for each edge the line nearest to its marks → the foot of each mark on it → distorted: the residual is the
 *          distance of the mark from that place, px of the recorded picture, so that no model gains by shrinking the picture.
 * Method   Levenberg–Marquardt with the lines eliminated and derivatives by differences (at most a dozen unknowns); Huber weights, then
 *          marks beyond 4 sigma are dropped and a plain fit gives the standard deviations. Terms by the Bayesian information criterion.
 * Source   Brown, Close-range camera calibration, 1971 (plumb lines); Devernay, Faugeras, Straight lines have to be straight, MVA 13, 2001.
 * Limits   Says nothing of focal length, tilt or squeeze. An edge through the middle of the picture stays straight and tells nothing.
 * @throws CoreError TOO_FEW_OBSERVATIONS | NON_FINITE_INPUT
 */
export function fitEdges(points: readonly EdgePoint[], setup: OpticsInput, model: DistortionModel = 'radial'): EdgeReport {
  const frame = gridFrame(setup);
  const { effectiveFocalMm } = computeOptics(setup);
  points.forEach((p, i) => {
    if (!Number.isFinite(p.x) || !Number.isFinite(p.y)) throw new CoreError('NON_FINITE_INPUT', `mark ${i + 1} of edge ${p.edge}: x and y must be numbers`, `points[${i}]`);
  });
  const names = [...new Set(points.map((p) => p.edge))].filter((e) => points.filter((p) => p.edge === e).length >= 3);
  const used = points.filter((p) => names.includes(p.edge));
  const spare = used.length - 2 * names.length;
  if (names.length < 2 || spare < 4)
    throw new CoreError('TOO_FEW_OBSERVATIONS', `At least two edges with three marks each are needed, and four marks more than their lines; got ${names.length} edges with ${used.length} marks`);
  const edgeOf = Int32Array.from(used, (p) => names.indexOf(p.edge));

  let best: EdgeFit | null = null as EdgeFit | null;
  let bestScore = Infinity;
  for (const terms of CANDIDATES[model]) {
    const unknowns = unknownsOf(model, terms);
    if (spare < 2 * unknowns.length) continue;
    const fit = fitOne(used, edgeOf, names.length, frame, model, unknowns);
    const n = used.length;
    const score = n * Math.log(Math.max(fit.robustSum, 1e-12) / n) + unknowns.length * (Math.log(n) + 5);
    if (score < bestScore) {
      best = fit;
      bestScore = score;
    }
  }
  if (!best) {
    const fewest = Math.min(...CANDIDATES[model].map((terms) => 2 * unknownsOf(model, terms).length));
    throw new CoreError(
      'TOO_FEW_OBSERVATIONS',
      `A ${model} lens has so many unknowns that ${fewest - spare} more marks are needed on these edges, or another edge; got ${names.length} edges with ${used.length} marks`,
    );
  }
  return report(best, used, edgeOf, names, frame, effectiveFocalMm);
}

interface EdgeFit {
  unknowns: string[];
  distortion: Distortion;
  center: [number, number];
  sigma: number[];
  residuals: Float64Array;
  kept: Uint8Array;
  rmsPx: number;
  maxPx: number;
  robustSum: number;
}

function fitOne(points: readonly EdgePoint[], edgeOf: Int32Array, edgeCount: number, frame: GridFrame, model: DistortionModel, unknowns: string[]): EdgeFit {
  const n = points.length;
  const read = (x: ArrayLike<number>) => {
    const value = (name: string, fallback: number) => (unknowns.includes(name) ? x[unknowns.indexOf(name)] : fallback);
    return {
      distortion: distortionFrom(
        model,
        COEFFICIENTS[model].map((name) => value(name, 0)),
      ),
      // the centre is counted in hundreds of pixels, so that all unknowns are of one size
      center: [frame.widthPx / 2 + 100 * value('cx', 0), frame.heightPx / 2 + 100 * value('cy', 0)] as [number, number],
    };
  };
  const weights = new Float64Array(n).fill(1);
  const evaluate = (x: ArrayLike<number>, out: Float64Array) => {
    const { distortion, center } = read(x);
    straightness(points, edgeOf, edgeCount, frame, distortion, center, weights, out);
  };
  const residuals = new Float64Array(n);
  let x = new Float64Array(unknowns.length);
  let covariance = new Float64Array(0);
  const solve = () => {
    const plus = new Float64Array(n),
      minus = new Float64Array(n);
    const jacobian = Array.from({ length: n }, () => new Float64Array(x.length));
    const result = leastSquares(x, {
      maxIterations: 40,
      costTolerance: 1e-10,
      rows: (at, row, derivatives) => {
        evaluate(at, residuals);
        for (let k = 0; derivatives && k < x.length; k += 1) {
          const h = 1e-5;
          const moved = Float64Array.from(at);
          moved[k] = at[k] + h;
          evaluate(moved, plus);
          moved[k] = at[k] - h;
          evaluate(moved, minus);
          for (let i = 0; i < n; i += 1) jacobian[i][k] = (weights[i] * (plus[i] - minus[i])) / (2 * h);
        }
        for (let i = 0; i < n; i += 1) row(weights[i] * residuals[i], jacobian[i]);
      },
    });
    if (result.status === 'failed') throw new CoreError('NON_FINITE_INPUT', 'The marks give no finite residuals: some lie where this model has no place for them');
    x = Float64Array.from(result.x);
    covariance = Float64Array.from(result.covariance);
    evaluate(x, residuals);
  };
  const noise = () => Math.max(MARK_FLOOR_PX, 1.4826 * median(residuals.map(Math.abs)));
  for (let round = 0; round < 3; round += 1) {
    solve();
    const limit = 2 * noise();
    for (let i = 0; i < n; i += 1) weights[i] = Math.abs(residuals[i]) <= limit ? 1 : Math.sqrt(limit / Math.abs(residuals[i]));
  }
  const limit = DROP_SIGMAS * noise();
  const kept = Uint8Array.from(residuals, (r) => (Math.abs(r) <= limit ? 1 : 0));
  weights.set(kept);
  solve();
  const count = kept.reduce((s, v) => s + v, 0);
  let sum = 0,
    maxPx = 0;
  for (let i = 0; i < n; i += 1) {
    if (!kept[i]) continue;
    sum += residuals[i] ** 2;
    maxPx = Math.max(maxPx, Math.abs(residuals[i]));
  }
  const variance = sum / Math.max(1, count - 2 * edgeCount - unknowns.length);
  return {
    unknowns,
    ...read(x),
    sigma: unknowns.map((name, i) => Math.sqrt(Math.max(0, covariance[i * x.length + i]) * variance) * (name === 'cx' || name === 'cy' ? 100 : 1)),
    residuals,
    kept,
    rmsPx: Math.sqrt(sum / Math.max(1, count)),
    maxPx,
    robustSum: residuals.reduce((s, r) => s + Math.min(limit, Math.abs(r)) ** 2, 0),
  };
}

/** Signed distance of each mark, px of the recorded picture, from its edge's line as the model sees it; 1e3 where a mark has no undistorted place. */
function straightness(
  points: readonly EdgePoint[],
  edgeOf: Int32Array,
  edgeCount: number,
  frame: GridFrame,
  distortion: Distortion,
  center: readonly [number, number],
  weights: Float64Array,
  out: Float64Array,
): void {
  const n = points.length;
  const undistort = undistorter(distortion);
  const u = new Float64Array(2 * n);
  const place = new Float64Array(2);
  for (let i = 0; i < n; i += 1) {
    const found = undistort((points[i].x - center[0]) / frame.fxPx, (points[i].y - center[1]) / frame.fyPx, place);
    u[2 * i] = found ? place[0] : Number.NaN;
    u[2 * i + 1] = found ? place[1] : Number.NaN;
  }
  for (let e = 0; e < edgeCount; e += 1) {
    let w = 0,
      mx = 0,
      my = 0;
    for (let i = 0; i < n; i += 1) {
      if (edgeOf[i] !== e || Number.isNaN(u[2 * i])) continue;
      w += weights[i];
      mx += weights[i] * u[2 * i];
      my += weights[i] * u[2 * i + 1];
    }
    mx /= w;
    my /= w;
    let sxx = 0,
      sxy = 0,
      syy = 0;
    for (let i = 0; i < n; i += 1) {
      if (edgeOf[i] !== e || Number.isNaN(u[2 * i])) continue;
      const dx = u[2 * i] - mx,
        dy = u[2 * i + 1] - my;
      sxx += weights[i] * dx * dx;
      sxy += weights[i] * dx * dy;
      syy += weights[i] * dy * dy;
    }
    const angle = 0.5 * Math.atan2(2 * sxy, sxx - syy);
    const nx = -Math.sin(angle),
      ny = Math.cos(angle);
    for (let i = 0; i < n; i += 1) {
      if (edgeOf[i] !== e) continue;
      // an edge of which no mark has a place has no line either
      if (Number.isNaN(u[2 * i]) || !(w > 0)) {
        out[i] = 1e3;
        continue;
      }
      const d = (u[2 * i] - mx) * nx + (u[2 * i + 1] - my) * ny;
      distort(distortion, u[2 * i] - d * nx, u[2 * i + 1] - d * ny, place);
      out[i] = Math.sign(d) * Math.hypot(center[0] + frame.fxPx * place[0] - points[i].x, center[1] + frame.fyPx * place[1] - points[i].y);
    }
  }
}

function report(fit: EdgeFit, points: readonly EdgePoint[], edgeOf: Int32Array, names: readonly string[], frame: GridFrame, focalMm: number): EdgeReport {
  const before = new Float64Array(points.length);
  straightness(points, edgeOf, names.length, frame, { model: 'radial', k: [0, 0, 0], p: [0, 0] }, [frame.widthPx / 2, frame.heightPx / 2], new Float64Array(points.length).fill(1), before);
  const span = (values: Float64Array, e: number, keep: (i: number) => boolean) => {
    const mine = Array.from(values).filter((_, i) => edgeOf[i] === e && keep(i));
    return mine.length === 0 ? 0 : Math.max(...mine) - Math.min(...mine);
  };
  const effect = frameEffect({ ...frame, center: fit.center, distortion: fit.distortion });
  const halfDiagonal = Math.hypot(frame.widthPx, frame.heightPx) / 2;
  const reach = points.reduce((m, p) => Math.max(m, Math.hypot(p.x - frame.widthPx / 2, p.y - frame.heightPx / 2)), 0) / halfDiagonal;
  const first = fit.unknowns[0];
  const value =
    first === 'lambda' ? (fit.distortion as { lambda: number }).lambda : first.startsWith('a') ? (fit.distortion as { a: readonly number[] }).a[0] : (fit.distortion as { k: readonly number[] }).k[0];
  const determined = fit.sigma[0] > 0 && Math.abs(value) > 2 * fit.sigma[0];
  const warnings: Warning[] = [];
  if (reach < FAR_SHARE) warnings.push(GRID.EDGES_SHORT(reach));
  const dropped = fit.kept.reduce((s, v) => s + (v ? 0 : 1), 0);
  if (dropped > 0) warnings.push(GRID.EDGE_MARKS_LEFT_OUT(dropped, points.length));
  if (!determined) warnings.push(GRID.EDGES_DO_NOT_TELL(first, value, fit.sigma[0]));
  warnings.push(GRID.EDGES_TELL_BEND_ONLY());
  const crooked = fit.rmsPx > Math.max(CROOKED_PX, CROOKED_SHARE * frame.widthPx);
  const status = effect.valid && determined && !crooked ? 'usable' : 'unusable';
  const rms = fit.rmsPx.toFixed(2);
  const sigma = sigmaByName(Object.fromEntries(fit.unknowns.map((name, i) => [name, fit.sigma[i]])));
  return {
    status,
    reason: status === 'usable' ? null : !effect.valid ? 'folds-over' : crooked ? 'crooked' : 'not-determined',
    sentence: !effect.valid
      ? `Mark more edges: the fit (${rms} px) folds over inside the frame.`
      : crooked
        ? `Look at the marks again: they lie ${fit.rmsPx.toFixed(1)} px off any straight edges. One may be on the wrong edge, or an edge is not straight.`
        : !determined
          ? `Mark other edges: these ${names.length} do not show the distortion.`
          : `Good as a start: ${names.length} edges straight to ${rms} px.`,
    distortion: { ...fit.distortion, center: fit.center, aspect: 1, focalMm, sigma, terms: fit.unknowns },
    rmsPx: fit.rmsPx,
    maxPx: fit.maxPx,
    edges: names.map((edge, e) => ({
      edge,
      points: edgeOf.reduce((s, v) => s + (v === e ? 1 : 0), 0),
      bowBeforePx: span(before, e, () => true),
      bowAfterPx: span(fit.residuals, e, (i) => fit.kept[i] === 1),
    })),
    cornerDisplacementPct: effect.cornerDisplacementPct,
    overscan: effect.overscan,
    warnings,
  };
}
