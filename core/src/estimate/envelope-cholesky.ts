import { tileKernel, type TileKernelSource } from './tile-kernel';

/**
 * Symmetric positive definite matrices stored by their row envelope, and their Cholesky factor.
 * Layout   Lower triangle in panels of four rows: panel p keeps columns firstOf[p]…4p+3 of rows 4p…4p+3, column by column, so that
 *          element (i, j) is data[base[i >> 2] + 4 j + (i & 3)] (`at`). Above the diagonal and beyond n, panels hold zeros.
 *          Fill-in of Cholesky stays inside the envelope, so a matrix that is banded by time (cameras of a shot) stays cheap and a
 *          full one loses nothing against dense storage.
 * Source   George & Liu, Computer Solution of Large Sparse Positive Definite Systems (1981), ch. 4 (envelope method).
 *          Selected inverse: Takahashi, Fagan, Chin (1973); Erisman & Tinney (1975).
 * Cost     Sum over rows of (row width)²/2 multiply-adds for the factor, twice that for the inverse; in 4×4 tiles by the tile kernel.
 *          n = 1500 full: factor 0.25 s, inverse 0.6 s (by single rows in plain code 1.2 and 2.5 s).
 */
export class EnvelopeMatrix {
  readonly n: number;
  readonly panels: number;
  /** first column of a panel, a multiple of four */
  readonly firstOf: Int32Array;
  readonly base: Int32Array;
  readonly data: Float64Array;

  /** @param first first[i] is the smallest column kept in row i, at most i */
  constructor(first: ArrayLike<number>) {
    this.n = first.length;
    this.panels = Math.ceil(this.n / 4);
    this.firstOf = new Int32Array(this.panels);
    this.base = new Int32Array(this.panels);
    let size = 0;
    for (let p = 0; p < this.panels; p += 1) {
      let smallest = 4 * p;
      for (let i = 4 * p; i < Math.min(this.n, 4 * p + 4); i += 1) smallest = Math.min(smallest, first[i]);
      this.firstOf[p] = smallest - (smallest % 4);
      this.base[p] = size - 4 * this.firstOf[p];
      size += 4 * (4 * p + 4 - this.firstOf[p]);
    }
    this.data = new Float64Array(size);
  }

  /** Place in `data` of element (i, j), j ≤ i, inside the envelope. */
  at(i: number, j: number): number {
    return this.base[i >> 2] + 4 * j + (i & 3);
  }

  /** Element (i, j) in either order; 0 outside the envelope. */
  get(i: number, j: number): number {
    const row = i > j ? i : j;
    const column = i > j ? j : i;
    return column < this.firstOf[row >> 2] ? 0 : this.data[this.at(row, column)];
  }
}

/** Replaces the matrix by its lower factor L (A = L Lᵀ). False, with the contents spoiled, when a pivot is not positive. */
export function cholesky(matrix: EnvelopeMatrix, source: TileKernelSource = tileKernel): boolean {
  const { n, panels, firstOf, base } = matrix;
  const size = matrix.data.length;
  const kernel = source(size + 16);
  const a = kernel.data;
  a.set(matrix.data);
  for (let i = n; i < 4 * panels; i += 1) a[matrix.at(i, i)] = 1;
  for (let p = 0; p < panels; p += 1) {
    for (let q = firstOf[p] >> 2; q <= p; q += 1) {
      const start = firstOf[p] > firstOf[q] ? firstOf[p] : firstOf[q];
      kernel.tiles(base[p] + 4 * start, base[q] + 4 * start, 4 * q - start, 1, 0, size);
      const tile = base[p] + 16 * q;
      const pivots = base[q] + 16 * q;
      // the rows of this tile: x Lqqᵀ = a − sum; on the diagonal the tile's own factor
      for (let i = 0; i < 4; i += 1) {
        const last = p === q ? i : 3;
        for (let j = 0; j <= last; j += 1) {
          const before = a[tile + 4 * j + i];
          let v = before - a[size + 4 * i + j];
          for (let k = 0; k < j; k += 1) v -= a[tile + 4 * k + i] * a[pivots + 4 * k + j];
          if (p !== q || i !== j) a[tile + 4 * j + i] = v / a[pivots + 4 * j + j];
          // relative to the diagonal before elimination: below this only rounding is left of the pivot
          else if (v > before * 1e-15) a[tile + 4 * j + i] = Math.sqrt(v);
          else return false;
        }
      }
    }
  }
  for (let i = n; i < 4 * panels; i += 1) a[matrix.at(i, i)] = 0;
  matrix.data.set(a.subarray(0, size));
  return true;
}

/** Solves L Lᵀ x = b in place. */
export function solveCholesky(factor: EnvelopeMatrix, x: Float64Array): void {
  const { n, panels, firstOf, base, data } = factor;
  for (let p = 0; p < panels; p += 1) {
    const row = 4 * p;
    const rows = Math.min(4, n - row);
    let s0 = 0,
      s1 = 0,
      s2 = 0,
      s3 = 0;
    for (let k = firstOf[p], at = base[p] + 4 * k; k < row; k += 1, at += 4) {
      const xk = x[k];
      s0 += data[at] * xk;
      s1 += data[at + 1] * xk;
      s2 += data[at + 2] * xk;
      s3 += data[at + 3] * xk;
    }
    const sums = [s0, s1, s2, s3];
    for (let i = 0; i < rows; i += 1) {
      let v = x[row + i] - sums[i];
      for (let k = 0; k < i; k += 1) v -= data[base[p] + 4 * (row + k) + i] * x[row + k];
      x[row + i] = v / data[base[p] + 4 * (row + i) + i];
    }
  }
  for (let p = panels - 1; p >= 0; p -= 1) {
    const row = 4 * p;
    const rows = Math.min(4, n - row);
    const v = [0, 0, 0, 0];
    for (let i = rows - 1; i >= 0; i -= 1) {
      const at = base[p] + 4 * (row + i);
      let s = x[row + i];
      for (let k = i + 1; k < rows; k += 1) s -= data[at + k] * v[k];
      v[i] = s / data[at + i];
      x[row + i] = v[i];
    }
    const [v0, v1, v2, v3] = v;
    for (let k = firstOf[p], at = base[p] + 4 * k; k < row; k += 1, at += 4) x[k] -= data[at] * v0 + data[at + 1] * v1 + data[at + 2] * v2 + data[at + 3] * v3;
  }
}

/** Those elements of (L Lᵀ)⁻¹ that lie inside the envelope; its diagonal tiles hold both triangles. */
export function invertSelected(factor: EnvelopeMatrix, source: TileKernelSource = tileKernel): EnvelopeMatrix {
  const { n, panels, firstOf, base, data } = factor;
  const inverse = new EnvelopeMatrix(Array.from({ length: n }, (_, i) => firstOf[i >> 2]));
  const size = data.length;
  // scratch: Z, then V = L_KJ L_JJ⁻¹ and Y = Z_KK V of one panel of columns, both by row, then a tile
  const v = size;
  const y = v + 16 * panels;
  const tile = y + 16 * panels;
  const kernel = source(tile + 16);
  const z = kernel.data;
  z.fill(0, 0, tile + 16);
  const factorInverse = new Float64Array(16);
  for (let j = panels - 1; j >= 0; j -= 1) {
    const below = 4 * (j + 1);
    invertTile(data, base[j] + 16 * j, Math.min(4, n - 4 * j), factorInverse);
    z.fill(0, y + 4 * below, y + 16 * panels);
    for (let k = j + 1; k < panels; k += 1) {
      const at = v + 16 * k;
      if (firstOf[k] > 4 * j) {
        z.fill(0, at, at + 16);
        continue;
      }
      const l = base[k] + 16 * j;
      for (let i = 0; i < 4; i += 1) {
        for (let c = 0; c < 4; c += 1) {
          let s = 0;
          for (let m = c; m < 4; m += 1) s += data[l + 4 * m + i] * factorInverse[4 * m + c];
          z[at + 4 * i + c] = s;
        }
      }
    }
    // Y over the rows that reach these columns, reading each panel of Z once for both triangles
    for (let k = j + 1; k < panels; k += 1) {
      if (firstOf[k] > 4 * j) continue;
      const panel = base[k] + 4 * below;
      // the diagonal tile holds both of its triangles here
      kernel.tiles(panel, v + 4 * below, 4 * k + 4 - below, 1, 0, tile);
      for (let i = 0; i < 16; i += 1) z[y + 16 * k + i] += z[tile + i];
      kernel.spread(panel, v + 16 * k, y + 4 * below, 4 * k - below);
    }
    const diagonal = base[j] + 16 * j;
    for (let a = 0; a < 4; a += 1) {
      for (let b = 0; b < 4; b += 1) {
        let s = 0;
        for (let m = Math.max(a, b); m < 4; m += 1) s += factorInverse[4 * m + a] * factorInverse[4 * m + b];
        z[diagonal + 4 * b + a] = s;
      }
    }
    for (let k = j + 1; k < panels; k += 1) {
      if (firstOf[k] > 4 * j) continue;
      for (let i = 0; i < 4; i += 1) {
        const row = 16 * k + 4 * i;
        for (let b = 0; b < 4; b += 1) {
          z[base[k] + 16 * j + 4 * b + i] = -z[y + row + b];
          for (let a = 0; a < 4; a += 1) z[diagonal + 4 * b + a] += z[v + row + a] * z[y + row + b];
        }
      }
    }
  }
  inverse.data.set(z.subarray(0, size));
  return inverse;
}

/** out = L⁻¹ of a lower 4×4 tile (column by column in `data`), by row; rows from `rows` on are zero. */
function invertTile(data: Float64Array, at: number, rows: number, out: Float64Array): void {
  out.fill(0);
  for (let c = 0; c < rows; c += 1) {
    for (let i = c; i < rows; i += 1) {
      let s = i === c ? 1 : 0;
      for (let k = c; k < i; k += 1) s -= data[at + 4 * k + i] * out[4 * k + c];
      out[4 * i + c] = s / data[at + 4 * i + i];
    }
  }
}
