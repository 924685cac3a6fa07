/**
 * Small dense symmetric systems, a few unknowns at a time, in loops that are too hot for a library's matrices. Lower triangle, row-major.
 */

/** Cholesky's factor of the lower triangle, in place; false: not positive definite. */
export function factorDense(a: Float64Array, n: number): boolean {
  for (let i = 0; i < n; i += 1)
    for (let j = 0; j <= i; j += 1) {
      let s = a[i * n + j];
      for (let k = 0; k < j; k += 1) s -= a[i * n + k] * a[j * n + k];
      if (i === j) {
        if (!(s > 0)) return false;
        a[i * n + i] = Math.sqrt(s);
      } else a[i * n + j] = s / a[j * n + j];
    }
  return true;
}

/** x of L x = b in place, for `width` right sides that lie beside each other in b. */
export function forwardDense(l: Float64Array, n: number, b: Float64Array, width = 1): void {
  for (let i = 0; i < n; i += 1) {
    for (let k = 0; k < i; k += 1) {
      const f = l[i * n + k];
      if (f === 0) continue;
      for (let c = 0; c < width; c += 1) b[i * width + c] -= f * b[k * width + c];
    }
    const d = l[i * n + i];
    for (let c = 0; c < width; c += 1) b[i * width + c] /= d;
  }
}

function backwardDense(l: Float64Array, n: number, x: Float64Array): void {
  for (let i = n - 1; i >= 0; i -= 1) {
    let s = x[i];
    for (let k = i + 1; k < n; k += 1) s -= l[k * n + i] * x[k];
    x[i] = s / l[i * n + i];
  }
}

/**
 * −(A + damping · diag A)⁻¹ g, worked out after scaling to unit diagonal; null: not positive definite. An unknown of which no row speaks stays.
 * @param a lower triangle, n × n
 * @param g derivatives of the cost, n
 */
export function dampedStep(a: Float64Array, g: Float64Array, n: number, damping: number): Float64Array | null {
  const l = new Float64Array(n * n);
  const scale = new Float64Array(n);
  for (let i = 0; i < n; i += 1) scale[i] = a[i * n + i] > 0 ? 1 / Math.sqrt(a[i * n + i]) : 1;
  for (let i = 0; i < n; i += 1) for (let j = 0; j <= i; j += 1) l[i * n + j] = a[i * n + j] * scale[i] * scale[j] + (i === j ? damping + (a[i * n + i] > 0 ? 0 : 1) : 0);
  if (!factorDense(l, n)) return null;
  const step = g.map((v, i) => -v * scale[i]);
  forwardDense(l, n, step);
  backwardDense(l, n, step);
  return step.map((v, i) => v * scale[i]);
}
