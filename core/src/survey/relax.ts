import { EVD, Matrix } from 'ml-matrix';
import { minimise } from '../estimate';
import { seededRandom, type Vec3 } from '../math';
import type { Net, Places } from './net';
import { pullsOf, ROOM, strainOf, type Spring } from './relax-strain';

const LANDMARKS = 60;
const ROUNDS = 100;
/** Residual beyond which a tie pulls less and less while the layout is pressed flat, m. */
const SCALE_M = 0.5;

/**
 * First coordinates of a whole net at once.
 * Method  distances along the ties to some landmarks give a rough layout in five dimensions (landmark scaling); its strain is lowered there, with
 *         room to unfold, under a loss that lets blunders go; then the surplus dimensions are pressed flat step by step. The second axis
 *         is up from the start wherever heights are known.
 *         `again`: from places that are there, with some points lifted off them into the surplus dimensions, so that what is folded can swing over.
 * Source  de Silva & Tenenbaum, Sparse multidimensional scaling using landmark points (2004); Crippen, Conformational analysis by energy
 *         embedding, J. Comput. Chem. 3 (1982), for the way through more dimensions; Nocedal & Wright, Numerical Optimization (2006), alg. 7.4 (L-BFGS).
 */
export function relaxNet(net: Net, members: readonly number[], seed: number, again?: { from: Places; stirred: ReadonlySet<number> }): Places {
  const n = members.length;
  const pulls = pullsOf(net, members);
  const { springs, heights } = pulls;
  const energy = strainOf(pulls);
  let x = again ? lifted(members, again, seed) : layout(n, springs, heights, seed);
  if (!again) {
    x = minimise(energy(3, 0), x, 2 * ROUNDS);
    turnToMain(x, n, heights.size > 0);
  }
  for (const press of [0.003, 0.01, 0.03, 0.1, 0.3, 1, 3]) {
    x = minimise(energy(SCALE_M, press), x, ROUNDS);
    if (!again) turnToMain(x, n, heights.size > 0);
  }
  for (let i = 0; i < n; i += 1) for (let k = 3; k < ROOM; k += 1) x[ROOM * i + k] = 0;
  for (const scaleM of [0.5, 0.15, 0.05]) x = minimise(energy(scaleM, 1e3), x, ROUNDS);
  return new Map(members.map((p, i) => [p, [x[ROOM * i], x[ROOM * i + 1], x[ROOM * i + 2]] as Vec3]));
}

/** How far points are lifted off, m: as far as neighbours are apart. */
const LIFT_M = 1.5;

function lifted(members: readonly number[], { from, stirred }: { from: Places; stirred: ReadonlySet<number> }, seed: number): Float64Array {
  const random = seededRandom(seed);
  const x = new Float64Array(ROOM * members.length);
  members.forEach((p, i) => {
    const at = from.get(p) ?? [0, 0, 0];
    for (let k = 0; k < 3; k += 1) x[ROOM * i + k] = at[k];
    for (let k = 3; k < ROOM; k += 1) x[ROOM * i + k] = (stirred.has(p) ? LIFT_M : 0.01) * (2 * random() - 1);
  });
  return x;
}

/** Distances along the ties from a few landmarks, laid out by their inner products; heights turn "up" to the second axis. */
function layout(n: number, springs: readonly Spring[], heights: ReadonlyMap<number, number>, seed: number): Float64Array {
  const neighbours: [number, number][][] = Array.from({ length: n }, () => []);
  for (const s of springs) {
    neighbours[s.a].push([s.b, s.m]);
    neighbours[s.b].push([s.a, s.m]);
  }
  const random = seededRandom(seed);
  const distances: Float64Array[] = [];
  const chosen: number[] = [];
  let next = Math.floor(random() * n);
  const nearest = new Float64Array(n).fill(Infinity);
  while (chosen.length < Math.min(n, LANDMARKS)) {
    chosen.push(next);
    const d = along(neighbours, next);
    distances.push(d);
    for (let i = 0; i < n; i += 1) nearest[i] = Math.min(nearest[i], d[i]);
    next = nearest.reduce((best, v, i) => (v > nearest[best] ? i : best), 0);
    if (nearest[next] === 0) break;
  }
  const L = chosen.length;
  const square = chosen.map((_, i) => chosen.map((c) => distances[i][c] ** 2));
  const mean = square.map((row) => row.reduce((s, v) => s + v / L, 0));
  const all = mean.reduce((s, v) => s + v / L, 0);
  const b = new Matrix(square.map((row, i) => row.map((v, j) => -0.5 * (v - mean[i] - mean[j] + all))));
  const evd = new EVD(b, { assumeSymmetric: true });
  const order = evd.realEigenvalues.map((v, i) => [v, i] as const).sort((p, q) => q[0] - p[0]);
  const x = new Float64Array(ROOM * n);
  for (let k = 0; k < Math.min(ROOM, L); k += 1) {
    const [value, column] = order[k];
    if (value <= 1e-9) continue;
    const v = Array.from({ length: L }, (_, i) => evd.eigenvectorMatrix.get(i, column) / Math.sqrt(value));
    for (let i = 0; i < n; i += 1) {
      let s = 0;
      for (let l = 0; l < L; l += 1) s += v[l] * (mean[l] - distances[l][i] ** 2);
      x[ROOM * i + k] = s / 2;
    }
  }
  // nothing may lie exactly on another, or exactly flat: it could not leave
  for (let i = 0; i < x.length; i += 1) x[i] += 0.02 * (random() - 0.5);
  if (heights.size >= 3) upToSecond(x, n, heights);
  return x;
}

function along(neighbours: readonly (readonly [number, number])[][], start: number): Float64Array {
  const d = new Float64Array(neighbours.length).fill(Infinity);
  d[start] = 0;
  // few points: a plain search for the nearest is quick enough
  const done = new Uint8Array(neighbours.length);
  for (;;) {
    let u = -1;
    for (let i = 0; i < d.length; i += 1) if (!done[i] && d[i] < Infinity && (u < 0 || d[i] < d[u])) u = i;
    if (u < 0) return d;
    done[u] = 1;
    for (const [v, m] of neighbours[u]) d[v] = Math.min(d[v], d[u] + m);
  }
}

/** Exchanges the layout's axes so that the direction along which heights rise becomes the second. */
function upToSecond(x: Float64Array, n: number, heights: ReadonlyMap<number, number>): void {
  const D = ROOM;
  const list = [...heights];
  const mean = Array.from({ length: D }, (_, k) => list.reduce((s, [i]) => s + x[D * i + k] / list.length, 0));
  const meanH = list.reduce((s, [, h]) => s + h / list.length, 0);
  const normal = Matrix.zeros(D, D);
  const side = new Array<number>(D).fill(0);
  for (const [i, h] of list)
    for (let a = 0; a < D; a += 1) {
      side[a] += (x[D * i + a] - mean[a]) * (h - meanH);
      for (let b = 0; b < D; b += 1) normal.set(a, b, normal.get(a, b) + (x[D * i + a] - mean[a]) * (x[D * i + b] - mean[b]));
    }
  for (let a = 0; a < D; a += 1) normal.set(a, a, normal.get(a, a) + 0.05 * list.length);
  const inverse = new EVD(normal, { assumeSymmetric: true });
  const u = new Array<number>(D).fill(0);
  inverse.realEigenvalues.forEach((value, c) => {
    const along = side.reduce((s, v, a) => s + v * inverse.eigenvectorMatrix.get(a, c), 0) / value;
    for (let a = 0; a < D; a += 1) u[a] += along * inverse.eigenvectorMatrix.get(a, c);
  });
  const length = Math.hypot(...u);
  if (length > 1e-6) {
    // Householder: the unit vector u goes to the second axis
    const w = u.map((v, a) => v / length - (a === 1 ? 1 : 0));
    const ww = w.reduce((s, v) => s + v * v, 0);
    if (ww > 1e-12)
      for (let i = 0; i < n; i += 1) {
        const dot = w.reduce((s, v, a) => s + v * x[D * i + a], 0);
        for (let a = 0; a < D; a += 1) x[D * i + a] -= (2 * dot * w[a]) / ww;
      }
  }
  const shift = meanH - list.reduce((s, [i]) => s + x[D * i + 1] / list.length, 0);
  for (let i = 0; i < n; i += 1) x[D * i + 1] += shift;
}

/** Turns the layout so that it is widest along the first axes; the second stays "up" where heights hold it. */
function turnToMain(x: Float64Array, n: number, keepUp: boolean): void {
  const D = ROOM;
  // a net that lies in one plane is laid on the floor, not stood up
  const axes = keepUp ? [0, 2, 3, 4] : [0, 2, 1, 3, 4];
  const mean = axes.map((k) => {
    let s = 0;
    for (let i = 0; i < n; i += 1) s += x[D * i + k] / n;
    return s;
  });
  const m = axes.length;
  const scatter = Matrix.zeros(m, m);
  for (let i = 0; i < n; i += 1) for (let a = 0; a < m; a += 1) for (let b = 0; b < m; b += 1) scatter.set(a, b, scatter.get(a, b) + (x[D * i + axes[a]] - mean[a]) * (x[D * i + axes[b]] - mean[b]));
  const evd = new EVD(scatter, { assumeSymmetric: true });
  const order = evd.realEigenvalues.map((v, i) => [v, i] as const).sort((p, q) => q[0] - p[0]);
  const row = new Float64Array(m);
  for (let i = 0; i < n; i += 1) {
    for (let a = 0; a < m; a += 1) {
      let s = 0;
      for (let b = 0; b < m; b += 1) s += evd.eigenvectorMatrix.get(b, order[a][1]) * (x[D * i + axes[b]] - mean[b]);
      row[a] = s;
    }
    for (let a = 0; a < m; a += 1) x[D * i + axes[a]] = row[a];
  }
}
