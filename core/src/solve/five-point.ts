import { EVD, Matrix, SVD } from 'ml-matrix';
import type { Mat3 } from '../math';

/** A ray pair: slopes (x, y) in the first and second picture. */
export interface SlopePair {
  x1: number;
  y1: number;
  x2: number;
  y2: number;
}

// Monomials of x, y, z up to degree 3, cubic ones first; each entry is the three exponents.
const MONOMIALS = ['300', '210', '201', '120', '111', '102', '030', '021', '012', '003', '200', '110', '101', '020', '011', '002', '100', '010', '001', '000'];
const indexOf = new Map(MONOMIALS.map((m, i) => [m, i]));
const PRODUCT = MONOMIALS.map((a) => MONOMIALS.map((b) => indexOf.get([0, 1, 2].map((k) => String(Number(a[k]) + Number(b[k]))).join('')) ?? -1));
type Poly = Float64Array;
function multiply(a: Poly, b: Poly, out: Poly, sign = 1): void {
  for (let i = 0; i < 20; i += 1) {
    if (a[i] === 0) continue;
    for (let j = 0; j < 20; j += 1) if (b[j] !== 0) out[PRODUCT[i][j]] += sign * a[i] * b[j];
  }
}

/**
 * Essential matrices through five ray pairs: x2ᵀ E x1 = 0 with det E = 0 and 2EEᵀE − tr(EEᵀ)E = 0.
 * Source  Nistér, An efficient solution to the five-point relative pose problem, PAMI 26(6), 2004; solved by the action matrix of
 *         Stewénius, Engels, Nistér, ISPRS Journal 60, 2006.
 * Works for points in one plane too, where it has a second solution that only further views tell apart.
 */
export function fivePoint(pairs: readonly SlopePair[]): Mat3[] {
  const a = Matrix.zeros(9, 9);
  pairs.slice(0, 5).forEach((p, r) => {
    const row = [p.x2 * p.x1, p.x2 * p.y1, p.x2, p.y2 * p.x1, p.y2 * p.y1, p.y2, p.x1, p.y1, 1];
    row.forEach((v, c) => a.set(r, c, v));
  });
  const v = new SVD(a, { computeLeftSingularVectors: false }).rightSingularVectors;
  // e[i] = x·N0 + y·N1 + z·N2 + N3 at matrix entry i
  const e: Poly[] = Array.from({ length: 9 }, (_, i) => {
    const poly = new Float64Array(20);
    poly[16] = v.get(i, 5);
    poly[17] = v.get(i, 6);
    poly[18] = v.get(i, 7);
    poly[19] = v.get(i, 8);
    return poly;
  });
  const zero = () => new Float64Array(20);
  const eet: Poly[] = [];
  for (let r = 0; r < 3; r += 1)
    for (let c = 0; c < 3; c += 1) {
      const s = zero();
      for (let k = 0; k < 3; k += 1) multiply(e[3 * r + k], e[3 * c + k], s);
      eet.push(s);
    }
  const equations: Poly[] = [];
  for (let r = 0; r < 3; r += 1)
    for (let c = 0; c < 3; c += 1) {
      const s = zero();
      for (let k = 0; k < 3; k += 1) {
        multiply(eet[3 * r + k], e[3 * k + c], s, 2);
        multiply(eet[4 * k], e[3 * r + c], s, -1);
      }
      equations.push(s);
    }
  const det = zero();
  for (const [i, j, k, sign] of [
    [0, 4, 8, 1],
    [1, 5, 6, 1],
    [2, 3, 7, 1],
    [2, 4, 6, -1],
    [1, 3, 8, -1],
    [0, 5, 7, -1],
  ]) {
    const two = zero();
    multiply(e[i], e[j], two);
    multiply(two, e[k], det, sign);
  }
  equations.push(det);
  if (!eliminate(equations)) return [];
  const action = Matrix.zeros(10, 10);
  for (let r = 0; r < 6; r += 1) for (let c = 0; c < 10; c += 1) action.set(r, c, -equations[r][10 + c]);
  action.set(6, 0, 1);
  action.set(7, 1, 1);
  action.set(8, 2, 1);
  action.set(9, 6, 1);
  const evd = new EVD(action);
  const found: Mat3[] = [];
  for (let k = 0; k < 10; k += 1) {
    if (Math.abs(evd.imaginaryEigenvalues[k]) > 1e-9) continue;
    const w = evd.eigenvectorMatrix.get(9, k);
    if (Math.abs(w) < 1e-12) continue;
    const x = evd.eigenvectorMatrix.get(6, k) / w;
    const y = evd.eigenvectorMatrix.get(7, k) / w;
    const z = evd.eigenvectorMatrix.get(8, k) / w;
    const m = e.map((p) => p[16] * x + p[17] * y + p[18] * z + p[19]);
    const n = Math.hypot(...m);
    if (n > 0 && Number.isFinite(n)) found.push(m.map((q) => q / n) as unknown as Mat3);
  }
  return found;
}

/** Gauss–Jordan on the ten cubic columns with row pivoting. */
function eliminate(rows: Poly[]): boolean {
  for (let c = 0; c < 10; c += 1) {
    let best = c;
    for (let r = c + 1; r < 10; r += 1) if (Math.abs(rows[r][c]) > Math.abs(rows[best][c])) best = r;
    if (Math.abs(rows[best][c]) < 1e-14) return false;
    [rows[c], rows[best]] = [rows[best], rows[c]];
    const pivot = rows[c][c];
    for (let j = c; j < 20; j += 1) rows[c][j] /= pivot;
    for (let r = 0; r < 10; r += 1) {
      if (r === c || rows[r][c] === 0) continue;
      const f = rows[r][c];
      for (let j = c; j < 20; j += 1) rows[r][j] -= f * rows[c][j];
    }
  }
  return true;
}
