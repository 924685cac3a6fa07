import { EVD, Matrix } from 'ml-matrix';

/**
 * Nonlinear least squares for few unknowns and many rows (lens fits, anchors).
 * Model    minimises ½ Σ r_i(x)²; the caller divides each row by its sigma and applies its own robust weights.
 * Method   Levenberg–Marquardt on normal equations scaled to unit diagonal.
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

export function leastSquares(start: ArrayLike<number>, problem: LeastSquaresProblem): LeastSquaresResult {
  const n = start.length;
  const maxIterations = problem.maxIterations ?? 60;
  const wantsCovariance = problem.covariance !== false;
  const costTolerance = problem.costTolerance ?? 1e-12;
  let x = Float64Array.from(start);
  let a = new Float64Array(n * n);
  let g = new Float64Array(n);
  let rowCount = 0;
  // 13 of 90 unknowns in a row of a joint fit: gathered apart it is 20 times less work than passing over the zeros
  let gathered: Int32Array | null = null;
  let block = new Float64Array(0);
  let packed = new Float64Array(0);
  const scatter = () => {
    if (!gathered) return;
    const m = gathered.length;
    for (let p = 0; p < m; p += 1) for (let q = 0; q <= p; q += 1) a[gathered[p] * n + gathered[q]] += block[p * m + q];
    gathered = null;
  };
  const gather = (r: number, jac: Float64Array, columns: Int32Array) => {
    const m = columns.length;
    if (columns !== gathered) {
      scatter();
      gathered = columns;
      if (packed.length !== m) {
        packed = new Float64Array(m);
        block = new Float64Array(m * m);
      } else block.fill(0);
    }
    for (let p = 0; p < m; p += 1) {
      const v = jac[columns[p]];
      packed[p] = v;
      g[columns[p]] += v * r;
      const to = p * m;
      for (let q = 0; q <= p; q += 1) block[to + q] += v * packed[q];
    }
  };
  const linearise = (at: Float64Array) => {
    a.fill(0);
    g.fill(0);
    rowCount = 0;
    let sum = 0;
    problem.rows(
      at,
      (r, jac, columns) => {
        rowCount += 1;
        sum += r * r;
        if (columns) return gather(r, jac, columns);
        for (let i = 0; i < n; i += 1) {
          const ji = jac[i];
          if (ji === 0) continue;
          g[i] += ji * r;
          for (let j = 0; j <= i; j += 1) a[i * n + j] += ji * jac[j];
        }
      },
      true,
    );
    scatter();
    return sum / 2;
  };
  const costAt = (at: Float64Array) => {
    let sum = 0;
    problem.rows(
      at,
      (r) => {
        sum += r * r;
      },
      false,
    );
    return sum / 2;
  };

  let cost = linearise(x);
  const initialCost = cost;
  if (!Number.isFinite(cost) || !g.every(Number.isFinite)) {
    const covariance = new Float64Array(wantsCovariance ? n * n : 0).fill(Infinity);
    return { x, status: 'failed', reason: 'notFinite', iterations: 0, initialCost, finalCost: cost, rowCount, covariance, rank: 0 };
  }
  let damping = 1e-4;
  let growth = 2;
  let reason: LeastSquaresResult['reason'] = 'maxIterations';
  let iterations = 0;
  for (; iterations < maxIterations; iterations += 1) {
    const step = dampedStep(a, g, n, damping);
    let accepted = false;
    if (step) {
      const next = x.map((v, i) => v + step[i]);
      const nextCost = costAt(next);
      if (Number.isFinite(nextCost) && nextCost <= cost) {
        let predicted = 0;
        for (let i = 0; i < n; i += 1) predicted -= step[i] * g[i] * 0.5;
        const gain = (cost - nextCost) / Math.max(predicted, 1e-300);
        damping = Math.max(1e-12, damping * Math.max(1 / 3, 1 - (2 * gain - 1) ** 3));
        growth = 2;
        const done = cost - nextCost <= costTolerance * cost;
        x = next;
        accepted = true;
        // the last derivatives are for the covariance alone
        cost = done && !wantsCovariance ? nextCost : linearise(x);
        if (done) {
          reason = 'cost';
          break;
        }
      }
    }
    if (!accepted) {
      damping *= growth;
      growth *= 2;
      if (damping > 1e12) {
        reason = 'stationary';
        break;
      }
    }
  }
  const { covariance, rank } = !wantsCovariance ? { covariance: new Float64Array(0), rank: 0 } : pseudoInverse(a, n);
  return { x, status: reason === 'maxIterations' ? 'partial' : 'solved', reason, iterations, initialCost, finalCost: cost, rowCount, covariance, rank };
}

function dampedStep(a: Float64Array, g: Float64Array, n: number, damping: number): Float64Array | null {
  const l = new Float64Array(n * n);
  const scale = new Float64Array(n);
  for (let i = 0; i < n; i += 1) scale[i] = a[i * n + i] > 0 ? 1 / Math.sqrt(a[i * n + i]) : 1;
  for (let i = 0; i < n; i += 1) {
    for (let j = 0; j <= i; j += 1) {
      let s = a[i * n + j] * scale[i] * scale[j] + (i === j ? damping + (a[i * n + i] > 0 ? 0 : 1) : 0);
      for (let k = 0; k < j; k += 1) s -= l[i * n + k] * l[j * n + k];
      if (i === j) {
        if (!(s > 0)) return null;
        l[i * n + i] = Math.sqrt(s);
      } else l[i * n + j] = s / l[j * n + j];
    }
  }
  const step = new Float64Array(n);
  for (let i = 0; i < n; i += 1) {
    let s = -g[i] * scale[i];
    for (let k = 0; k < i; k += 1) s -= l[i * n + k] * step[k];
    step[i] = s / l[i * n + i];
  }
  for (let i = n - 1; i >= 0; i -= 1) {
    let s = step[i];
    for (let k = i + 1; k < n; k += 1) s -= l[k * n + i] * step[k];
    step[i] = s / l[i * n + i];
  }
  return step.map((v, i) => v * scale[i]);
}

/** Below it what the rows say of a direction is the rounding of their sum. */
const RANK_SHARE = 1e-13;
/** An unknown's share of a direction that is not determined, beyond rounding. */
const TAKES_PART = 1e-5;

function pseudoInverse(a: Float64Array, n: number): { covariance: Float64Array; rank: number } {
  const scale = Float64Array.from({ length: n }, (_, i) => (a[i * n + i] > 0 ? 1 / Math.sqrt(a[i * n + i]) : 0));
  const scaled = new Matrix(n, n);
  for (let i = 0; i < n; i += 1) {
    for (let j = 0; j <= i; j += 1) {
      scaled.set(i, j, a[i * n + j] * scale[i] * scale[j]);
      scaled.set(j, i, a[i * n + j] * scale[i] * scale[j]);
    }
  }
  const covariance = new Float64Array(n * n);
  if (n === 0) return { covariance, rank: 0 };
  const evd = new EVD(scaled, { assumeSymmetric: true });
  const largest = Math.max(...evd.realEigenvalues);
  let rank = 0;
  const vector = new Float64Array(n);
  const open = new Uint8Array(n);
  evd.realEigenvalues.forEach((value, k) => {
    if (!(value > RANK_SHARE * largest)) {
      for (let i = 0; i < n; i += 1) if (Math.abs(evd.eigenvectorMatrix.get(i, k)) > TAKES_PART || scale[i] === 0) open[i] = 1;
      return;
    }
    rank += 1;
    for (let i = 0; i < n; i += 1) vector[i] = evd.eigenvectorMatrix.get(i, k) * scale[i];
    for (let i = 0; i < n; i += 1) {
      const vi = vector[i] / value;
      for (let j = 0; j <= i; j += 1) covariance[i * n + j] += vi * vector[j];
    }
  });
  for (let i = 0; i < n; i += 1) for (let j = 0; j < i; j += 1) covariance[j * n + i] = covariance[i * n + j];
  for (let i = 0; i < n; i += 1) if (open[i]) covariance[i * n + i] = Infinity;
  return { covariance, rank };
}
