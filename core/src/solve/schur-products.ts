import { tileKernel, type EnvelopeMatrix } from '../estimate';

/** Y of each eliminated block: `dim` rows over its columns of the reduced system, row by row, columns ascending. */
export interface EliminatedRows {
  dim: number;
  columns: Int32Array[];
  y: Float64Array[];
  batches: Batch[];
}

/** Eliminated blocks that are worked on together, over the union of their columns; where a block lacks a column it counts as 0. */
interface Batch {
  from: number;
  to: number; // exclusive
  union: Int32Array;
  /** place in the union of each column, by block */
  slots: Int32Array[];
}

/** More rows than this no longer fit the fast memory beside a panel. */
const MAX_ROWS = 384;
/** The work that padding may add: the kernel is four times faster over long sums than over single blocks. */
const MAX_PADDING = 1.7;

/** Consecutive blocks, as long as their union hardly adds work. Depends on the structure only: made once a system. */
export function planBatches(columns: readonly Int32Array[], dim: number): Batch[] {
  const batches: Batch[] = [];
  const size = columns.reduce((m, c) => Math.max(m, c.length === 0 ? 0 : c[c.length - 1] + 1), 0);
  const stamp = new Int32Array(size).fill(-1);
  const place = new Int32Array(size);
  for (let from = 0; from < columns.length;) {
    let to = from;
    let count = 0;
    let work = 0;
    while (to < columns.length && (to - from + 1) * dim <= MAX_ROWS) {
      let grown = count;
      for (const c of columns[to]) if (stamp[c] !== from) grown += 1;
      const withNext = work + columns[to].length ** 2;
      if (to > from && (to - from + 1) * grown ** 2 > MAX_PADDING * withNext) break;
      for (const c of columns[to]) stamp[c] = from;
      count = grown;
      work = withNext;
      to += 1;
    }
    const union = new Int32Array(count);
    for (let c = 0, n = 0; n < count; c += 1) {
      if (stamp[c] !== from) continue;
      place[c] = n;
      union[n] = c;
      n += 1;
    }
    batches.push({ from, to, union, slots: columns.slice(from, to).map((list) => list.map((c) => place[c])) });
    from = to;
  }
  return batches;
}

/** S ← S − Σ Yᵀ Y on the lower triangle. */
export function subtractSquares(s: EnvelopeMatrix, rows: EliminatedRows): void {
  const { dim } = rows;
  const { data, base } = s;
  for (const { from, to, union, slots } of rows.batches) {
    const depth = (to - from) * dim;
    const panels = Math.ceil(union.length / 4);
    const stride = 4 * depth;
    const out = panels * stride;
    const kernel = tileKernel(out + 16 * panels);
    const scratch = kernel.data;
    scratch.fill(0, 0, out);
    for (let e = from; e < to; e += 1) {
      const y = rows.y[e];
      const slot = slots[e - from];
      const m = slot.length;
      const row = 4 * (e - from) * dim;
      for (let c = 0; c < m; c += 1) {
        const at = (slot[c] >> 2) * stride + row + (slot[c] & 3);
        for (let i = 0; i < dim; i += 1) scratch[at + 4 * i] = y[i * m + c];
      }
    }
    for (let p = 0; p < panels; p += 1) {
      kernel.tiles(p * stride, 0, depth, p + 1, stride, out);
      for (let i = 0; i < 4 && 4 * p + i < union.length; i += 1) {
        const row = union[4 * p + i];
        const to0 = base[row >> 2] + (row & 3);
        const last = 4 * p + i;
        for (let c = 0; c <= last; c += 1) data[to0 + 4 * union[c]] -= scratch[out + 16 * (c >> 2) + 4 * i + (c & 3)];
      }
    }
  }
}

/**
 * Y Z Yᵀ of every block, dim² each. With Z = N + Nᵀ + D (strictly lower tiles, diagonal tiles) the form is A + Aᵀ + Y D Yᵀ, A = Y N Yᵀ:
 * each stored panel of Z is read once for a whole batch.
 * @param z all columns of one block lie inside its envelope together
 */
export function quadraticForms(z: EnvelopeMatrix, rows: EliminatedRows): Float64Array {
  const { dim } = rows;
  const result = new Float64Array(rows.y.length * dim * dim);
  const size = z.data.length;
  // scratch: Z; V = Yᵀ of the batch by panels of four of its rows, over the whole height of Z; the tiles of one panel of Z
  const stride = 16 * z.panels;
  const most = rows.batches.reduce((m, { from, to }) => Math.max(m, Math.ceil(((to - from) * dim) / 4)), 0);
  const kernel = tileKernel(size + most * (stride + 16));
  const scratch = kernel.data;
  scratch.set(z.data);
  for (const { from, to, union } of rows.batches) {
    const count = Math.ceil(((to - from) * dim) / 4);
    const out = size + count * stride;
    scratch.fill(0, size, out);
    for (let e = from; e < to; e += 1) {
      const y = rows.y[e];
      const columns = rows.columns[e];
      const m = columns.length;
      for (let i = 0; i < dim; i += 1) {
        const r = (e - from) * dim + i;
        const at = size + (r >> 2) * stride + (r & 3);
        for (let c = 0; c < m; c += 1) scratch[at + 4 * columns[c]] = y[i * m + c];
      }
    }
    const low = union.length === 0 ? 0 : union[0] - (union[0] % 4);
    for (const p of new Set(Array.from(union, (c) => c >> 2))) {
      const start = Math.max(z.firstOf[p], low);
      // strictly lower tiles, then half of the diagonal tile's (it holds both triangles): W, 4 rows of Z by the batch's rows
      kernel.tiles(z.base[p] + 4 * start, size + 4 * start, 4 * p - start, count, stride, out);
      addHalfDiagonal(scratch, z.base[p] + 16 * p, size + 16 * p, count, stride, out);
      for (let e = from; e < to; e += 1) {
        const at = e * dim * dim;
        for (let a = 0; a < dim; a += 1) {
          const ra = (e - from) * dim + a;
          const va = size + (ra >> 2) * stride + 16 * p + (ra & 3);
          for (let b = 0; b < dim; b += 1) {
            const rb = (e - from) * dim + b;
            const w = out + 16 * (rb >> 2) + (rb & 3);
            result[at + a * dim + b] += scratch[va] * scratch[w] + scratch[va + 4] * scratch[w + 4] + scratch[va + 8] * scratch[w + 8] + scratch[va + 12] * scratch[w + 12];
          }
        }
      }
    }
  }
  for (let at = 0; at < result.length; at += dim * dim) {
    for (let a = 0; a < dim; a += 1) {
      for (let b = 0; b <= a; b += 1) {
        const sum = result[at + a * dim + b] + result[at + b * dim + a];
        result[at + a * dim + b] = sum;
        result[at + b * dim + a] = sum;
      }
    }
  }
  return result;
}

function addHalfDiagonal(scratch: Float64Array, tile: number, v: number, count: number, stride: number, out: number): void {
  for (let q = 0; q < count; q += 1) {
    for (let i = 0; i < 4; i += 1) {
      for (let j = 0; j < 4; j += 1) {
        let sum = 0;
        for (let k = 0; k < 4; k += 1) sum += scratch[tile + 4 * k + i] * scratch[v + q * stride + 4 * k + j];
        scratch[out + 16 * q + 4 * i + j] += sum / 2;
      }
    }
  }
}
