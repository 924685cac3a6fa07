import { erf } from './erf';

/** Where an edge or a line goes through a corner, and what the picture looks like about it. */
interface Patch {
  gray: ArrayLike<number>;
  widthPx: number;
  heightPx: number;
}

type Step = readonly [number, number];

/** Unknowns: x, y, direction of the first and the second edge, blur, mean, amplitude, shading across and down; for lines their width. */
const UNKNOWNS = { chequer: 9, ruled: 10 };

/**
 * The corner that fits a patch best, by least squares of the whole grey-value model: two blurred edges, or two blurred lines, that cross. With
 * white noise it is the maximum-likelihood estimate, which no other can beat by much. It is given the truth to start from, so that it can fail
 * in nothing but noise.
 * @param right, below steps to the neighbouring corners, px
 * @param reachPx half of the patch; it must keep off the neighbouring edges
 */
export function cornerFromTruth(patch: Patch, truth: { x: number; y: number }, right: Step, below: Step, reachPx: number, kind: 'chequer' | 'ruled', lineCells = 0): { x: number; y: number } | null {
  const n = UNKNOWNS[kind];
  const [x0, y0, x1, y1] = [Math.ceil(truth.x - 0.5 - reachPx), Math.ceil(truth.y - 0.5 - reachPx), Math.floor(truth.x - 0.5 + reachPx), Math.floor(truth.y - 0.5 + reachPx)];
  const pixels: { x: number; y: number; grey: number }[] = [];
  for (let py = Math.max(0, y0); py <= Math.min(patch.heightPx - 1, y1); py += 1)
    for (let px = Math.max(0, x0); px <= Math.min(patch.widthPx - 1, x1); px += 1) {
      const at = { x: px + 0.5, y: py + 0.5, grey: patch.gray[py * patch.widthPx + px] };
      if (Math.hypot(at.x - truth.x, at.y - truth.y) <= reachPx) pixels.push(at);
    }
  if (pixels.length < 3 * n) return null;
  const grey = pixels.map((p) => p.grey);
  const mean = grey.reduce((s, v) => s + v, 0) / grey.length;
  const cell = Math.min(Math.hypot(...right), Math.hypot(...below));
  const value = (q: Float64Array, p: { x: number; y: number }): number => {
    const [dx, dy] = [p.x - q[0], p.y - q[1]];
    // distances from the two edges
    const a = -Math.sin(q[2]) * dx + Math.cos(q[2]) * dy;
    const b = -Math.sin(q[3]) * dx + Math.cos(q[3]) * dy;
    const s = Math.SQRT2 * Math.max(0.2, q[4]);
    const shade = q[5] + q[7] * dx + q[8] * dy;
    if (kind === 'chequer') return shade + q[6] * erf(a / s) * erf(b / s);
    const cover = (d: number) => (erf((d + q[9] / 2) / s) - erf((d - q[9] / 2) / s)) / 2;
    return shade + q[6] * (1 - (1 - cover(a)) * (1 - cover(b)));
  };
  const start = Float64Array.of(truth.x, truth.y, Math.atan2(right[1], right[0]), Math.atan2(below[1], below[0]), 1.2, mean, 0, 0, 0, ...(kind === 'ruled' ? [lineCells * cell] : []));
  // the amplitude, with its sign, by projection
  const shape = start.slice();
  shape[5] = 0;
  shape[6] = 1;
  const model = pixels.map((p) => value(shape, p));
  const middle = model.reduce((s, v) => s + v, 0) / model.length;
  start[6] = model.reduce((s, v, i) => s + (v - middle) * (grey[i] - mean), 0) / model.reduce((s, v) => s + (v - middle) ** 2, 0);
  start[5] = mean - start[6] * middle;
  const found = gaussNewton(start, pixels, value);
  return found && Math.hypot(found[0] - truth.x, found[1] - truth.y) < 1 ? { x: found[0], y: found[1] } : null;
}

function gaussNewton(start: Float64Array, pixels: readonly { x: number; y: number; grey: number }[], value: (q: Float64Array, p: { x: number; y: number }) => number): Float64Array | null {
  const n = start.length;
  let q = start.slice();
  const cost = (v: Float64Array) => pixels.reduce((s, p) => s + (p.grey - value(v, p)) ** 2, 0);
  let now = cost(q);
  let damping = 1e-3;
  for (let round = 0; round < 30; round += 1) {
    const m = new Float64Array(n * (n + 1));
    for (const p of pixels) {
      const base = value(q, p);
      const g = Array.from({ length: n }, (_, k) => {
        const h = k === 2 || k === 3 ? 1e-4 : 1e-3;
        const moved = q.slice();
        moved[k] += h;
        return (value(moved, p) - base) / h;
      });
      for (let i = 0; i < n; i += 1) {
        for (let j = 0; j < n; j += 1) m[i * (n + 1) + j] += g[i] * g[j];
        m[i * (n + 1) + n] += g[i] * (p.grey - base);
      }
    }
    let better = false;
    for (let attempt = 0; attempt < 8 && !better; attempt += 1) {
      const step = solved(m, n, damping);
      const next = step && q.map((v, i) => v + step[i]);
      const then = next ? cost(next) : Infinity;
      if (next && then <= now) {
        better = true;
        const small = now - then < 1e-7 * now;
        q = next;
        now = then;
        damping /= 5;
        if (small) return q;
      } else damping *= 10;
    }
    if (!better) return q;
  }
  return q;
}

/** Gauss elimination of the damped normal equations. */
function solved(normal: Float64Array, n: number, damping: number): Float64Array | null {
  const w = n + 1;
  const m = normal.slice();
  for (let i = 0; i < n; i += 1) m[i * w + i] *= 1 + damping;
  for (let c = 0; c < n; c += 1) {
    let best = c;
    for (let r = c + 1; r < n; r += 1) if (Math.abs(m[r * w + c]) > Math.abs(m[best * w + c])) best = r;
    if (!(Math.abs(m[best * w + c]) > 1e-12)) return null;
    for (let k = 0; k < w; k += 1) [m[c * w + k], m[best * w + k]] = [m[best * w + k], m[c * w + k]];
    for (let r = 0; r < n; r += 1) {
      if (r === c) continue;
      const f = m[r * w + c] / m[c * w + c];
      for (let k = c; k < w; k += 1) m[r * w + k] -= f * m[c * w + k];
    }
  }
  return Float64Array.from({ length: n }, (_, i) => m[i * w + n] / m[i * w + i]);
}
