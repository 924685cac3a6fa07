import { COEFFICIENTS, coefficientsOf, distortionFrom, distortWith, LENS_MODELS, SHARED_TERMS, undistorter, type Distortion, type DistortionModel, type ModelTerm, type SharedTerm } from '../lens';
import { CoreError } from '../errors';
import { expSO3, homography, leastSquares, median, mulMat3, sigmaFromMedianRadius, type LeastSquaresResult, type Mat3, type Vec3 } from '../math';
import { SAMPLE_CORNERS, sampleOfPlates } from './sample';

/** A corner of plate `plate` (index): place in the chart in cells, place in the picture in px. */
export interface GridObservation {
  plate: number;
  row: number;
  col: number;
  x: number;
  y: number;
}

export const toObservations = (nodes: readonly Omit<GridObservation, 'plate'>[], plate = 0): GridObservation[] => nodes.map((n) => ({ plate, row: n.row, col: n.col, x: n.x, y: n.y }));

export interface GridFrame {
  widthPx: number;
  heightPx: number;
  fxPx: number;
  fyPx: number;
}

/** A group of unknowns that a fit frees: of the model, or of all models. */
export type LensTerm = ModelTerm | SharedTerm;

/** Names of the unknowns that a model with these terms has, poses apart. */
export function unknownsOf(model: DistortionModel, terms: readonly LensTerm[]): string[] {
  const own: Partial<Record<LensTerm | '', readonly string[]>> = LENS_MODELS[model].terms;
  const shared: Partial<Record<LensTerm, readonly string[]>> = SHARED_TERMS;
  return [...(own[''] ?? []), ...terms.flatMap((t) => own[t] ?? []), ...terms.flatMap((t) => shared[t] ?? [])];
}

export interface BoardPose {
  rotation: Mat3;
  translation: Vec3;
}

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
  const plateCount = observations.reduce((m, o) => Math.max(m, o.plate + 1), 0);
  if (observations.length < 12) throw new CoreError('TOO_FEW_OBSERVATIONS', `A lens fit needs at least 12 corners, got ${observations.length}`);
  if (!options.start && options.robustRounds === undefined && observations.length > 2 * SAMPLE_CORNERS) {
    // a tenth of the corners finds the way and which lie off it; all of them need only the last steps, from its numbers
    const sample = sampleOfPlates(observations, plateCount);
    return fitLens(observations, frame, { ...options, start: fitLens(sample, frame, { ...options, robustRounds: ROBUST_ROUNDS }), robustRounds: 0 });
  }
  const model = options.model ?? 'radial';
  const layout = unknownsOf(model, options.terms);
  const slot = (name: string) => layout.indexOf(name);
  const shared = layout.length;
  const size = shared + 6 * plateCount;

  const start = options.start;
  let poses: BoardPose[] = start ? [...start.poses] : startPoses(observations, frame, plateCount);
  // everything by name: what is not free keeps its start
  const names = COEFFICIENTS[model];
  const begin = new Map<string, number>([...names.map((name): [string, number] => [name, 0]), ['cx', frame.widthPx / 2], ['cy', frame.heightPx / 2], ['rho', 1], ['aspect', 1]]);
  if (start) {
    if (start.distortion.model === model) coefficientsOf(start.distortion).forEach((v, i) => begin.set(names[i], v));
    if (slot('cx') >= 0) begin.set('cx', start.center[0]).set('cy', start.center[1]);
    if (slot('rho') >= 0) begin.set('rho', start.focalRatio ?? 1);
    if (slot('aspect') >= 0) begin.set('aspect', start.aspect ?? 1);
  }
  // a coefficient that this set of terms leaves out is 0, whatever the start had
  names.forEach((name) => slot(name) < 0 && begin.set(name, 0));
  let x = new Float64Array(size);
  layout.forEach((name, i) => {
    x[i] = begin.get(name)!;
  });
  const freeCoefficients = names.flatMap((name, i) => (slot(name) >= 0 ? [[slot(name), i]] : []));
  const read = (v: Float64Array) => {
    const at = (name: string) => (slot(name) >= 0 ? v[slot(name)] : begin.get(name)!);
    return { coefficients: Float64Array.from(names, at), center: [at('cx'), at('cy')] as [number, number], rho: at('rho'), aspect: at('aspect') };
  };

  const n = observations.length;
  const weights = new Float64Array(n).fill(1);
  const jacU = new Float64Array(size);
  const jacV = new Float64Array(size);
  const d2 = new Float64Array(2);
  const j4 = new Float64Array(4);
  const count = names.length;
  const byCoefficient = new Float64Array(2 * count);
  const sC = slot('cx'),
    sRho = slot('rho'),
    sAspect = slot('aspect');

  // a corner depends on the lens and on its own plate: the jacobians' other entries are not read
  const columns = Array.from({ length: plateCount }, (_, q) => Int32Array.from({ length: shared + 6 }, (__, i) => (i < shared ? i : i + 6 * q)));

  const rows = (v: Float64Array, row: (r: number, j: Float64Array, columns?: Int32Array) => void, scaleBy: Float64Array | null, derivatives: boolean) => {
    const { coefficients, center, rho, aspect } = read(v);
    const turned: Mat3[] = [];
    const left: Mat3[] = [];
    for (let q = 0; q < plateCount; q += 1) {
      const at = shared + 6 * q;
      const w: Vec3 = [v[at], v[at + 1], v[at + 2]];
      turned.push(mulMat3(expSO3(w), poses[q].rotation));
      left.push(leftJacobian(w));
    }
    for (let i = 0; i < n; i += 1) {
      const weight = scaleBy ? scaleBy[i] : 1;
      if (weight === 0) continue;
      const o = observations[i];
      const at = shared + 6 * o.plate;
      const r = turned[o.plate];
      const y0 = r[0] * o.col + r[1] * o.row;
      const y1 = r[3] * o.col + r[4] * o.row;
      const y2 = r[6] * o.col + r[7] * o.row;
      const zi = 1 / (y2 + poses[o.plate].translation[2] + v[at + 5]);
      const px = (y0 + poses[o.plate].translation[0] + v[at + 3]) * zi;
      const py = (y1 + poses[o.plate].translation[1] + v[at + 4]) * zi;
      const xn = rho * px;
      const yn = rho * py;
      distortWith(model, coefficients, xn, yn, d2, derivatives ? j4 : null, derivatives ? byCoefficient : null);
      const fx = aspect * frame.fxPx;
      const ru = (o.x - center[0] - fx * d2[0]) * weight;
      const rv = (o.y - center[1] - frame.fyPx * d2[1]) * weight;
      if (!derivatives) {
        row(ru, jacU);
        row(rv, jacV);
        continue;
      }
      const fu = -fx * weight;
      const fv = -frame.fyPx * weight;
      for (let c = 0; c < freeCoefficients.length; c += 1) {
        const [to, from] = freeCoefficients[c];
        jacU[to] = fu * byCoefficient[from];
        jacV[to] = fv * byCoefficient[count + from];
      }
      if (sAspect >= 0) jacU[sAspect] = -frame.fxPx * d2[0] * weight;
      if (sC >= 0) {
        jacU[sC] = -weight;
        jacV[sC + 1] = -weight;
      }
      if (sRho >= 0) {
        jacU[sRho] = fu * (j4[0] * px + j4[1] * py);
        jacV[sRho] = fv * (j4[2] * px + j4[3] * py);
      }
      // d(xn, yn)/d(camera point), then d(camera point)/d(w, t)
      const a = rho * zi;
      const ux = fu * j4[0] * a,
        uy = fu * j4[1] * a,
        uz = -(ux * px + uy * py);
      const vx = fv * j4[2] * a,
        vy = fv * j4[3] * a,
        vz = -(vx * px + vy * py);
      jacU[at + 3] = ux;
      jacU[at + 4] = uy;
      jacU[at + 5] = uz;
      jacV[at + 3] = vx;
      jacV[at + 4] = vy;
      jacV[at + 5] = vz;
      // −[y]× row by row: d y / d φ for a small rotation φ on the left
      const l = left[o.plate];
      const gu0 = uz * y1 - uy * y2,
        gu1 = ux * y2 - uz * y0,
        gu2 = uy * y0 - ux * y1;
      const gv0 = vz * y1 - vy * y2,
        gv1 = vx * y2 - vz * y0,
        gv2 = vy * y0 - vx * y1;
      for (let c = 0; c < 3; c += 1) {
        jacU[at + c] = gu0 * l[c] + gu1 * l[3 + c] + gu2 * l[6 + c];
        jacV[at + c] = gv0 * l[c] + gv1 * l[3 + c] + gv2 * l[6 + c];
      }
      row(ru, jacU, columns[o.plate]);
      row(rv, jacV, columns[o.plate]);
    }
  };

  const residuals = new Float64Array(2 * n);
  const evaluate = () => {
    let k = 0;
    rows(
      x,
      (r) => {
        residuals[k] = r;
        k += 1;
      },
      null,
      false,
    );
    const radii = Float64Array.from({ length: n }, (_, i) => Math.hypot(residuals[2 * i], residuals[2 * i + 1]));
    return { radii, sigma: sigmaFromMedianRadius(median(radii)) };
  };
  const solve = (maxIterations: number, last: boolean) => {
    const result = leastSquares(x, {
      rows: (v, row, derivatives) => rows(v, row, weights, derivatives),
      maxIterations,
      costTolerance: last ? (options.costTolerance ?? 1e-8) : ON_THE_WAY,
      covariance: last,
    });
    x = Float64Array.from(result.x);
    poses = poses.map((pose, q) => {
      const at = shared + 6 * q;
      const moved = {
        rotation: mulMat3(expSO3([x[at], x[at + 1], x[at + 2]]), pose.rotation),
        translation: [pose.translation[0] + x[at + 3], pose.translation[1] + x[at + 4], pose.translation[2] + x[at + 5]] as Vec3,
      };
      x.fill(0, at, at + 6);
      return moved;
    });
    return result;
  };

  const rounds = options.robustRounds ?? ROBUST_ROUNDS;
  for (let round = 0; round < rounds; round += 1) {
    solve(round === 0 && !start ? 25 : 6, false);
    const { radii, sigma } = evaluate();
    const limit = 2.5 * Math.max(sigma, 1e-6);
    for (let i = 0; i < n; i += 1) weights[i] = radii[i] <= limit ? 1 : Math.sqrt(limit / radii[i]);
  }
  const { radii: before, sigma } = evaluate();
  const used = new Uint8Array(n);
  // 4 one-axis sigmas; the floor keeps a noise-free plate from dropping its own rounding
  for (let i = 0; i < n; i += 1) {
    used[i] = before[i] <= 4 * Math.max(sigma, 0.005) ? 1 : 0;
    weights[i] = used[i];
  }
  const last = solve(10, true);
  if (last.status === 'failed') throw new CoreError('NON_FINITE_INPUT', 'The corners give no finite residuals: the model cannot be inverted where they lie');
  const { radii } = evaluate();
  let sum = 0,
    usedCount = 0,
    maxPx = 0;
  for (let i = 0; i < n; i += 1) {
    if (!used[i]) continue;
    usedCount += 1;
    sum += radii[i] * radii[i];
    maxPx = Math.max(maxPx, radii[i]);
  }
  const sigmaPx = Math.sqrt(sum / Math.max(1, 2 * usedCount - last.rank));
  const found = read(x);
  const sd = (i: number) => Math.sqrt(Math.max(0, last.covariance[i * size + i])) * sigmaPx;
  return {
    model,
    terms: [...options.terms],
    distortion: distortionFrom(model, found.coefficients),
    center: found.center,
    focalRatio: found.rho,
    aspect: found.aspect,
    poses,
    sigma: Object.fromEntries(layout.map((name, i) => [name, sd(i)])),
    residuals,
    used,
    rmsPx: Math.sqrt(sum / Math.max(1, usedCount)),
    maxPx,
    sigmaPx,
    usedCount,
    status: last.status,
  };
}

const ROBUST_ROUNDS = 3;
/** On the way to the last fit a thousandth of the cost is near enough: the weights change by more. */
const ON_THE_WAY = 1e-3;

/** Left Jacobian of SO(3): exp(w + dw) ≈ exp(J dw) exp(w). Barfoot, State Estimation for Robotics (2017), eq. 7.85. */
function leftJacobian(w: Vec3): Mat3 {
  const t2 = w[0] * w[0] + w[1] * w[1] + w[2] * w[2];
  const t = Math.sqrt(t2);
  const b = t < 1e-5 ? 0.5 - t2 / 24 : (1 - Math.cos(t)) / t2;
  const c = t < 1e-5 ? 1 / 6 - t2 / 120 : (t - Math.sin(t)) / (t2 * t);
  const [x, y, z] = w;
  return [1 - c * (y * y + z * z), c * x * y - b * z, c * x * z + b * y, c * x * y + b * z, 1 - c * (x * x + z * z), c * y * z - b * x, c * x * z - b * y, c * y * z + b * x, 1 - c * (x * x + y * y)];
}

/** Board poses from a homography over the least distorted part, the corners nearest to the middle of the picture. */
function startPoses(observations: readonly GridObservation[], frame: GridFrame, plateCount: number): BoardPose[] {
  return Array.from({ length: plateCount }, (_, plate) => {
    const mine = observations.filter((o) => o.plate === plate);
    if (mine.length < 12) throw new CoreError('TOO_FEW_OBSERVATIONS', `Plate ${plate + 1} has ${mine.length} corners; at least 12 are needed`);
    const middle = [...mine].sort((a, b) => radius(a, frame) - radius(b, frame)).slice(0, Math.max(12, Math.round(mine.length * 0.3)));
    const h = homography(
      middle.map((o) => ({
        from: [o.col, o.row] as const,
        to: [(o.x - frame.widthPx / 2) / frame.fxPx, (o.y - frame.heightPx / 2) / frame.fyPx] as const,
      })),
    );
    return poseFromHomography(h);
  });
}

const radius = (o: GridObservation, f: GridFrame) => Math.hypot(o.x - f.widthPx / 2, o.y - f.heightPx / 2);

/** Zhang 2000, sec. 3.1: columns of H are r1, r2 and t up to scale; made orthonormal by halving the error between r1 and r2. */
function poseFromHomography(h: Mat3): BoardPose {
  let s = 2 / (Math.hypot(h[0], h[3], h[6]) + Math.hypot(h[1], h[4], h[7]));
  if (h[8] * s < 0) s = -s;
  const a: Vec3 = [h[0] * s, h[3] * s, h[6] * s];
  const b: Vec3 = [h[1] * s, h[4] * s, h[7] * s];
  const unit = (v: Vec3): Vec3 => {
    const m = Math.hypot(...v);
    return [v[0] / m, v[1] / m, v[2] / m];
  };
  const plus = unit([unit(a)[0] + unit(b)[0], unit(a)[1] + unit(b)[1], unit(a)[2] + unit(b)[2]]);
  const minus = unit([unit(a)[0] - unit(b)[0], unit(a)[1] - unit(b)[1], unit(a)[2] - unit(b)[2]]);
  const q = Math.SQRT1_2;
  const r1: Vec3 = [q * (plus[0] + minus[0]), q * (plus[1] + minus[1]), q * (plus[2] + minus[2])];
  const r2: Vec3 = [q * (plus[0] - minus[0]), q * (plus[1] - minus[1]), q * (plus[2] - minus[2])];
  const r3: Vec3 = [r1[1] * r2[2] - r1[2] * r2[1], r1[2] * r2[0] - r1[0] * r2[2], r1[0] * r2[1] - r1[1] * r2[0]];
  const rotation: Mat3 = [r1[0], r2[0], r3[0], r1[1], r2[1], r3[1], r1[2], r2[2], r3[2]];
  return { rotation, translation: [h[2] * s, h[5] * s, h[8] * s] };
}

type Predicting = Pick<LensFit, 'distortion' | 'center' | 'focalRatio' | 'aspect' | 'poses'>;

/** Where the model puts cell corner (col, row) of a plate, px; null behind the camera. */
export const predictCorner = (fit: Predicting, frame: GridFrame, plate: number, row: number, col: number): [number, number] | null => cornerPredictor(fit, frame, plate)(row, col);

/** The same for many corners of a plate. */
export function cornerPredictor(fit: Predicting, frame: GridFrame, plate: number): (row: number, col: number) => [number, number] | null {
  const { rotation: r, translation: t } = fit.poses[plate];
  const { model } = fit.distortion;
  const coefficients = coefficientsOf(fit.distortion);
  const { focalRatio, aspect, center } = fit;
  const out = new Float64Array(2);
  return (row, col) => {
    const z = r[6] * col + r[7] * row + t[2];
    if (z <= 1e-9) return null;
    distortWith(model, coefficients, (focalRatio * (r[0] * col + r[1] * row + t[0])) / z, (focalRatio * (r[3] * col + r[4] * row + t[1])) / z, out, null, null);
    return Number.isFinite(out[0]) ? [center[0] + aspect * frame.fxPx * out[0], center[1] + frame.fyPx * out[1]] : null;
  };
}

/** Where in the chart, in cells as [row, col], the model sees a place of the picture, px; null where the lens has no inverse or the chart is behind. */
export function cellLocator(fit: Predicting, frame: GridFrame, plate: number): (x: number, y: number) => [number, number] | null {
  const { rotation: r, translation: t } = fit.poses[plate];
  const undistort = undistorter(fit.distortion);
  const out = new Float64Array(2);
  return (x, y) => {
    if (!undistort((x - fit.center[0]) / (fit.aspect * frame.fxPx), (y - fit.center[1]) / frame.fyPx, out)) return null;
    // the ray (a, b, 1) meets the plane where (r1 col + r2 row + t) is along it
    const [a, b] = [out[0] / fit.focalRatio, out[1] / fit.focalRatio];
    const [p, q, u] = [r[0] - a * r[6], r[1] - a * r[7], a * t[2] - t[0]];
    const [s, v, w] = [r[3] - b * r[6], r[4] - b * r[7], b * t[2] - t[1]];
    const det = p * v - q * s;
    const [row, col] = [(p * w - s * u) / det, (u * v - q * w) / det];
    return Number.isFinite(row) && Number.isFinite(col) && r[6] * col + r[7] * row + t[2] > 0 ? [row, col] : null;
  };
}

/** One unknown of a fit. */
export interface FittedUnknown {
  name: string;
  value: number;
  sigma: number;
  /** false: the data do not tell it from what it would be without a fit */
  determined: boolean;
}

/** What each unknown is without a fit; coefficients are none. */
const UNFITTED: Record<string, number> = { rho: 1, aspect: 1 };

export function fittedUnknowns(fit: LensFit): FittedUnknown[] {
  const values = new Map<string, number>(COEFFICIENTS[fit.model].map((name, i) => [name, coefficientsOf(fit.distortion)[i]]));
  values.set('cx', fit.center[0]).set('cy', fit.center[1]).set('rho', fit.focalRatio).set('aspect', fit.aspect);
  return Object.entries(fit.sigma).map(([name, sigma]) => {
    const value = values.get(name)!;
    const idle = name === 'cx' || name === 'cy' ? null : (UNFITTED[name] ?? 0);
    return { name, value, sigma, determined: idle === null || Math.abs(value - idle) > 2 * sigma };
  });
}
