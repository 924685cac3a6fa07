import { expSO3, mulMat3, type Mat3 } from '../math';
import type { BundleProblem, BundleState, Linearisation } from './bundle-problem';
import { coefficientsOf, distortWith } from './kernels';
import type { LensMap } from './setup';

/** How a witness camera sits on the main one, and its focal length where that is not held. */
export const RIG_UNKNOWNS = ['turnX', 'turnY', 'turnZ', 'offX', 'offY', 'offZ', 'witnessMm'] as const;
export type RigUnknown = (typeof RIG_UNKNOWNS)[number];

/**
 * Observations of a witness camera that is carried by the main one.
 * Model     Xw = exp(ω) R₀ (R X + t) + o: picture axes of the witness from those of the main camera at the same moment. ω, o and the witness's
 *           focal length stand among the free unknowns of the lens, in the order of RIG_UNKNOWNS; the last is missing where it is held.
 */
export interface PairRows {
  /** 1: seen by the witness; by observation */
  of: Uint8Array;
  lens: LensMap;
  /** R₀ */
  rotation: Mat3;
  /** where it is held */
  focalMm: number;
  /** where ω begins among the free unknowns */
  first: number;
  /** ω, o and, where it is free, the focal length */
  count: 6 | 7;
}

const BEHIND_PX = 1e4;
const d2 = new Float64Array(2);
const j4 = new Float64Array(4);

/** Everything about the witness that is the same for all its observations at a state. */
export interface WitnessAt {
  turn: Mat3;
  off: readonly [number, number, number];
  focalMm: number;
  coefficients: Float64Array;
}
export function witnessAt(pair: PairRows, state: BundleState): WitnessAt {
  const at = (k: number): number => state.lens![pair.first + k];
  return {
    turn: mulMat3(expSO3([at(0), at(1), at(2)]), pair.rotation),
    off: [at(3), at(4), at(5)],
    focalMm: pair.count === 7 ? at(6) : pair.focalMm,
    coefficients: Float64Array.from(coefficientsOf(pair.lens.distortion)),
  };
}

/** Residual and derivatives of one observation of the witness. */
export function witnessRow(p: BundleProblem, s: BundleState, pair: PairRows, w: WitnessAt, i: number, out: Linearisation, derivatives: boolean): void {
  const { rotations: R, translations: T, points: X } = s;
  const { turn: Q, off: o, focalMm: f } = w;
  const { lens } = pair;
  const [c9, c3, p3] = [9 * p.camera[i], 3 * p.camera[i], 3 * p.point[i]];
  const [X0, X1, X2] = [X[p3], X[p3 + 1], X[p3 + 2]];
  // in the main camera's axes: turned, then moved
  const y0 = R[c9] * X0 + R[c9 + 1] * X1 + R[c9 + 2] * X2;
  const y1 = R[c9 + 3] * X0 + R[c9 + 4] * X1 + R[c9 + 5] * X2;
  const y2 = R[c9 + 6] * X0 + R[c9 + 7] * X1 + R[c9 + 8] * X2;
  const [m0, m1, m2] = [y0 + T[c3], y1 + T[c3 + 1], y2 + T[c3 + 2]];
  const q0 = Q[0] * m0 + Q[1] * m1 + Q[2] * m2;
  const q1 = Q[3] * m0 + Q[4] * m1 + Q[5] * m2;
  const q2 = Q[6] * m0 + Q[7] * m1 + Q[8] * m2;
  const z = q2 + o[2];
  const root = Math.sqrt(p.weight[i]);
  const free = p.freeLens?.length ?? 0;
  const at = 2 * free * i;
  if (derivatives) {
    out.jFocal[2 * i] = 0;
    out.jFocal[2 * i + 1] = 0;
    out.jLens.fill(0, at, at + 2 * free);
  }
  if (z < 1e-6) {
    out.residual[2 * i] = BEHIND_PX * root;
    out.residual[2 * i + 1] = 0;
    if (!derivatives) return;
    out.jCamera.fill(0, 12 * i, 12 * i + 12);
    out.jPoint.fill(0, 6 * i, 6 * i + 6);
    return;
  }
  const zi = 1 / z;
  const sx = (q0 + o[0]) * zi;
  const sy = (q1 + o[1]) * zi;
  const g = lens.follows ? f : lens.normaliserMm;
  const toG = f / g;
  const [ax, ay] = [g * lens.pxPerMmX, g * lens.pxPerMmY];
  distortWith(lens.distortion.model, w.coefficients, sx * toG, sy * toG, d2, derivatives ? j4 : null, null);
  out.residual[2 * i] = (lens.cx + ax * d2[0] - p.xPx[i]) * root;
  out.residual[2 * i + 1] = (lens.cy + ay * d2[1] - p.yPx[i]) * root;
  if (!derivatives) return;
  const byF = lens.follows;
  for (let axis = 0; axis < 2; axis += 1) {
    const a = (axis === 0 ? ax : ay) * root * toG;
    const bx = a * j4[2 * axis];
    const by = a * j4[2 * axis + 1];
    // by the place in the witness's axes
    const [u0, u1, u2] = [bx * zi, by * zi, -(bx * sx + by * sy) * zi];
    // by the place in the main camera's
    const [e0, e1, e2] = [u0 * Q[0] + u1 * Q[3] + u2 * Q[6], u0 * Q[1] + u1 * Q[4] + u2 * Q[7], u0 * Q[2] + u1 * Q[5] + u2 * Q[8]];
    const jc = 12 * i + 6 * axis;
    out.jCamera[jc] = e2 * y1 - e1 * y2;
    out.jCamera[jc + 1] = e0 * y2 - e2 * y0;
    out.jCamera[jc + 2] = e1 * y0 - e0 * y1;
    out.jCamera[jc + 3] = e0;
    out.jCamera[jc + 4] = e1;
    out.jCamera[jc + 5] = e2;
    const jp = 6 * i + 3 * axis;
    for (let k = 0; k < 3; k += 1) out.jPoint[jp + k] = e0 * R[c9 + k] + e1 * R[c9 + 3 + k] + e2 * R[c9 + 6 + k];
    const jl = at + axis * free + pair.first;
    // ω is small: it begins at nought in every adjustment
    out.jLens[jl] = u2 * q1 - u1 * q2;
    out.jLens[jl + 1] = u0 * q2 - u2 * q0;
    out.jLens[jl + 2] = u1 * q0 - u0 * q1;
    out.jLens[jl + 3] = u0;
    out.jLens[jl + 4] = u1;
    out.jLens[jl + 5] = u2;
    if (pair.count === 7) out.jLens[jl + 6] = byF ? (axis === 0 ? lens.pxPerMmX : lens.pxPerMmY) * d2[axis] * root : (bx * sx + by * sy) / f;
  }
}
