import { Matrix, SVD } from 'ml-matrix';
import { det3, expSO3, median, mulMat3, mulMatVec, sampleIndices, transpose3, type Mat3, type Vec3 } from '../math';
import { fivePoint, type SlopePair } from './five-point';

/** Second camera against the first: X2 = R X1 + t, |t| = 1. */
export interface PairPose {
  rotation: Mat3;
  translation: Vec3;
}
export interface RelativePose extends PairPose {
  /** another one that puts many points before both cameras: those of a thing that goes along, where the first one is that of the set, or the other way */
  others: PairPose[];
  inliers: number;
  sigmaSlope: number;
  cost: number;
}

/** Signed first-order distance to the epipolar constraint in slopes (Sampson 1982; Hartley & Zisserman 2003, eq. 11.9). */
export function sampson(e: Mat3, p: SlopePair): number {
  const a0 = e[0] * p.x1 + e[1] * p.y1 + e[2],
    a1 = e[3] * p.x1 + e[4] * p.y1 + e[5],
    a2 = e[6] * p.x1 + e[7] * p.y1 + e[8];
  const b0 = e[0] * p.x2 + e[3] * p.y2 + e[6],
    b1 = e[1] * p.x2 + e[4] * p.y2 + e[7];
  return (p.x2 * a0 + p.y2 * a1 + a2) / Math.sqrt(a0 * a0 + a1 * a1 + b0 * b0 + b1 * b1 + 1e-300);
}

/**
 * Relative pose by random sampling of five pairs, scored by the truncated squared Sampson distance (MSAC, Torr & Zisserman 2000).
 * @param capSlope distance beyond which a pair counts as an outlier, in slopes
 */
export function estimateRelativePose(pairs: readonly SlopePair[], capSlope: number, random: () => number, rounds = 60): RelativePose | null {
  const found = estimateEssential(pairs, capSlope, random, rounds);
  if (!found) return null;
  const { e, cost } = found;
  const distances = pairs.map((p) => Math.abs(sampson(e, p)));
  const inliers = pairs.filter((_, i) => distances[i] < capSlope);
  if (inliers.length < 6) return null;
  const [pose, ...others] = posesFromEssential(e, inliers);
  return pose ? { ...pose, others, inliers: inliers.length, sigmaSlope: 1.4826 * median(distances), cost } : null;
}

/** The essential matrix alone: of a flat thing passed square-on it says what belongs together, and not on which side of it the cameras were. */
export function estimateEssential(pairs: readonly SlopePair[], capSlope: number, random: () => number, rounds = 60): { e: Mat3; cost: number } | null {
  if (pairs.length < 6) return null;
  let best: Mat3 | null = null;
  let bestCost = Infinity;
  const cap2 = capSlope * capSlope;
  for (let round = 0; round < rounds; round += 1) {
    for (const e of fivePoint(sampleIndices(pairs.length, 5, random).map((i) => pairs[i]))) {
      let cost = 0;
      for (const p of pairs) {
        const s = sampson(e, p);
        cost += Math.min(cap2, s * s);
        if (cost >= bestCost) break;
      }
      if (cost < bestCost) {
        bestCost = cost;
        best = e;
      }
    }
  }
  return best && { e: best, cost: bestCost };
}

/** Fewer than half of the points lie before both cameras where a thing that moves along holds the others: so many, and this share, are no accident. */
const LEAST_GROUP = 16;
const LEAST_GROUP_SHARE = 0.35;

/** Those of the four decompositions that put many points before both cameras, the one with most of them first (Hartley & Zisserman 2003, sec. 9.6.2). */
function posesFromEssential(e: Mat3, pairs: readonly SlopePair[]): PairPose[] {
  const svd = new SVD(Matrix.from1DArray(3, 3, [...e]));
  const toMat = (m: Matrix) => m.to1DArray() as unknown as Mat3;
  const flip = (m: Mat3): Mat3 => (det3(m) < 0 ? (m.map((v) => -v) as unknown as Mat3) : m);
  const u = flip(toMat(svd.leftSingularVectors));
  const vt = transpose3(flip(toMat(svd.rightSingularVectors)));
  const w: Mat3 = [0, -1, 0, 1, 0, 0, 0, 0, 1];
  const t: Vec3 = [u[2], u[5], u[8]];
  const found: { pose: PairPose; front: number }[] = [];
  for (const rotation of [mulMat3(mulMat3(u, w), vt), mulMat3(mulMat3(u, transpose3(w)), vt)]) {
    for (const sign of [1, -1]) {
      const translation: Vec3 = [sign * t[0], sign * t[1], sign * t[2]];
      let front = 0;
      for (const p of pairs) if (inFront(rotation, translation, p)) front += 1;
      if (front > pairs.length / 2 || (front >= LEAST_GROUP && front >= LEAST_GROUP_SHARE * pairs.length)) found.push({ pose: { rotation, translation }, front });
    }
  }
  return found.sort((a, b) => b.front - a.front).map((f) => f.pose);
}

function inFront(r: Mat3, t: Vec3, p: SlopePair): boolean {
  // d1·R q1 + t = d2·q2, least squares in d1, d2
  const a = mulMatVec(r, [p.x1, p.y1, 1]);
  const b: Vec3 = [p.x2, p.y2, 1];
  const aa = a[0] * a[0] + a[1] * a[1] + a[2] * a[2];
  const bb = b[0] * b[0] + b[1] * b[1] + 1;
  const ab = a[0] * b[0] + a[1] * b[1] + a[2];
  const at = a[0] * t[0] + a[1] * t[1] + a[2] * t[2];
  const bt = b[0] * t[0] + b[1] * t[1] + t[2];
  const det = aa * bb - ab * ab;
  return det > 1e-12 && -at * bb + ab * bt > 0 && aa * bt - ab * at > 0;
}

export interface RotationOnly {
  rotation: Mat3;
  residualsSlope: Float64Array;
  medianSlope: number;
}

/**
 * Best pure rotation between two frames, robust: rays farther than 2.5 medians are left out, five times over. Residuals are slopes in the
 * second frame. Gauss–Newton on Σ |b − R a|², which a camera's turn (far below 90°) always lets converge; an eigenvalue solution of the
 * same sum took ten times as long, and a solve asks for thousands.
 */
export function rotationOnly(pairs: readonly SlopePair[]): RotationOnly {
  const n = pairs.length;
  const a = new Float64Array(3 * n);
  const b = new Float64Array(3 * n);
  pairs.forEach((p, i) => {
    const na = Math.hypot(p.x1, p.y1, 1);
    const nb = Math.hypot(p.x2, p.y2, 1);
    a.set([p.x1 / na, p.y1 / na, 1 / na], 3 * i);
    b.set([p.x2 / nb, p.y2 / nb, 1 / nb], 3 * i);
  });
  const used = new Uint8Array(n).fill(1);
  let rotation: Mat3 = [1, 0, 0, 0, 1, 0, 0, 0, 1];
  const residualsSlope = new Float64Array(n);
  for (let round = 0; round < 5; round += 1) {
    for (let step = 0; step < (round === 0 ? 6 : 2); step += 1) rotation = mulMat3(expSO3(turnStep(rotation, a, b, used)), rotation);
    pairs.forEach((p, i) => {
      const c = mulMatVec(rotation, [p.x1, p.y1, 1]);
      residualsSlope[i] = c[2] > 0.01 ? Math.hypot(c[0] / c[2] - p.x2, c[1] / c[2] - p.y2) : 1;
    });
    const limit = 2.5 * median(residualsSlope);
    const next = residualsSlope.map((e) => (e <= limit ? 1 : 0));
    if (next.reduce((s, v) => s + v, 0) < 3) break;
    used.set(next);
  }
  return { rotation, residualsSlope, medianSlope: median(residualsSlope) };
}

/** The small turn w that brings R a nearest to b: (Σ I − r rᵀ) w = Σ r × b with r = R a, all of unit length. */
function turnStep(rotation: Mat3, a: Float64Array, b: Float64Array, used: Uint8Array): Vec3 {
  const h = [0, 0, 0, 0, 0, 0]; // xx xy xz yy yz zz
  let gx = 0,
    gy = 0,
    gz = 0;
  const r = rotation;
  for (let i = 0; i < used.length; i += 1) {
    if (used[i] === 0) continue;
    const ax = a[3 * i],
      ay = a[3 * i + 1],
      az = a[3 * i + 2];
    const x = r[0] * ax + r[1] * ay + r[2] * az,
      y = r[3] * ax + r[4] * ay + r[5] * az,
      z = r[6] * ax + r[7] * ay + r[8] * az;
    h[0] += 1 - x * x;
    h[1] -= x * y;
    h[2] -= x * z;
    h[3] += 1 - y * y;
    h[4] -= y * z;
    h[5] += 1 - z * z;
    gx += y * b[3 * i + 2] - z * b[3 * i + 1];
    gy += z * b[3 * i] - x * b[3 * i + 2];
    gz += x * b[3 * i + 1] - y * b[3 * i];
  }
  const c00 = h[3] * h[5] - h[4] * h[4],
    c01 = h[2] * h[4] - h[1] * h[5],
    c02 = h[1] * h[4] - h[2] * h[3];
  const det = h[0] * c00 + h[1] * c01 + h[2] * c02;
  if (!(Math.abs(det) > 1e-15)) return [0, 0, 0];
  const c11 = h[0] * h[5] - h[2] * h[2],
    c12 = h[1] * h[2] - h[0] * h[4],
    c22 = h[0] * h[3] - h[1] * h[1];
  return [(c00 * gx + c01 * gy + c02 * gz) / det, (c01 * gx + c11 * gy + c12 * gz) / det, (c02 * gx + c12 * gy + c22 * gz) / det];
}
