import { distortWith, type DistortionModel } from '../lens';
import { expSO3, mulMat3, type Mat3, type Vec3 } from '../math';
import type { BoardPose } from './board-pose';
import type { LensLayout } from './lens-unknowns';
import type { GridFrame, GridObservation } from './observation';

/** Left Jacobian of SO(3): exp(w + dw) ≈ exp(J dw) exp(w). Barfoot, State Estimation for Robotics (2017), eq. 7.85. */
function leftJacobian(w: Vec3): Mat3 {
  const t2 = w[0] * w[0] + w[1] * w[1] + w[2] * w[2];
  const t = Math.sqrt(t2);
  const b = t < 1e-5 ? 0.5 - t2 / 24 : (1 - Math.cos(t)) / t2;
  const c = t < 1e-5 ? 1 / 6 - t2 / 120 : (t - Math.sin(t)) / (t2 * t);
  const [x, y, z] = w;
  return [1 - c * (y * y + z * z), c * x * y - b * z, c * x * z + b * y, c * x * y + b * z, 1 - c * (x * x + z * z), c * y * z - b * x, c * x * z - b * y, c * y * z + b * x, 1 - c * (x * x + y * y)];
}

/** Takes a residual with its derivatives; `columns` says which of those were written. */
type TakeRow = (residual: number, jacobian: Float64Array, columns?: Int32Array) => void;

/** The corners of a fit and the unknowns that they depend on: those of the lens first, then six of each plate (turn, then shift). */
export interface CornerProblem {
  observations: readonly GridObservation[];
  frame: GridFrame;
  model: DistortionModel;
  layout: LensLayout;
  plates: number;
}

/**
 * The rows of a least-squares fit of corners, picture minus model, px: across and down of each corner.
 * What is taken apart once is kept for all calls, since a fit asks for the same rows a dozen times.
 */
export function cornerRows({ observations, frame, model, layout, plates }: CornerProblem) {
  const shared = layout.names.length;
  const size = shared + 6 * plates;
  const count = layout.read(new Float64Array(size)).coefficients.length;
  const [jacU, jacV] = [new Float64Array(size), new Float64Array(size)];
  const [d2, j4, byCoefficient] = [new Float64Array(2), new Float64Array(4), new Float64Array(2 * count)];
  const [sC, sRho, sAspect] = ['cx', 'rho', 'aspect'].map((name) => layout.slot(name));
  const free = layout.coefficients;
  // beside each other: the objects of tens of thousands of corners lie all over the memory
  const cells = new Float64Array(2 * observations.length);
  const places = new Float64Array(2 * observations.length);
  const plateOf = new Int32Array(observations.length);
  observations.forEach(({ col, row, x, y, plate }, i) => {
    cells[2 * i] = col;
    cells[2 * i + 1] = row;
    places[2 * i] = x;
    places[2 * i + 1] = y;
    plateOf[i] = plate;
  });
  // a corner depends on the lens and on its own plate: the jacobians' other entries are not read
  const columns = Array.from({ length: plates }, (_, q) => Int32Array.from({ length: shared + 6 }, (__, i) => (i < shared ? i : i + 6 * q)));

  /** Derivatives by the lens; the residuals' are the model's, turned about. */
  function byLens(fu: number, fv: number, weight: number, px: number, py: number): void {
    for (let c = 0; c < free.length; c += 1) {
      const [to, from] = free[c];
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
  }

  /** One row's derivatives by turn and shift of its plate, from those by the place before the lens: −[y]× row by row for a small turn on the left. */
  function byPlate(jac: Float64Array, at: number, x: number, y: number, z: number, y0: number, y1: number, y2: number, l: Mat3): void {
    jac[at + 3] = x;
    jac[at + 4] = y;
    jac[at + 5] = z;
    const g0 = z * y1 - y * y2,
      g1 = x * y2 - z * y0,
      g2 = y * y0 - x * y1;
    for (let c = 0; c < 3; c += 1) jac[at + c] = g0 * l[c] + g1 * l[3 + c] + g2 * l[6 + c];
  }

  /** @param weights null: 1 each; a corner of weight 0 has no row */
  return function rows(v: Float64Array, poses: readonly BoardPose[], weights: Float64Array | null, derivatives: boolean, take: TakeRow): void {
    const { coefficients, center, rho, aspect } = layout.read(v);
    const turns = poses.map((_, q): Vec3 => [v[shared + 6 * q], v[shared + 6 * q + 1], v[shared + 6 * q + 2]]);
    const turned = turns.map((w, q) => mulMat3(expSO3(w), poses[q].rotation));
    const left = turns.map(leftJacobian);
    const fx = aspect * frame.fxPx;
    for (let i = 0; i < plateOf.length; i += 1) {
      const weight = weights ? weights[i] : 1;
      if (weight === 0) continue;
      const plate = plateOf[i];
      const col = cells[2 * i];
      const row = cells[2 * i + 1];
      const at = shared + 6 * plate;
      const r = turned[plate];
      const t = poses[plate].translation;
      const y0 = r[0] * col + r[1] * row;
      const y1 = r[3] * col + r[4] * row;
      const y2 = r[6] * col + r[7] * row;
      const zi = 1 / (y2 + t[2] + v[at + 5]);
      const px = (y0 + t[0] + v[at + 3]) * zi;
      const py = (y1 + t[1] + v[at + 4]) * zi;
      distortWith(model, coefficients, rho * px, rho * py, d2, derivatives ? j4 : null, derivatives ? byCoefficient : null);
      const ru = (places[2 * i] - center[0] - fx * d2[0]) * weight;
      const rv = (places[2 * i + 1] - center[1] - frame.fyPx * d2[1]) * weight;
      if (derivatives) {
        const [fu, fv, a] = [-fx * weight, -frame.fyPx * weight, rho * zi];
        byLens(fu, fv, weight, px, py);
        const ux = fu * j4[0] * a,
          uy = fu * j4[1] * a;
        const vx = fv * j4[2] * a,
          vy = fv * j4[3] * a;
        byPlate(jacU, at, ux, uy, -(ux * px + uy * py), y0, y1, y2, left[plate]);
        byPlate(jacV, at, vx, vy, -(vx * px + vy * py), y0, y1, y2, left[plate]);
      }
      take(ru, jacU, derivatives ? columns[plate] : undefined);
      take(rv, jacV, derivatives ? columns[plate] : undefined);
    }
  };
}
