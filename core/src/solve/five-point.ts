import { EVD, Matrix } from 'ml-matrix';
import type { Mat3 } from '../math';

/** A ray pair: slopes (x, y) in the first and second picture. */
export interface SlopePair {
  x1: number;
  y1: number;
  x2: number;
  y2: number;
}

// Monomials as exponents of x, y, z; of the cubic equations the cubic ones first, which are eliminated.
const LINEAR = ['100', '010', '001', '000'];
const SQUARE = ['200', '110', '101', '020', '011', '002', '100', '010', '001', '000'];
const CUBIC = ['300', '210', '201', '120', '111', '102', '030', '021', '012', '003', ...SQUARE];
const times = (a: string, b: string) => [0, 1, 2].map((k) => String(Number(a[k]) + Number(b[k]))).join('');
/** Where the product of two monomials stands. */
const TO_SQUARE = Int32Array.from(LINEAR.flatMap((a) => LINEAR.map((b) => SQUARE.indexOf(times(a, b)))));
const TO_CUBIC = Int32Array.from(SQUARE.flatMap((a) => LINEAR.map((b) => CUBIC.indexOf(times(a, b)))));

/** out += factor · a · b for the entries of E that begin at `a` and `b`, four coefficients each. */
function addSquare(e: Float64Array, a: number, b: number, factor: number, out: Float64Array, at: number): void {
  for (let i = 0; i < 4; i += 1) {
    const f = factor * e[a + i];
    for (let j = 0; j < 4; j += 1) out[at + TO_SQUARE[4 * i + j]] += f * e[b + j];
  }
}
/** out += q · b: a square of ten coefficients by a linear entry of E. */
function addCubic(q: Float64Array, from: number, e: Float64Array, b: number, out: Float64Array, at: number): void {
  for (let i = 0; i < 10; i += 1) {
    const f = q[from + i];
    for (let j = 0; j < 4; j += 1) out[at + TO_CUBIC[4 * i + j]] += f * e[b + j];
  }
}
const SYMMETRIC = [0, 1, 2, 1, 3, 4, 2, 4, 5];
const COFACTORS = [
  [4, 8, 5, 7],
  [5, 6, 3, 8],
  [3, 7, 4, 6],
];

/**
 * Essential matrices through five ray pairs: x2ᵀ E x1 = 0 with det E = 0 and 2EEᵀE − tr(EEᵀ)E = 0, at most ten, each of norm 1.
 * Source  Nistér, An efficient solution to the five-point relative pose problem, PAMI 26(6), 2004; solved by the action matrix of
 *         Stewénius, Engels, Nistér, ISPRS Journal 60, 2006. (A root of the polynomial of degree ten
 *         takes three quarters of the time, and of points in one plane it missed a sixth of the true matrices, which are nearly double there.)
 * Works for points in one plane too, where it has a second solution that only further views tell apart.
 */
export function fivePoint(pairs: readonly SlopePair[]): Mat3[] {
  const e = nullSpace(pairs);
  // L = EEᵀ − ½ tr(EEᵀ), its upper triangle; then L E and det E
  const l = new Float64Array(60);
  for (let r = 0, k = 0; r < 3; r += 1) for (let c = r; c < 3; c += 1, k += 1) for (let i = 0; i < 3; i += 1) addSquare(e, 4 * (3 * r + i), 4 * (3 * c + i), 1, l, 10 * k);
  for (let i = 0; i < 10; i += 1) {
    const half = (l[i] + l[30 + i] + l[50 + i]) / 2;
    l[i] -= half;
    l[30 + i] -= half;
    l[50 + i] -= half;
  }
  const rows = new Float64Array(200);
  for (let r = 0; r < 3; r += 1) for (let c = 0; c < 3; c += 1) for (let k = 0; k < 3; k += 1) addCubic(l, 10 * SYMMETRIC[3 * r + k], e, 4 * (3 * k + c), rows, 20 * (3 * r + c));
  for (let c = 0; c < 3; c += 1) {
    const two = new Float64Array(10);
    const [a, b, p, q] = COFACTORS[c];
    addSquare(e, 4 * a, 4 * b, 1, two, 0);
    addSquare(e, 4 * p, 4 * q, -1, two, 0);
    addCubic(two, 0, e, 4 * c, rows, 180);
  }
  if (!eliminate(rows)) return [];
  // multiplication by x among the ten monomials of SQUARE
  const action = Matrix.zeros(10, 10);
  for (let r = 0; r < 6; r += 1) for (let c = 0; c < 10; c += 1) action.set(r, c, -rows[20 * r + 10 + c]);
  action.set(6, 0, 1);
  action.set(7, 1, 1);
  action.set(8, 2, 1);
  action.set(9, 6, 1);
  const { imaginaryEigenvalues, eigenvectorMatrix } = new EVD(action);
  const found: Mat3[] = [];
  for (let k = 0; k < 10; k += 1) {
    const w = eigenvectorMatrix.get(9, k);
    if (Math.abs(imaginaryEigenvalues[k]) > 1e-9 || Math.abs(w) < 1e-12) continue;
    const x = eigenvectorMatrix.get(6, k) / w;
    const y = eigenvectorMatrix.get(7, k) / w;
    const z = eigenvectorMatrix.get(8, k) / w;
    const m = Array.from({ length: 9 }, (_, i) => e[4 * i] * x + e[4 * i + 1] * y + e[4 * i + 2] * z + e[4 * i + 3]);
    const n = Math.hypot(...m);
    if (n > 0 && Number.isFinite(n)) found.push(m.map((v) => v / n) as unknown as Mat3);
  }
  return found;
}

/** Four matrices that span what five pairs leave open, orthonormal (Householder): entry i of the k-th at 4 i + k. */
function nullSpace(pairs: readonly SlopePair[]): Float64Array {
  const a = new Float64Array(45);
  for (let r = 0; r < 5; r += 1) {
    const { x1, y1, x2, y2 } = pairs[r];
    a.set([x2 * x1, x2 * y1, x2, y2 * x1, y2 * y1, y2, x1, y1, 1], 9 * r);
  }
  const reflect = (v: number, from: number, x: Float64Array, at: number) => {
    let s = 0;
    for (let i = from; i < 9; i += 1) s += a[v + i] * x[at + i];
    for (let i = from; i < 9; i += 1) x[at + i] -= 2 * s * a[v + i];
  };
  for (let k = 0; k < 5; k += 1) {
    let n2 = 0;
    for (let i = k; i < 9; i += 1) n2 += a[9 * k + i] ** 2;
    a[9 * k + k] += (a[9 * k + k] < 0 ? -1 : 1) * Math.sqrt(n2);
    n2 = 0;
    for (let i = k; i < 9; i += 1) n2 += a[9 * k + i] ** 2;
    const by = n2 > 0 ? 1 / Math.sqrt(n2) : 0;
    for (let i = k; i < 9; i += 1) a[9 * k + i] *= by;
    for (let r = k + 1; r < 5; r += 1) reflect(9 * k, k, a, 9 * r);
  }
  const e = new Float64Array(36);
  const q = new Float64Array(9);
  for (let c = 0; c < 4; c += 1) {
    q.fill(0);
    q[5 + c] = 1;
    for (let k = 4; k >= 0; k -= 1) reflect(9 * k, k, q, 0);
    for (let i = 0; i < 9; i += 1) e[4 * i + c] = q[i];
  }
  return e;
}

/** Gauss–Jordan on the first ten columns of ten rows of twenty, with row pivoting. */
function eliminate(rows: Float64Array): boolean {
  for (let c = 0; c < 10; c += 1) {
    let best = c;
    for (let r = c + 1; r < 10; r += 1) if (Math.abs(rows[20 * r + c]) > Math.abs(rows[20 * best + c])) best = r;
    const pivot = rows[20 * best + c];
    if (!(Math.abs(pivot) > 1e-14)) return false;
    for (let j = c; j < 20; j += 1) {
      const v = rows[20 * best + j];
      rows[20 * best + j] = rows[20 * c + j];
      rows[20 * c + j] = v / pivot;
    }
    for (let r = 0; r < 10; r += 1) {
      const f = r === c ? 0 : rows[20 * r + c];
      if (f !== 0) for (let j = c; j < 20; j += 1) rows[20 * r + j] -= f * rows[20 * c + j];
    }
  }
  return true;
}
