import { Matrix, SVD } from 'ml-matrix';
import { CoreError } from '../errors';
import type { Mat3 } from './vec3';

export interface PointPair {
  from: readonly [number, number];
  to: readonly [number, number];
}

/** Of the largest square, far above the rounding of a sum of them. */
const RANK_SHARE = 1e-13;

/**
 * Homography `to ~ H from` by the normalised direct linear transform.
 * Source  Hartley & Zisserman, Multiple View Geometry (2003), alg. 4.2.
 * @throws CoreError TOO_FEW_OBSERVATIONS below four pairs; RANK_DEFICIENT when they lie on one line or fall together
 */
export function homography(pairs: readonly PointPair[]): Mat3 {
  if (pairs.length < 4) throw new CoreError('TOO_FEW_OBSERVATIONS', `A homography needs at least 4 pairs of points, got ${pairs.length}`);
  const a = normaliser(pairs.map((p) => p.from));
  const b = normaliser(pairs.map((p) => p.to));
  // AᵀA is 9×9 whatever the number of pairs
  const m = new Float64Array(81);
  const row = new Float64Array(9);
  const addRow = () => {
    for (let i = 0; i < 9; i += 1) for (let j = 0; j < 9; j += 1) m[i * 9 + j] += row[i] * row[j];
  };
  for (const p of pairs) {
    const x = (p.from[0] - a.cx) * a.s;
    const y = (p.from[1] - a.cy) * a.s;
    const u = (p.to[0] - b.cx) * b.s;
    const v = (p.to[1] - b.cy) * b.s;
    row.set([x, y, 1, 0, 0, 0, -u * x, -u * y, -u]);
    addRow();
    row.set([0, 0, 0, x, y, 1, -v * x, -v * y, -v]);
    addRow();
  }
  const svd = new SVD(Matrix.from1DArray(9, 9, Array.from(m)));
  // squares of the singular values of A: of a second direction without weight, any mixture of the two would do
  if (!(svd.diagonal[7] > RANK_SHARE * svd.diagonal[0])) throw new CoreError('RANK_DEFICIENT', 'The pairs of points lie on one line, or fall together: they give no homography');
  const h = Array.from({ length: 9 }, (_, i) => svd.rightSingularVectors.get(i, 8));
  // H = Tb⁻¹ Hn Ta
  const hn = h;
  const left: number[] = [];
  for (let c = 0; c < 3; c += 1) {
    left[c] = hn[c] / b.s + b.cx * hn[6 + c];
    left[3 + c] = hn[3 + c] / b.s + b.cy * hn[6 + c];
    left[6 + c] = hn[6 + c];
  }
  const out: number[] = [];
  for (let r = 0; r < 3; r += 1) {
    const [p, q, w] = [left[3 * r], left[3 * r + 1], left[3 * r + 2]];
    out.push(p * a.s, q * a.s, w - p * a.s * a.cx - q * a.s * a.cy);
  }
  return out as unknown as Mat3;
}

/** The same; null where the pairs are too few, lie on one line or fall together. */
export function homographyOrNone(pairs: readonly PointPair[]): Mat3 | null {
  try {
    return homography(pairs);
  } catch (error) {
    if (error instanceof CoreError) return null;
    throw error;
  }
}

function normaliser(points: readonly (readonly [number, number])[]) {
  let cx = 0,
    cy = 0;
  for (const p of points) {
    cx += p[0];
    cy += p[1];
  }
  cx /= points.length;
  cy /= points.length;
  let d = 0;
  for (const p of points) d += Math.hypot(p[0] - cx, p[1] - cy);
  return { cx, cy, s: d > 0 ? (Math.SQRT2 * points.length) / d : 1 };
}
