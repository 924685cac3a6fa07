import { cholesky, descend, EnvelopeMatrix, invertSelected, solveCholesky } from '../estimate';
import { NetRows } from '../facts';

/** Keeps what no fact determines regular; says nothing beside a tape, m. */
export const LOOSE_M = 10;

export interface Adjusted {
  x: Float64Array;
  /** sum of squared weighted residuals */
  cost: number;
  converged: boolean;
}

/** The points in an order that keeps those that are tied close together (reverse Cuthill–McKee; George & Liu 1981, ch. 4). */
export function orderPoints(rows: NetRows, count: number): Int32Array {
  const neighbours: Set<number>[] = Array.from({ length: count }, () => new Set());
  for (let r = 0; r < rows.count; r += 1) {
    const p = [0, 1, 2].map((k) => rows.point[3 * r + k]).filter((v) => v >= 0);
    for (const a of p) for (const b of p) if (a !== b) neighbours[a].add(b);
  }
  const seen = new Uint8Array(count);
  const order: number[] = [];
  const byDegree = Array.from({ length: count }, (_, i) => i).sort((a, b) => neighbours[a].size - neighbours[b].size);
  for (const start of byDegree) {
    if (seen[start]) continue;
    seen[start] = 1;
    order.push(start);
    for (let head = order.length - 1; head < order.length; head += 1) {
      const next = [...neighbours[order[head]]].filter((v) => !seen[v]).sort((a, b) => neighbours[a].size - neighbours[b].size);
      for (const v of next) seen[v] = 1;
      order.push(...next);
    }
  }
  const slot = new Int32Array(count);
  order.reverse().forEach((p, i) => (slot[p] = i));
  return slot;
}

/** Normal matrix (lower, in the order of `slot`) and right side JᵀW(measured − computed) at x. */
function normals(rows: NetRows, x: Float64Array, slot: Int32Array, side: Float64Array): { matrix: EnvelopeMatrix; cost: number } {
  const n = x.length;
  const first = Int32Array.from({ length: n }, (_, i) => 3 * Math.floor(i / 3));
  for (let r = 0; r < rows.count; r += 1) {
    let low = n;
    for (let k = 0; k < 3; k += 1) if (rows.point[3 * r + k] >= 0) low = Math.min(low, 3 * slot[rows.point[3 * r + k]]);
    for (let k = 0; k < 3; k += 1) {
      const p = rows.point[3 * r + k];
      if (p >= 0) for (let a = 0; a < 3; a += 1) first[3 * slot[p] + a] = Math.min(first[3 * slot[p] + a], low);
    }
  }
  const matrix = new EnvelopeMatrix(first);
  side.fill(0);
  const g = new Float64Array(9);
  let cost = 0;
  for (let r = 0; r < rows.count; r += 1) {
    if (rows.weight[r] === 0) continue;
    const v = rows.measured[r] - rows.evaluate(r, x, g);
    const w = rows.weight[r] / rows.sigma[r] ** 2;
    cost += w * v * v;
    for (let k = 0; k < 3; k += 1) {
      const p = rows.point[3 * r + k];
      if (p < 0) continue;
      for (let a = 0; a < 3; a += 1) {
        const ga = g[3 * k + a];
        if (ga === 0) continue;
        const i = 3 * slot[p] + a;
        side[i] += w * ga * v;
        for (let l = 0; l < 3; l += 1) {
          const q = rows.point[3 * r + l];
          if (q < 0) continue;
          for (let b = 0; b < 3; b += 1) {
            const j = 3 * slot[q] + b;
            if (j <= i && g[3 * l + b] !== 0) matrix.data[matrix.at(i, j)] += w * ga * g[3 * l + b];
          }
        }
      }
    }
  }
  for (let i = 0; i < n; i += 1) matrix.data[matrix.at(i, i)] += 1 / LOOSE_M ** 2;
  return { matrix, cost };
}

export function costOf(rows: NetRows, x: Float64Array): number {
  const g = new Float64Array(9);
  let cost = 0;
  for (let r = 0; r < rows.count; r += 1) if (rows.weight[r] > 0) cost += (rows.weight[r] * (rows.measured[r] - rows.evaluate(r, x, g)) ** 2) / rows.sigma[r] ** 2;
  return cost;
}

const MOST_ROUNDS = 40;
const STEP_M = 1e-6;
/** Undamped while it goes down; these are what it begins with where it does not. */
const FIRST_DAMPING = 1e-4;
const SINGULAR_DAMPING = 1e-6;
const MOST_DAMPING = 1e8;
const ROUNDING = 1e-12;

/**
 * Least squares of the net from a start.
 * Method  the damped loop of the core (descend.ts) over an envelope, undamped as long as that goes down; ends when no coordinate moves by more
 *         than a micrometre.
 * Source  Ghilani, Adjustment Computations (2017), ch. 14 and 16.
 */
export function adjust(rows: NetRows, start: Float64Array, slot: Int32Array, mostRounds = MOST_ROUNDS): Adjusted {
  const side = new Float64Array(start.length);
  let matrix: EnvelopeMatrix;
  const largestMove = (a: Float64Array, b: Float64Array): number => {
    let largest = 0;
    for (let i = 0; i < a.length; i += 1) largest = Math.max(largest, Math.abs(a[i] - b[i]));
    return largest;
  };
  const { x, finalCost, reason } = descend<Float64Array, 'there'>(
    {
      linearise(x) {
        const now = normals(rows, x, slot, side);
        ({ matrix } = now);
        return now.cost;
      },
      step(x, damping) {
        const damped = new EnvelopeMatrix(Array.from({ length: x.length }, (_, i) => matrix.firstOf[i >> 2]));
        damped.data.set(matrix.data);
        if (damping > 0) for (let i = 0; i < x.length; i += 1) damped.data[damped.at(i, i)] *= 1 + damping;
        if (!cholesky(damped)) return null;
        const step = side.slice();
        solveCholesky(damped, step);
        const to = x.slice();
        for (let p = 0; p < slot.length; p += 1) for (let a = 0; a < 3; a += 1) to[3 * p + a] += step[3 * slot[p] + a];
        return { to, promised: 0 };
      },
      costAt: (x) => costOf(rows, x),
    },
    start.slice(),
    {
      maxIterations: mostRounds,
      damping: {
        first: 0,
        most: MOST_DAMPING,
        falls: ({ damping }) => (damping > 1e-5 ? damping / 10 : 0),
        rises: (damping, _nth, singular) => Math.max(singular ? SINGULAR_DAMPING : FIRST_DAMPING, damping * 10),
      },
      takes: (before, after) => after <= before * (1 + ROUNDING) + ROUNDING,
      ends: ({ from, to }) => (largestMove(from, to) < STEP_M ? 'there' : null),
    },
  );
  return { x, cost: finalCost, converged: reason === 'there' };
}

/** Covariance of a few coordinates at a time; only between points that share a fact. */
export interface NetCovariance {
  /** variance of gᵀx of a row whose derivatives are `gradient` */
  ofRow(r: number, gradient: Float64Array): number;
  /** 3 × 3 of a point, row-major */
  ofPoint(p: number): Float64Array;
}

/** From the given sigmas, not scaled by the fit; null when even the loose hold leaves the matrix singular. */
export function covarianceOf(rows: NetRows, x: Float64Array, slot: Int32Array): NetCovariance | null {
  const side = new Float64Array(x.length);
  const { matrix } = normals(rows, x, slot, side);
  if (!cholesky(matrix)) return null;
  const inverse = invertSelected(matrix);
  const between = (p: number, a: number, q: number, b: number) => inverse.get(3 * slot[p] + a, 3 * slot[q] + b);
  return {
    ofRow(r, g) {
      let v = 0;
      for (let k = 0; k < 3; k += 1)
        for (let l = 0; l < 3; l += 1) {
          const [p, q] = [rows.point[3 * r + k], rows.point[3 * r + l]];
          if (p < 0 || q < 0) continue;
          for (let a = 0; a < 3; a += 1) for (let b = 0; b < 3; b += 1) v += g[3 * k + a] * g[3 * l + b] * between(p, a, q, b);
        }
      return Math.max(0, v);
    },
    ofPoint: (p) => Float64Array.from({ length: 9 }, (_, i) => between(p, Math.floor(i / 3), p, i % 3)),
  };
}
