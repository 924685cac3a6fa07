import { cholesky, EnvelopeMatrix, solveCholesky } from '../estimate';
import type { BundleProblem, Linearisation } from './bundle-problem';
import { planBatches, quadraticForms, subtractSquares, type EliminatedRows } from './schur-products';

/** Of cameras (6 each), points (3 each), focal length, factors of a zoom, unknowns of the lens. */
export type RightSide = [camera: Float64Array, point: Float64Array, focal: number, zoom?: Float64Array, lens?: Float64Array];
/** One value for each unknown of a bundle. */
export interface UnknownsColumn {
  camera: Float64Array;
  point: Float64Array;
  focal: number;
  zoom: Float64Array;
  lens: Float64Array;
}

/**
 * The normal equations of a bundle with one kind of unknown eliminated (Schur complement).
 * Which    Points are eliminated where cameras are fewer or banded by time; cameras where points are fewer (500 frames of 500 tracks
 *          that all live throughout: 1500 unknowns instead of 3000). The cheaper one is computed from the structure.
 * Method   For each eliminated block E: H_E = L Lᵀ, Y = L⁻¹ W, S ← S − Yᵀ Y. The reduced matrix S keeps its row envelope.
 * Order    Kept unknowns by block, then the coefficients of the lens, the factors of a zoom, the focal length last.
 * Source   Triggs et al. 1999, sec. 6.1; Brown 1958.
 * Cost     Per iteration linear in observations for the derivatives, plus Σ (observations of a block)² for S.
 */
export class SchurSystem {
  readonly eliminatesPoints: boolean;
  readonly keptDim: number; // unknowns of a kept block
  readonly elimDim: number;
  readonly keptCount: number;
  readonly elimCount: number;
  /** unknowns of the reduced system; the last one is the focal length when it is free */
  readonly size: number;
  readonly hasFocal: boolean;
  /** factors of a zoom */
  readonly zoomCount: number;
  /** free unknowns of the lens */
  readonly lensCount: number;
  readonly reduced: EnvelopeMatrix;
  private readonly obsOf: Int32Array[]; // of each eliminated block, in ascending kept block
  private readonly kept: Int32Array; // kept block of an observation
  private readonly rows: EliminatedRows; // Y of each eliminated block, and the reduced index of its columns
  private readonly l: Float64Array; // lower factors of H_E, elimDim² each
  private readonly keptDiagonal: Float64Array;
  /** unknowns that every observation hangs on */
  private readonly border: number;
  private readonly by: Float64Array; // of one observation by those
  private readonly busyOf: Int32Array[]; // of each camera, those that its observations hang on: of a spline's functions four are not nought
  private readonly h: Float64Array; // of one eliminated block

  constructor(private readonly problem: BundleProblem) {
    this.hasFocal = !problem.focal.held;
    this.zoomCount = this.hasFocal ? (problem.zoom?.count ?? 0) : 0;
    const byPoint = cost(problem.point, problem.camera, problem.pointCount, problem.cameraCount, 6, 3);
    const byCamera = cost(problem.camera, problem.point, problem.cameraCount, problem.pointCount, 3, 6);
    this.eliminatesPoints = byPoint.operations <= byCamera.operations;
    const plan = this.eliminatesPoints ? byPoint : byCamera;
    this.keptDim = this.eliminatesPoints ? 6 : 3;
    this.elimDim = this.eliminatesPoints ? 3 : 6;
    this.keptCount = this.eliminatesPoints ? problem.cameraCount : problem.pointCount;
    this.elimCount = this.eliminatesPoints ? problem.pointCount : problem.cameraCount;
    this.kept = this.eliminatesPoints ? problem.camera : problem.point;
    this.obsOf = plan.obsOf;
    this.lensCount = problem.freeLens?.length ?? 0;
    const border = this.lensCount + this.zoomCount + (this.hasFocal ? 1 : 0);
    this.border = border;
    this.by = new Float64Array(2 * border);
    this.busyOf = Array.from({ length: problem.cameraCount }, (_, c) => Int32Array.from(Array.from({ length: border }, (_v, k) => k).filter((k) => this.hangsOn(c, k))));
    this.h = new Float64Array(this.elimDim ** 2);
    this.size = this.keptCount * this.keptDim + border;
    const first = new Int32Array(this.size);
    for (let b = 0; b < this.keptCount; b += 1) first.fill(plan.firstBlock[b] * this.keptDim, b * this.keptDim, (b + 1) * this.keptDim);
    first.fill(0, this.size - border);
    this.reduced = new EnvelopeMatrix(first);
    this.keptDiagonal = new Float64Array(this.keptCount * this.keptDim * this.keptDim);
    this.l = new Float64Array(this.elimCount * this.elimDim * this.elimDim);
    const columns = this.obsOf.map((obs) => {
      // a witness may see at the same moment what the main camera sees: two observations of one pair of blocks
      const blocks = obs.filter((o, q) => q === 0 || this.kept[o] !== this.kept[obs[q - 1]]);
      const of = new Int32Array(blocks.length * this.keptDim + border);
      blocks.forEach((o, q) => {
        for (let k = 0; k < this.keptDim; k += 1) of[q * this.keptDim + k] = this.kept[o] * this.keptDim + k;
      });
      for (let k = 1; k <= border; k += 1) of[of.length - k] = this.size - k;
      return of;
    });
    this.rows = { dim: this.elimDim, columns, y: columns.map((c) => new Float64Array(c.length * this.elimDim)), batches: planBatches(columns, this.elimDim) };
  }

  /** Does what a camera sees hang on this unknown of the border? */
  private hangsOn(camera: number, k: number): boolean {
    const z = k - this.lensCount;
    return z < 0 || z >= this.zoomCount || this.problem.zoom!.basis[camera * this.zoomCount + z] !== 0;
  }

  /**
   * Builds and factors the damped system at a linearisation. `damping` multiplies the diagonal (Marquardt).
   * @param extra weights that hold unknowns where they are, over their own diagonal: [index among the cameras' or points' unknowns, weight]
   * @returns false when it is not positive definite
   */
  factor(lin: Linearisation, damping: number, focalPriorWeight: number, extra: { camera?: [number, number][]; point?: [number, number][] } = {}): boolean {
    const [heldKept, heldElim] = this.eliminatesPoints ? [extra.camera, extra.point] : [extra.point, extra.camera];
    this.reduced.data.fill(0);
    this.addKept(lin, damping, heldKept ?? []);
    if (this.border > 0) this.addBorder(lin, damping, focalPriorWeight);
    const held = new Map<number, [number, number][]>();
    for (const [index, weight] of heldElim ?? []) {
      const e = Math.floor(index / this.elimDim);
      held.set(e, [...(held.get(e) ?? []), [index % this.elimDim, weight]]);
    }
    for (let e = 0; e < this.elimCount; e += 1) if (!this.eliminate(e, lin, damping, held.get(e) ?? [])) return false;
    subtractSquares(this.reduced, this.rows);
    return cholesky(this.reduced);
  }

  /** The diagonal blocks of what is kept. */
  private addKept(lin: Linearisation, damping: number, held: readonly [number, number][]): void {
    const { keptDim: dk, keptDiagonal, reduced } = this;
    keptDiagonal.fill(0);
    addSquares(this.eliminatesPoints ? lin.jCamera : lin.jPoint, this.kept, dk, keptDiagonal);
    for (let b = 0; b < this.keptCount; b += 1)
      for (let i = 0; i < dk; i += 1)
        for (let j = 0; j <= i; j += 1) {
          const v = keptDiagonal[(b * dk + i) * dk + j];
          reduced.data[reduced.at(b * dk + i, b * dk + j)] += i === j ? v * (1 + damping) + 1e-12 : v;
        }
    for (const [index, weight] of held) reduced.data[reduced.at(index, index)] += weight * Math.max(1, keptDiagonal[index * dk + (index % dk)]);
  }

  /** Rows of the border: of what every observation hangs on, coefficients of the lens, factors of the zoom, focal length. */
  private addBorder(lin: Linearisation, damping: number, focalPriorWeight: number): void {
    const { border, keptDim: dk, kept, reduced, by } = this;
    const jK = this.eliminatesPoints ? lin.jCamera : lin.jPoint;
    const width = this.keptCount * dk;
    const across = new Float64Array(border * width);
    const square = new Float64Array(border * border);
    for (let o = 0; o < kept.length; o += 1) {
      const busy = this.borderAt(lin, o);
      for (let a = 0; a < busy.length; a += 1) {
        const k = busy[a];
        const u = by[k],
          v = by[border + k];
        const to = k * width + kept[o] * dk;
        for (let j = 0; j < dk; j += 1) across[to + j] += u * jK[2 * dk * o + j] + v * jK[2 * dk * o + dk + j];
        for (let b = 0; b <= a; b += 1) square[k * border + busy[b]] += u * by[busy[b]] + v * by[border + busy[b]];
      }
    }
    for (let k = 0; k < this.lensCount; k += 1) square[k * border + k] += 1 / (this.problem.freeLens![k].prior?.sigma ?? Infinity) ** 2;
    if (this.hasFocal) square[border * border - 1] += focalPriorWeight;
    for (let k = 0; k < border; k += 1) {
      const row = width + k;
      for (let c = 0; c < width; c += 1) reduced.data[reduced.at(row, c)] += across[k * width + c];
      for (let m = 0; m <= k; m += 1) reduced.data[reduced.at(row, width + m)] += square[k * border + m] * (m === k ? 1 + damping : 1);
    }
  }

  /** Derivatives of one observation by the unknowns of the border, those of u first, into `by`, as far as they are none of nought. Returns which, rising. */
  private borderAt(lin: Linearisation, o: number): Int32Array {
    const { border, by, lensCount: D, zoomCount: K } = this;
    const camera = this.problem.camera[o];
    const busy = this.busyOf[camera];
    const last = border - 1;
    for (let axis = 0; axis < 2; axis += 1) {
      const to = axis * border;
      for (let k = 0; k < D; k += 1) by[to + k] = lin.jLens[2 * D * o + axis * D + k];
      if (!this.hasFocal) continue;
      const focal = lin.jFocal[2 * o + axis];
      for (let a = D; busy[a] < last; a += 1) by[to + busy[a]] = lin.zoomOverFocal[camera * K + busy[a] - D] * focal;
      by[to + last] = focal;
    }
    return busy;
  }

  /** H_E = L Lᵀ of one eliminated block, and Y = L⁻¹ W. */
  private eliminate(e: number, lin: Linearisation, damping: number, held: readonly [number, number][]): boolean {
    const { elimDim: de, keptDim: dk, border, by, l, h } = this;
    const jK = this.eliminatesPoints ? lin.jCamera : lin.jPoint;
    const jE = this.eliminatesPoints ? lin.jPoint : lin.jCamera;
    const obs = this.obsOf[e];
    const y = this.rows.y[e];
    const m = this.rows.columns[e].length;
    h.fill(0);
    for (let i = 0; i < de; i += 1) y.fill(0, (i + 1) * m - border, (i + 1) * m);
    let slot = -1;
    for (let q = 0; q < obs.length; q += 1) {
      const o = obs[q];
      const again = q > 0 && this.kept[o] === this.kept[obs[q - 1]];
      if (!again) {
        slot += 1;
        for (let i = 0; i < de; i += 1) y.fill(0, i * m + slot * dk, i * m + slot * dk + dk);
      }
      const at = 2 * de * o;
      addProducts(jE, at, de, jE, at, de, h, 0, de);
      addProducts(jE, at, de, jK, 2 * dk * o, dk, y, slot * dk, m);
      if (border === 0) continue;
      const busy = this.borderAt(lin, o);
      for (let i = 0; i < de; i += 1) {
        const ui = jE[at + i],
          vi = jE[at + de + i];
        const end = (i + 1) * m - border;
        for (let a = 0; a < busy.length; a += 1) y[end + busy[a]] += ui * by[busy[a]] + vi * by[border + busy[a]];
      }
    }
    for (let i = 0; i < de; i += 1) h[i * de + i] = h[i * de + i] * (1 + damping) + 1e-12;
    for (const [k, weight] of held) h[k * de + k] += weight * Math.max(1, h[k * de + k]);
    if (!smallCholesky(h, l, e * de * de, de)) return false;
    forwardRows(l, e * de * de, de, y, m);
    return true;
  }

  /** Solves the factored system H d = b. `b` and the result are in cameras (6 each), points (3 each), focal length, factors of the zoom, coefficients of the lens. */
  solve(...b: RightSide): UnknownsColumn {
    return this.solveAll([b])[0];
  }

  /** The same of many right sides at once: each eliminated block is fetched from memory once for all of them. */
  solveAll(sides: readonly RightSide[]): UnknownsColumn[] {
    const { elimDim: de, elimCount, l } = this;
    const { y: yOf, columns: columnsOf } = this.rows;
    const size = elimCount * de;
    const kept = sides.map((side) => this.keptSide(side));
    const elim = sides.map(([camera, point]) => (this.eliminatesPoints ? point : camera));
    const z = sides.map(() => new Float64Array(size));
    const v = new Float64Array(6);
    for (let e = 0; e < elimCount; e += 1)
      for (let s = 0; s < sides.length; s += 1) {
        const at = e * de;
        for (let i = 0; i < de; i += 1) {
          let sum = elim[s][at + i];
          for (let k = 0; k < i; k += 1) sum -= l[at * de + i * de + k] * v[k];
          v[i] = sum / l[at * de + i * de + i];
          z[s][at + i] = v[i];
        }
        subtractRows(yOf[e], columnsOf[e], de, v, kept[s]);
      }
    for (const side of kept) solveCholesky(this.reduced, side);
    // from here on z is the solution, block by block
    for (let e = 0; e < elimCount; e += 1)
      for (let s = 0; s < sides.length; s += 1) {
        const at = e * de;
        timesRows(yOf[e], columnsOf[e], de, kept[s], v);
        for (let i = de - 1; i >= 0; i -= 1) {
          let sum = z[s][at + i] - v[i];
          for (let k = i + 1; k < de; k += 1) sum -= l[at * de + k * de + i] * z[s][at + k];
          z[s][at + i] = sum / l[at * de + i * de + i];
        }
      }
    return sides.map((_, s) => this.column(kept[s], z[s]));
  }

  /** Where the coefficients of the lens begin among the unknowns of the reduced system. */
  private get lensRow(): number {
    return this.size - this.border;
  }

  private keptSide([camera, point, focal, zoom, lens]: RightSide): Float64Array {
    const side = new Float64Array(this.size);
    side.set(this.eliminatesPoints ? camera : point);
    for (let k = 0; k < this.lensCount; k += 1) side[this.lensRow + k] = lens?.[k] ?? 0;
    for (let k = 0; k < this.zoomCount; k += 1) side[this.lensRow + this.lensCount + k] = zoom?.[k] ?? 0;
    if (this.hasFocal) side[this.size - 1] = focal;
    return side;
  }

  private column(reduced: Float64Array, elim: Float64Array): UnknownsColumn {
    const kept = reduced.slice(0, this.keptCount * this.keptDim);
    const zoomRow = this.lensRow + this.lensCount;
    return {
      camera: this.eliminatesPoints ? kept : elim,
      point: this.eliminatesPoints ? elim : kept,
      focal: this.hasFocal ? reduced[this.size - 1] : 0,
      zoom: this.zoomCount > 0 ? reduced.slice(zoomRow, zoomRow + this.zoomCount) : NONE,
      lens: this.lensCount > 0 ? reduced.slice(this.lensRow, zoomRow) : NONE,
    };
  }

  /**
   * Diagonal blocks of the inverse for all eliminated blocks, elimDim² each: L⁻ᵀ (I + Y Z Yᵀ) L⁻¹ with Z the inverse of the reduced
   * system.
   * @param inverse the inverse inside the envelope; all columns of one block lie inside it together
   */
  eliminatedBlocks(inverse: EnvelopeMatrix): Float64Array {
    const { elimDim: de, l } = this;
    const out = quadraticForms(inverse, this.rows);
    const inv = new Float64Array(de * de); // L⁻¹
    const t = new Float64Array(de * de);
    for (let e = 0; e < this.elimCount; e += 1) {
      const at = e * de * de;
      for (let c = 0; c < de; c += 1) {
        for (let i = c; i < de; i += 1) {
          let v = i === c ? 1 : 0;
          for (let k = c; k < i; k += 1) v -= l[at + i * de + k] * inv[k * de + c];
          inv[i * de + c] = v / l[at + i * de + i];
        }
      }
      t.set(out.subarray(at, at + de * de));
      for (let i = 0; i < de; i += 1) t[i * de + i] += 1;
      for (let i = 0; i < de; i += 1) {
        for (let j = 0; j < de; j += 1) {
          let v = 0;
          for (let a = i; a < de; a += 1) for (let b = j; b < de; b += 1) v += inv[a * de + i] * t[a * de + b] * inv[b * de + j];
          out[at + i * de + j] = v;
        }
      }
    }
    return out;
  }
}

const NONE = new Float64Array(0);

/** Observations of each eliminated block, first kept block that shares one with each kept block, and the work of one factorisation. */
function cost(elim: Int32Array, kept: Int32Array, elimCount: number, keptCount: number, dk: number, de: number) {
  const lists: number[][] = Array.from({ length: elimCount }, () => []);
  for (let o = 0; o < elim.length; o += 1) lists[elim[o]].push(o);
  const firstBlock = Int32Array.from({ length: keptCount }, (_, i) => i);
  let operations = 0;
  const obsOf = lists.map((list) => {
    list.sort((a, b) => kept[a] - kept[b]);
    for (const o of list) firstBlock[kept[o]] = Math.min(firstBlock[kept[o]], kept[list[0]]);
    operations += ((list.length * dk) ** 2 / 2) * de;
    return Int32Array.from(list);
  });
  for (let b = 0; b < keptCount; b += 1) operations += (dk * ((b - firstBlock[b] + 1) * dk) ** 2) / 2;
  return { obsOf, firstBlock, operations };
}

/** Squares of the derivatives of each block, dim² each. */
function addSquares(j: Float64Array, block: Int32Array, dim: number, out: Float64Array): void {
  for (let o = 0; o < block.length; o += 1) addProducts(j, 2 * dim * o, dim, j, 2 * dim * o, dim, out, block[o] * dim * dim, dim);
}

/**
 * out[to + i·stride + k] += Σ a_i b_k over both coordinates of one observation, whose derivatives lie at `atA` (those of u, then of v; dimA of them, 3 or 6)
 * and at `atB`. By threes, so that what is used in each row stays in registers.
 */
function addProducts(a: Float64Array, atA: number, dimA: number, b: Float64Array, atB: number, dimB: number, out: Float64Array, to: number, stride: number): void {
  for (let k = 0; k < dimB; k += 3) {
    const u0 = b[atB + k],
      u1 = b[atB + k + 1],
      u2 = b[atB + k + 2];
    const v0 = b[atB + dimB + k],
      v1 = b[atB + dimB + k + 1],
      v2 = b[atB + dimB + k + 2];
    for (let i = 0; i < dimA; i += 1) {
      const ui = a[atA + i],
        vi = a[atA + dimA + i];
      const row = to + i * stride + k;
      out[row] += ui * u0 + vi * v0;
      out[row + 1] += ui * u1 + vi * v1;
      out[row + 2] += ui * u2 + vi * v2;
    }
  }
}

function smallCholesky(h: Float64Array, l: Float64Array, at: number, n: number): boolean {
  for (let i = 0; i < n; i += 1) {
    for (let j = 0; j <= i; j += 1) {
      let s = h[i * n + j];
      for (let k = 0; k < j; k += 1) s -= l[at + i * n + k] * l[at + j * n + k];
      if (i === j) {
        if (!(s > 0)) return false;
        l[at + i * n + i] = Math.sqrt(s);
      } else l[at + i * n + j] = s / l[at + j * n + j];
    }
  }
  return true;
}

/** Y ← L⁻¹ Y of n rows (3 or 6) of length m: three rows at a time, of which each column stays in registers. */
function forwardRows(l: Float64Array, at: number, n: number, y: Float64Array, m: number): void {
  for (let top = 0; top < n; top += 3) {
    // what the rows above it take away
    for (let k = 0; k < top; k += 1) {
      const f0 = l[at + top * n + k],
        f1 = l[at + (top + 1) * n + k],
        f2 = l[at + (top + 2) * n + k];
      for (let c = 0, to = top * m; c < m; c += 1, to += 1) {
        const above = y[k * m + c];
        y[to] -= f0 * above;
        y[to + m] -= f1 * above;
        y[to + 2 * m] -= f2 * above;
      }
    }
    const own = at + top * n + top;
    const d0 = 1 / l[own],
      d1 = 1 / l[own + n + 1],
      d2 = 1 / l[own + 2 * n + 2];
    const l10 = l[own + n],
      l20 = l[own + 2 * n],
      l21 = l[own + 2 * n + 1];
    for (let to = top * m; to < (top + 1) * m; to += 1) {
      const y0 = y[to] * d0;
      const y1 = (y[to + m] - l10 * y0) * d1;
      y[to] = y0;
      y[to + m] = y1;
      y[to + 2 * m] = (y[to + 2 * m] - l20 * y0 - l21 * y1) * d2;
    }
  }
}

/** x ← x − Σ vᵢ times row i of Y, n rows (3 or 6): three at once, since a sum that is written back after each row waits for itself. */
function subtractRows(y: Float64Array, columns: Int32Array, n: number, v: Float64Array, x: Float64Array): void {
  const m = columns.length;
  const v0 = v[0],
    v1 = v[1],
    v2 = v[2];
  for (let c = 0; c < m; c += 1) x[columns[c]] -= y[c] * v0 + y[m + c] * v1 + y[2 * m + c] * v2;
  if (n > 3) subtractRows(y.subarray(3 * m), columns, 3, v.subarray(3), x);
}

/** Y x of n rows (3 or 6), in as many sums that do not wait for each other. */
function timesRows(y: Float64Array, columns: Int32Array, n: number, x: Float64Array, out: Float64Array): void {
  const m = columns.length;
  let s0 = 0,
    s1 = 0,
    s2 = 0;
  for (let c = 0; c < m; c += 1) {
    const v = x[columns[c]];
    s0 += y[c] * v;
    s1 += y[m + c] * v;
    s2 += y[2 * m + c] * v;
  }
  out[0] = s0;
  out[1] = s1;
  out[2] = s2;
  if (n > 3) timesRows(y.subarray(3 * m), columns, 3, x, out.subarray(3));
}
