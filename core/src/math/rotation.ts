import type { Mat3, Vec3 } from './vec3';

/** Unit quaternion `[x, y, z, w]`. q and −q are the same rotation. */
export type Quat = readonly [number, number, number, number];

export const IDENTITY3: Mat3 = [1, 0, 0, 0, 1, 0, 0, 0, 1];

export const mulMat3 = (a: Mat3, b: Mat3): Mat3 => [
  a[0] * b[0] + a[1] * b[3] + a[2] * b[6],
  a[0] * b[1] + a[1] * b[4] + a[2] * b[7],
  a[0] * b[2] + a[1] * b[5] + a[2] * b[8],
  a[3] * b[0] + a[4] * b[3] + a[5] * b[6],
  a[3] * b[1] + a[4] * b[4] + a[5] * b[7],
  a[3] * b[2] + a[4] * b[5] + a[5] * b[8],
  a[6] * b[0] + a[7] * b[3] + a[8] * b[6],
  a[6] * b[1] + a[7] * b[4] + a[8] * b[7],
  a[6] * b[2] + a[7] * b[5] + a[8] * b[8],
];
export const transpose3 = (m: Mat3): Mat3 => [m[0], m[3], m[6], m[1], m[4], m[7], m[2], m[5], m[8]];
export const mulMatVec = (m: Mat3, v: Vec3): Vec3 => [m[0] * v[0] + m[1] * v[1] + m[2] * v[2], m[3] * v[0] + m[4] * v[1] + m[5] * v[2], m[6] * v[0] + m[7] * v[1] + m[8] * v[2]];
/** mᵀ v */
export const mulMatTVec = (m: Mat3, v: Vec3): Vec3 => [m[0] * v[0] + m[3] * v[1] + m[6] * v[2], m[1] * v[0] + m[4] * v[1] + m[7] * v[2], m[2] * v[0] + m[5] * v[1] + m[8] * v[2]];
export const det3 = (m: Mat3): number => m[0] * (m[4] * m[8] - m[5] * m[7]) - m[1] * (m[3] * m[8] - m[5] * m[6]) + m[2] * (m[3] * m[7] - m[4] * m[6]);

/** Rotation matrix of the rotation vector w (axis times angle in radians). Rodrigues' formula; series below 1e-8 rad. */
export function expSO3(w: Vec3): Mat3 {
  const t2 = w[0] * w[0] + w[1] * w[1] + w[2] * w[2];
  const t = Math.sqrt(t2);
  const a = t < 1e-8 ? 1 - t2 / 6 : Math.sin(t) / t;
  const b = t < 1e-8 ? 0.5 - t2 / 24 : (1 - Math.cos(t)) / t2;
  const [x, y, z] = w;
  return [1 - b * (y * y + z * z), b * x * y - a * z, b * x * z + a * y, b * x * y + a * z, 1 - b * (x * x + z * z), b * y * z - a * x, b * x * z - a * y, b * y * z + a * x, 1 - b * (x * x + y * y)];
}

/** Quaternion of a rotation matrix (Shepperd 1978: the largest of four squared components first, so no small divisor). */
export function matToQuat(m: Mat3): Quat {
  const trace = m[0] + m[4] + m[8];
  let q: [number, number, number, number];
  if (trace > 0) {
    const s = Math.sqrt(trace + 1) * 2;
    q = [(m[7] - m[5]) / s, (m[2] - m[6]) / s, (m[3] - m[1]) / s, s / 4];
  } else if (m[0] > m[4] && m[0] > m[8]) {
    const s = Math.sqrt(1 + m[0] - m[4] - m[8]) * 2;
    q = [s / 4, (m[1] + m[3]) / s, (m[2] + m[6]) / s, (m[7] - m[5]) / s];
  } else if (m[4] > m[8]) {
    const s = Math.sqrt(1 + m[4] - m[0] - m[8]) * 2;
    q = [(m[1] + m[3]) / s, s / 4, (m[5] + m[7]) / s, (m[2] - m[6]) / s];
  } else {
    const s = Math.sqrt(1 + m[8] - m[0] - m[4]) * 2;
    q = [(m[2] + m[6]) / s, (m[5] + m[7]) / s, s / 4, (m[3] - m[1]) / s];
  }
  const n = Math.hypot(...q);
  return [q[0] / n, q[1] / n, q[2] / n, q[3] / n];
}

export function quatToMat(q: Quat): Mat3 {
  const n = Math.hypot(...q) || 1;
  const x = q[0] / n,
    y = q[1] / n,
    z = q[2] / n,
    w = q[3] / n;
  return [
    1 - 2 * (y * y + z * z),
    2 * (x * y - z * w),
    2 * (x * z + y * w),
    2 * (x * y + z * w),
    1 - 2 * (x * x + z * z),
    2 * (y * z - x * w),
    2 * (x * z - y * w),
    2 * (y * z + x * w),
    1 - 2 * (x * x + y * y),
  ];
}

/** Angle in radians between two rotations; stable near 0 and near π. */
export function rotationAngle(a: Mat3, b: Mat3): number {
  const q = matToQuat(mulMat3(transpose3(a), b));
  return 2 * Math.atan2(Math.hypot(q[0], q[1], q[2]), Math.abs(q[3]));
}

/** Axes of a picture (y down, z forward) to those of a camera (y up, −z forward), and back. */
export const FLIP: Mat3 = [1, 0, 0, 0, -1, 0, 0, 0, -1];

/** The turn nearest to all: the mean of their quaternions on one side, normalised (exact for turns that are close; Markley et al. 2007). */
export function meanTurn(turns: readonly Mat3[]): Mat3 {
  const first = matToQuat(turns[0]);
  const sum = [0, 0, 0, 0];
  for (const t of turns) {
    const q = matToQuat(t);
    const side = q[0] * first[0] + q[1] * first[1] + q[2] * first[2] + q[3] * first[3] < 0 ? -1 : 1;
    for (let k = 0; k < 4; k += 1) sum[k] += side * q[k];
  }
  const n = Math.hypot(...sum);
  return quatToMat(sum.map((v) => v / n) as unknown as Quat);
}
