const MEMORY = 6;
const LEAST_GAIN = 1e-7;

/**
 * A low place of a smooth function of many variables, from a start.
 * Method  limited-memory BFGS with six pairs and a halving line search; stops when a step gains less than 1e-7 of the value, or after so many rounds.
 * Source  Nocedal & Wright, Numerical Optimization (2006), alg. 7.4 and 3.1.
 * @param f value at x; its derivatives go to g
 */
export function minimise(f: (x: Float64Array, g: Float64Array) => number, start: Float64Array, rounds: number): Float64Array {
  const n = start.length;
  const dot = (a: Float64Array, b: Float64Array) => {
    let s = 0;
    for (let i = 0; i < n; i += 1) s += a[i] * b[i];
    return s;
  };
  let x: Float64Array = start.slice(),
    next: Float64Array = new Float64Array(n),
    g: Float64Array = new Float64Array(n),
    gNext: Float64Array = new Float64Array(n);
  let e = f(x, g);
  const steps: { s: Float64Array; y: Float64Array; rho: number }[] = [];
  const alpha = new Float64Array(MEMORY);
  const d = new Float64Array(n);
  for (let round = 0; round < rounds; round += 1) {
    d.set(g);
    for (let k = steps.length - 1; k >= 0; k -= 1) {
      const { s, y, rho } = steps[k];
      const a = rho * dot(s, d);
      alpha[k] = a;
      for (let i = 0; i < n; i += 1) d[i] -= a * y[i];
    }
    const last = steps[steps.length - 1];
    const gamma = last ? 1 / (last.rho * dot(last.y, last.y)) : 0.05;
    for (let i = 0; i < n; i += 1) d[i] *= gamma;
    for (let k = 0; k < steps.length; k += 1) {
      const { s, y, rho } = steps[k];
      const c = alpha[k] - rho * dot(y, d);
      for (let i = 0; i < n; i += 1) d[i] += c * s[i];
    }
    let slope = -dot(d, g);
    if (slope >= 0) {
      d.set(g);
      steps.length = 0;
      slope = -dot(g, g);
    }
    let t = 1;
    let eNext = Infinity;
    for (let halvings = 0; halvings < 20; halvings += 1, t /= 2) {
      for (let i = 0; i < n; i += 1) next[i] = x[i] - t * d[i];
      eNext = f(next, gNext);
      if (eNext <= e + 1e-4 * t * slope) break;
    }
    if (!(eNext < e)) return x;
    const old = steps.length === MEMORY ? steps.shift()! : { s: new Float64Array(n), y: new Float64Array(n), rho: 0 };
    for (let i = 0; i < n; i += 1) {
      old.s[i] = next[i] - x[i];
      old.y[i] = gNext[i] - g[i];
    }
    const sy = dot(old.s, old.y);
    if (sy > 1e-12) steps.push({ ...old, rho: 1 / sy });
    const gain = e - eNext;
    [x, next] = [next, x];
    [g, gNext] = [gNext, g];
    e = eNext;
    if (gain < LEAST_GAIN * Math.max(1e-3, e)) return x;
  }
  return x;
}
