import { distortRadial, radialJacobian, type RadialDistortion } from '../distortion';
import { CoreError } from '../errors';
import { expSO3, homography, leastSquares, median, mulMat3, mulMatVec, sigmaFromMedianRadius, type LeastSquaresResult, type Mat3, type Vec3 } from '../math';

/** A corner of plate `plate` (index): place in the chart in cells, place in the picture in px. */
export interface GridObservation {
  plate: number;
  row: number;
  col: number;
  x: number;
  y: number;
}

export interface GridFrame {
  widthPx: number;
  heightPx: number;
  fxPx: number;
  fyPx: number;
}

/** Terms beyond k1 and the poses. `focalRatio`: true focal length over the recorded one, seen only in tilted plates. */
export type RadialTerm = 'k2' | 'k3' | 'p' | 'center' | 'focalRatio';

export interface BoardPose {
  rotation: Mat3;
  translation: Vec3;
}

export interface RadialFit {
  terms: RadialTerm[];
  distortion: RadialDistortion;
  center: [number, number];
  focalRatio: number;
  poses: BoardPose[];
  /** one standard deviation of each fitted coefficient, from the residuals' own scatter */
  sigma: { k: number[]; p?: [number, number]; center?: [number, number]; focalRatio?: number };
  /** per observation, picture minus model, px; dropped ones too */
  residuals: Float64Array;
  used: Uint8Array;
  rmsPx: number;
  maxPx: number;
  sigmaPx: number;
  usedCount: number;
  status: LeastSquaresResult['status'];
}

export interface RadialFitOptions {
  terms: readonly RadialTerm[];
  start?: { distortion: RadialDistortion; center: readonly [number, number]; poses: readonly BoardPose[]; focalRatio?: number };
  /** rounds of robust weights before the final plain fit; default 4 */
  robustRounds?: number;
}

/**
 * Fits board poses and radial distortion with tangential terms to chart corners.
 * Model     cell (col, row, 0) → camera by the plate's pose → x = ρX/Z, y = ρY/Z → Brown–Conrady → u = cx + fx·xd, v = cy + fy·yd, with
 *           fx, fy from the recorded focal length. Plate size is in cells: one plate cannot tell size from distance.
 * Method    Levenberg–Marquardt with analytic derivatives; Huber weights with a scale re-estimated from the median, then residuals
 *           above 4 sigma are dropped and a plain fit gives honest standard deviations.
 * Source    Brown 1971; Zhang, A flexible new technique for camera calibration, PAMI 22(11), 2000; Huber, Robust Statistics (1981).
 * @throws CoreError TOO_FEW_OBSERVATIONS
 */
export function fitRadial(observations: readonly GridObservation[], frame: GridFrame, options: RadialFitOptions): RadialFit {
  const plateCount = observations.reduce((m, o) => Math.max(m, o.plate + 1), 0);
  if (observations.length < 12) throw new CoreError('TOO_FEW_OBSERVATIONS', `A lens fit needs at least 12 corners, got ${observations.length}`);
  const has = new Set(options.terms);
  const layout = [
    'k1',
    ...(has.has('k2') ? ['k2'] : []),
    ...(has.has('k3') ? ['k3'] : []),
    ...(has.has('p') ? ['p1', 'p2'] : []),
    ...(has.has('center') ? ['cx', 'cy'] : []),
    ...(has.has('focalRatio') ? ['rho'] : []),
  ];
  const slot = (name: string) => layout.indexOf(name);
  const shared = layout.length;
  const size = shared + 6 * plateCount;

  const start = options.start;
  let poses: BoardPose[] = start ? [...start.poses] : startPoses(observations, frame, plateCount);
  const fixed = {
    k: start?.distortion.k ?? ([0, 0, 0] as const),
    p: start?.distortion.p ?? ([0, 0] as const),
    center: start?.center ?? ([frame.widthPx / 2, frame.heightPx / 2] as const),
    rho: start?.focalRatio ?? 1,
  };
  let x = new Float64Array(size);
  const initial: Record<string, number> = { k1: fixed.k[0], k2: fixed.k[1], k3: fixed.k[2], p1: fixed.p[0], p2: fixed.p[1], cx: fixed.center[0], cy: fixed.center[1], rho: fixed.rho };
  layout.forEach((name, i) => {
    x[i] = initial[name];
  });
  const read = (v: Float64Array) => {
    const at = (name: string, fallback: number) => (slot(name) >= 0 ? v[slot(name)] : fallback);
    return {
      distortion: { k: [v[0], at('k2', 0), at('k3', 0)], p: [at('p1', 0), at('p2', 0)] } as RadialDistortion,
      center: [at('cx', frame.widthPx / 2), at('cy', frame.heightPx / 2)] as [number, number],
      rho: at('rho', 1),
    };
  };

  const weights = new Float64Array(observations.length).fill(1);
  const n = observations.length;
  const jacU = new Float64Array(size);
  const jacV = new Float64Array(size);
  const d2 = new Float64Array(2);
  const j4 = new Float64Array(4);
  const sK2 = slot('k2'),
    sK3 = slot('k3'),
    sP = slot('p1'),
    sC = slot('cx'),
    sRho = slot('rho');

  const rows = (v: Float64Array, row: (r: number, j: Float64Array) => void, scaleBy: Float64Array | null, derivatives: boolean) => {
    const { distortion, center, rho } = read(v);
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
      distortRadial(distortion, xn, yn, d2);
      const ru = (o.x - center[0] - frame.fxPx * d2[0]) * weight;
      const rv = (o.y - center[1] - frame.fyPx * d2[1]) * weight;
      if (!derivatives) {
        row(ru, jacU);
        row(rv, jacV);
        continue;
      }
      radialJacobian(distortion, xn, yn, j4);
      const fu = -frame.fxPx * weight;
      const fv = -frame.fyPx * weight;
      const r2 = xn * xn + yn * yn;
      jacU.fill(0);
      jacV.fill(0);
      jacU[0] = fu * xn * r2;
      jacV[0] = fv * yn * r2;
      if (sK2 >= 0) {
        jacU[sK2] = fu * xn * r2 * r2;
        jacV[sK2] = fv * yn * r2 * r2;
      }
      if (sK3 >= 0) {
        jacU[sK3] = fu * xn * r2 * r2 * r2;
        jacV[sK3] = fv * yn * r2 * r2 * r2;
      }
      if (sP >= 0) {
        jacU[sP] = fu * 2 * xn * yn;
        jacU[sP + 1] = fu * (r2 + 2 * xn * xn);
        jacV[sP] = fv * (r2 + 2 * yn * yn);
        jacV[sP + 1] = fv * 2 * xn * yn;
      }
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
      row(ru, jacU);
      row(rv, jacV);
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
  const solve = (maxIterations: number) => {
    const result = leastSquares(x, { rows: (v, row, derivatives) => rows(v, row, weights, derivatives), maxIterations, costTolerance: 1e-8 });
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

  const rounds = options.robustRounds ?? 3;
  for (let round = 0; round < rounds; round += 1) {
    solve(round === 0 && !start ? 25 : 6);
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
  const last = solve(10);
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
  const sd = (name: string) => Math.sqrt(Math.max(0, last.covariance[slot(name) * size + slot(name)])) * sigmaPx;
  return {
    terms: [...options.terms],
    distortion: found.distortion,
    center: found.center,
    focalRatio: found.rho,
    poses,
    sigma: {
      k: ['k1', 'k2', 'k3'].filter((name) => slot(name) >= 0).map(sd),
      ...(sP >= 0 ? { p: [sd('p1'), sd('p2')] as [number, number] } : {}),
      ...(sC >= 0 ? { center: [sd('cx'), sd('cy')] as [number, number] } : {}),
      ...(sRho >= 0 ? { focalRatio: sd('rho') } : {}),
    },
    residuals,
    used,
    rmsPx: Math.sqrt(sum / Math.max(1, usedCount)),
    maxPx,
    sigmaPx,
    usedCount,
    status: last.status,
  };
}

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

/** Where the model puts cell corner (col, row) of a plate, px; null behind the camera. */
export function predictCorner(fit: Pick<RadialFit, 'distortion' | 'center' | 'focalRatio' | 'poses'>, frame: GridFrame, plate: number, row: number, col: number): [number, number] | null {
  const pose = fit.poses[plate];
  const c = mulMatVec(pose.rotation, [col, row, 0]);
  const z = c[2] + pose.translation[2];
  if (z <= 1e-9) return null;
  distortRadial(fit.distortion, (fit.focalRatio * (c[0] + pose.translation[0])) / z, (fit.focalRatio * (c[1] + pose.translation[1])) / z, scratch);
  return [fit.center[0] + frame.fxPx * scratch[0], fit.center[1] + frame.fyPx * scratch[1]];
}
const scratch = new Float64Array(2);
