import { dampedStep } from './dense';
import { descend, fallsByGain } from './descend';
import { pseudoInverse } from './rank';
import { tileKernel } from './tile-kernel';

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
  /** the gathered entries of BATCH rows and their residuals, in panels of four columns, and how many rows wait in them */
  private batch = new Float64Array(0);
  private waiting = 0;

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
    if (columns !== this.gathered || this.waiting === BATCH) {
      this.scatter();
      this.gathered = columns;
      const size = panelsOf(columns) * PANEL;
      if (this.batch.length !== size) this.batch = new Float64Array(size);
    }
    const { batch } = this;
    const m = columns.length;
    let to = 4 * this.waiting;
    for (let p = 0; p < m; p += 1) {
      batch[to] = jac[columns[p]];
      to += (p & 3) === 3 ? PANEL - 3 : 1;
    }
    batch[to] = r;
    this.waiting += 1;
  }

  /** Adds the products of what waits: panel by panel of the columns with those that follow, the residuals the last of them. */
  private scatter(): void {
    const { gathered, waiting, batch, a, g, n } = this;
    if (!gathered || waiting === 0) return;
    const m = gathered.length;
    const panels = panelsOf(gathered);
    const kernel = tileKernel(batch.length + 16 * panels);
    kernel.data.set(batch);
    for (let panel = 0; panel < panels; panel += 1) {
      kernel.tiles(PANEL * panel, PANEL * panel, waiting, panels - panel, PANEL, batch.length);
      const { data } = kernel;
      for (let i = 0; i < 4 && 4 * panel + i < m; i += 1) {
        const column = gathered[4 * panel + i];
        for (let q = 4 * panel + i; q <= m; q += 1) {
          const product = data[batch.length + 16 * ((q >> 2) - panel) + 4 * i + (q & 3)];
          if (q === m) g[column] += product;
          else a[gathered[q] * n + column] += product;
        }
      }
    }
    this.waiting = 0;
  }
}

/** Rows that are multiplied together. */
const BATCH = 64;
const PANEL = 4 * BATCH;
/** Four columns each; the residuals are one more. */
const panelsOf = (columns: Int32Array): number => (columns.length + 4) >> 2;

/** The inverse, in which what takes part in a direction that is not determined has no variance that could be told. */
function covarianceOf(a: Float64Array, n: number): { covariance: Float64Array; rank: number } {
  const { inverse, rank, open } = pseudoInverse(a, n);
  for (const i of open) inverse[i * n + i] = Infinity;
  return { covariance: inverse, rank };
}
