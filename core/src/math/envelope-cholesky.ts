/**
 * Symmetric positive definite matrices stored by their row envelope, and their Cholesky factor.
 * Layout   Lower triangle, row by row: row i keeps columns first[i]…i, contiguous. Element (i, j) is data[base[i] + j].
 *          Fill-in of Cholesky stays inside the envelope, so a matrix that is banded by time (cameras of a shot) stays cheap and a
 *          full one loses nothing against dense storage.
 * Source   George & Liu, Computer Solution of Large Sparse Positive Definite Systems (1981), ch. 4 (envelope method).
 *          Selected inverse: Takahashi, Fagan, Chin (1973); Erisman & Tinney (1975).
 * Cost     Sum over rows of (row width)²; rows are dotted along contiguous memory with four accumulators, which measured 1.9 times
 *          faster in V8 than one accumulator at n = 1500.
 */
export class EnvelopeMatrix {
  readonly n: number;
  readonly first: Int32Array;
  readonly base: Int32Array;
  readonly data: Float64Array;

  /** @param first first[i] is the smallest column kept in row i, at most i */
  constructor(first: Int32Array) {
    this.n = first.length;
    this.first = first;
    this.base = new Int32Array(this.n);
    let size = 0;
    for (let i = 0; i < this.n; i += 1) {
      this.base[i] = size - first[i];
      size += i - first[i] + 1;
    }
    this.data = new Float64Array(size);
  }

  /** Element (i, j) in either order; 0 outside the envelope. */
  get(i: number, j: number): number {
    const row = i > j ? i : j;
    const column = i > j ? j : i;
    return column < this.first[row] ? 0 : this.data[this.base[row] + column];
  }
}

function dotRange(data: Float64Array, a: number, b: number, count: number): number {
  let s0 = 0,
    s1 = 0,
    s2 = 0,
    s3 = 0;
  let k = 0;
  for (; k + 3 < count; k += 4) {
    s0 += data[a + k] * data[b + k];
    s1 += data[a + k + 1] * data[b + k + 1];
    s2 += data[a + k + 2] * data[b + k + 2];
    s3 += data[a + k + 3] * data[b + k + 3];
  }
  for (; k < count; k += 1) s0 += data[a + k] * data[b + k];
  return s0 + s1 + (s2 + s3);
}

/** Replaces the matrix by its lower factor L (A = L Lᵀ). False, with the contents spoiled, when a pivot is not positive. */
export function cholesky(matrix: EnvelopeMatrix): boolean {
  const { n, first, base, data } = matrix;
  for (let i = 0; i < n;) {
    // two rows of one width at a time read the rows above once instead of twice: 1.6 times faster at n = 1500, where memory is the limit
    const paired = i + 1 < n && first[i] === first[i + 1];
    const fi = first[i];
    const a = base[i];
    const b = paired ? base[i + 1] : a;
    for (let j = fi; j < i; j += 1) {
      const start = fi > first[j] ? fi : first[j];
      const c = base[j];
      const pivot = data[c + j];
      if (!paired) {
        data[a + j] = (data[a + j] - dotRange(data, a + start, c + start, j - start)) / pivot;
        continue;
      }
      let a0 = 0,
        a1 = 0,
        b0 = 0,
        b1 = 0;
      let k = start;
      for (; k + 1 < j; k += 2) {
        const c0 = data[c + k],
          c1 = data[c + k + 1];
        a0 += data[a + k] * c0;
        a1 += data[a + k + 1] * c1;
        b0 += data[b + k] * c0;
        b1 += data[b + k + 1] * c1;
      }
      if (k < j) {
        a0 += data[a + k] * data[c + k];
        b0 += data[b + k] * data[c + k];
      }
      data[a + j] = (data[a + j] - (a0 + a1)) / pivot;
      data[b + j] = (data[b + j] - (b0 + b1)) / pivot;
    }
    if (!finishPivot(data, a, fi, i)) return false;
    if (paired) {
      data[b + i] = (data[b + i] - dotRange(data, b + fi, a + fi, i - fi)) / data[a + i];
      if (!finishPivot(data, b, fi, i + 1)) return false;
    }
    i += paired ? 2 : 1;
  }
  return true;
}

function finishPivot(data: Float64Array, base: number, first: number, i: number): boolean {
  const pivot = data[base + i] - dotRange(data, base + first, base + first, i - first);
  // relative to the diagonal before elimination: below this only rounding is left of the pivot
  if (!(pivot > data[base + i] * 1e-15)) return false;
  data[base + i] = Math.sqrt(pivot);
  return true;
}

/** Solves L Lᵀ x = b in place. */
export function solveCholesky(factor: EnvelopeMatrix, x: Float64Array): void {
  const { n, first, base, data } = factor;
  for (let i = 0; i < n; i += 1) {
    let s = x[i];
    for (let k = first[i], at = base[i] + k; k < i; k += 1, at += 1) s -= data[at] * x[k];
    x[i] = s / data[base[i] + i];
  }
  for (let i = n - 1; i >= 0; i -= 1) {
    const xi = x[i] / data[base[i] + i];
    x[i] = xi;
    for (let k = first[i], at = base[i] + k; k < i; k += 1, at += 1) x[k] -= data[at] * xi;
  }
}

/** Those elements of (L Lᵀ)⁻¹ that lie inside the envelope. */
export function invertSelected(factor: EnvelopeMatrix): EnvelopeMatrix {
  const { n, first, base, data } = factor;
  const inverse = new EnvelopeMatrix(first);
  const z = inverse.data;
  const lower = new Float64Array(n);
  const y = new Float64Array(n);
  // last row that reaches column j; rows beyond it need no visit
  const reach = new Int32Array(n);
  for (let i = 0; i < n; i += 1) for (let j = first[i]; j <= i; j += 1) reach[j] = i;
  for (let j = n - 1; j >= 0; j -= 1) {
    const end = reach[j];
    for (let k = j + 1; k <= end; k += 1) {
      lower[k] = first[k] <= j ? data[base[k] + j] : 0;
      y[k] = 0;
    }
    // y = Z l over the rows below j, reading each stored row of Z once for both triangles
    for (let k = j + 1; k <= end; k += 1) {
      const start = first[k] > j + 1 ? first[k] : j + 1;
      const lk = lower[k];
      let sum = z[base[k] + k] * lk;
      for (let i = start, at = base[k] + start; i < k; i += 1, at += 1) {
        sum += z[at] * lower[i];
        y[i] += z[at] * lk;
      }
      y[k] += sum;
    }
    const pivot = data[base[j] + j];
    let diagonal = 1 / (pivot * pivot);
    for (let k = j + 1; k <= end; k += 1) {
      if (first[k] > j) continue;
      const value = -y[k] / pivot;
      z[base[k] + j] = value;
      diagonal -= (lower[k] / pivot) * value;
    }
    z[base[j] + j] = diagonal;
  }
  return inverse;
}
