import { dampedStep } from './dense';
import { descend, fallsByGain } from './descend';
import { pseudoInverse } from './rank';

/**
 * Nonlinear least squares for few unknowns and many rows (lens fits, anchors).
 * Model    minimises ½ Σ r_i(x)²; the caller divides each row by its sigma and applies its own robust weights.
 * Method   Levenberg–Marquardt (descend.ts) on normal equations scaled to unit diagonal.
 * Source   Madsen, Nielsen, Tingleff, Methods for Non-Linear Least Squares Problems (2004), sec. 3.2 (gain ratio and damping).
 */
export interface LeastSquaresProblem {
  /**
   * calls `row(residual, jacobian, columns)` once for each row; the arrays may be reused between calls, and are not read unless
   * `derivatives`. `columns`, ascending: the only entries of the jacobian that are read; none: all of them. Rows that
   * follow each other with the same array (the same object, its contents unchanged) are gathered into one block.
   */
  rows(x: Float64Array, row: (residual: number, jacobian: Float64Array, columns?: Int32Array) => void, derivatives: boolean): void;
  /** false: the covariance stays empty and the rank 0; for fits on the way to a last one. Default true */
  covariance?: boolean;
  maxIterations?: number; // default 60
  /** reason 'cost': (before − after) <= costTolerance · before; default 1e-12 */
  costTolerance?: number;
}

export interface LeastSquaresResult {
  x: Float64Array;
  /** failed: a residual or a derivative is no number where it began; the unknowns are those of the start */
  status: 'solved' | 'partial' | 'failed';
  reason: 'cost' | 'stationary' | 'maxIterations' | 'notFinite';
  iterations: number;
  initialCost: number;
  finalCost: number;
  rowCount: number;
  /**
   * (JᵀJ)⁻¹ at the end, row-major; unscaled by the fit. Directions that the rows do not determine are left out of it, and the variance of
   * each unknown that takes part in one is infinite: of two that only their sum is known of, neither is.
   */
  covariance: Float64Array;
  /** number of directions with an eigenvalue above 1e-13 of the largest, after scaling to unit diagonal */
  rank: number;
}

const FIRST_DAMPING = 1e-4;
const LEAST_DAMPING = 1e-12;
const MOST_DAMPING = 1e12;
const MOST_SHRINK = 1 / 3;

export function leastSquares(start: ArrayLike<number>, problem: LeastSquaresProblem): LeastSquaresResult {
  const n = start.length;
  const wantsCovariance = problem.covariance !== false;
  const costTolerance = problem.costTolerance ?? 1e-12;
  const normal = new NormalEquations(n);
  const linearise = (x: Float64Array): number => normal.of((row) => problem.rows(x, row, true));
  const first = Float64Array.from(start);
  const initialCost = linearise(first);
  if (!Number.isFinite(initialCost) || !normal.g.every(Number.isFinite)) {
    const covariance = new Float64Array(wantsCovariance ? n * n : 0).fill(Infinity);
    return { x: first, status: 'failed', reason: 'notFinite', iterations: 0, initialCost, finalCost: initialCost, rowCount: normal.rowCount, covariance, rank: 0 };
  }
  let isFirst = true;
  const { x, reason, iterations, finalCost } = descend<Float64Array, 'cost'>(
    {
      // the first place is linearised already
      linearise: (at) => (isFirst ? ((isFirst = false), initialCost) : linearise(at)),
      step(at, damping) {
        const step = dampedStep(normal.a, normal.g, n, damping);
        if (!step) return null;
        let promised = 0;
        for (let i = 0; i < n; i += 1) promised -= step[i] * normal.g[i] * 0.5;
        return { to: at.map((v, i) => v + step[i]), promised };
      },
      costAt(at) {
        let sum = 0;
        problem.rows(at, (r) => void (sum += r * r), false);
        return sum / 2;
      },
    },
    first,
    {
      maxIterations: problem.maxIterations ?? 60,
      damping: { first: FIRST_DAMPING, most: MOST_DAMPING, falls: (t, gain) => fallsByGain(t.damping, gain, LEAST_DAMPING, MOST_SHRINK), rises: (damping, nth) => damping * 2 ** nth },
      takes: (before, after) => Number.isFinite(after) && after <= before,
      ends: (t) => (t.taken && t.fall <= costTolerance * t.cost ? 'cost' : null),
      linearisedAtEnd: wantsCovariance,
    },
  );
  const { covariance, rank } = wantsCovariance ? covarianceOf(normal.a, n) : { covariance: new Float64Array(0), rank: 0 };
  return { x, status: reason === 'maxIterations' ? 'partial' : 'solved', reason, iterations, initialCost, finalCost, rowCount: normal.rowCount, covariance, rank };
}

type Row = Parameters<LeastSquaresProblem['rows']>[1];

/** JᵀJ (lower triangle) and Jᵀr of all rows. */
class NormalEquations {
  readonly a: Float64Array;
  readonly g: Float64Array;
  rowCount = 0;
  // 13 of 90 unknowns in a row of a joint fit: gathered apart it is 20 times less work than passing over the zeros
  private gathered: Int32Array | null = null;
  private block = new Float64Array(0);
  private packed = new Float64Array(0);

  constructor(private readonly n: number) {
    this.a = new Float64Array(n * n);
    this.g = new Float64Array(n);
  }

  /** Half the sum of the residuals' squares of what `rows` puts. */
  of(rows: (row: Row) => void): number {
    const { n, a, g } = this;
    a.fill(0);
    g.fill(0);
    this.rowCount = 0;
    let sum = 0;
    rows((r, jac, columns) => {
      this.rowCount += 1;
      sum += r * r;
      if (columns) return this.gather(r, jac, columns);
      for (let i = 0; i < n; i += 1) {
        const ji = jac[i];
        if (ji === 0) continue;
        g[i] += ji * r;
        for (let j = 0; j <= i; j += 1) a[i * n + j] += ji * jac[j];
      }
    });
    this.scatter();
    return sum / 2;
  }

  private gather(r: number, jac: Float64Array, columns: Int32Array): void {
    const { g } = this;
    const m = columns.length;
    if (columns !== this.gathered) {
      this.scatter();
      this.gathered = columns;
      if (this.packed.length !== m) {
        this.packed = new Float64Array(m);
        this.block = new Float64Array(m * m);
      } else this.block.fill(0);
    }
    const { packed, block } = this;
    for (let p = 0; p < m; p += 1) {
      const v = jac[columns[p]];
      packed[p] = v;
      g[columns[p]] += v * r;
      const to = p * m;
      for (let q = 0; q <= p; q += 1) block[to + q] += v * packed[q];
    }
  }

  private scatter(): void {
    const { gathered, block, a, n } = this;
    if (!gathered) return;
    const m = gathered.length;
    for (let p = 0; p < m; p += 1) for (let q = 0; q <= p; q += 1) a[gathered[p] * n + gathered[q]] += block[p * m + q];
    this.gathered = null;
  }
}

/** The inverse, in which what takes part in a direction that is not determined has no variance that could be told. */
function covarianceOf(a: Float64Array, n: number): { covariance: Float64Array; rank: number } {
  const { inverse, rank, open } = pseudoInverse(a, n);
  for (const i of open) inverse[i * n + i] = Infinity;
  return { covariance: inverse, rank };
}
