import { USUAL_SIGMA } from '../facts';
import { cholesky, EnvelopeMatrix, solveCholesky } from '../estimate';
import { LOOSE_M } from './adjust';
import type { NetRows } from '../facts';

/** A tie that is not there yet, and what it would bring. */
export interface NextTie {
  a: string;
  b: string;
  /** about what it will read, m */
  m: number;
  /** by how much the variances of all points fall together, per cent */
  gainPct: number;
}

/** Beyond so many points every pair is too many to weigh after each entry. */
const MOST_POINTS = 80;
const OFFERED = 5;

/**
 * Ties that would tighten the net most: a further observation with row a and sigma s takes Q a aᵀ Q / (s² + aᵀ Q a) off the covariance Q, so
 * that the variances of all coordinates fall by |Q a|² / (s² + aᵀ Q a) together (rank-one update; Ghilani 2017, ch. 21, network design).
 */
export function nextTies(rows: NetRows, x: Float64Array, names: readonly string[]): NextTie[] {
  const count = names.length;
  if (count < 3 || count > MOST_POINTS) return [];
  const n = 3 * count;
  const normal = new EnvelopeMatrix(new Int32Array(n));
  const g = new Float64Array(9);
  const tied = new Set<string>();
  for (let r = 0; r < rows.count; r += 1) {
    if (rows.point[3 * r + 1] >= 0 && rows.point[3 * r + 2] < 0) tied.add(pairKey(rows.point[3 * r], rows.point[3 * r + 1]));
    if (rows.weight[r] === 0) continue;
    rows.evaluate(r, x, g);
    const w = rows.weight[r] / rows.sigma[r] ** 2;
    for (let k = 0; k < 9; k += 1)
      for (let l = 0; l < 9; l += 1) {
        const [p, q] = [rows.point[3 * r + Math.floor(k / 3)], rows.point[3 * r + Math.floor(l / 3)]];
        if (p < 0 || q < 0 || g[k] === 0 || g[l] === 0) continue;
        const [i, j] = [3 * p + (k % 3), 3 * q + (l % 3)];
        if (j <= i) normal.data[normal.at(i, j)] += w * g[k] * g[l];
      }
  }
  for (let i = 0; i < n; i += 1) normal.data[normal.at(i, i)] += 1 / LOOSE_M ** 2;
  if (!cholesky(normal)) return [];
  let trace = 0;
  const unit = new Float64Array(n);
  for (let i = 0; i < n; i += 1) {
    unit.fill(0);
    unit[i] = 1;
    solveCholesky(normal, unit);
    trace += unit[i];
  }
  const out: NextTie[] = [];
  for (let a = 0; a < count; a += 1)
    for (let b = a + 1; b < count; b += 1) {
      if (tied.has(pairKey(a, b))) continue;
      const d = [0, 1, 2].map((c) => x[3 * b + c] - x[3 * a + c]);
      const m = Math.hypot(...d);
      if (m < 0.05) continue;
      unit.fill(0);
      for (let c = 0; c < 3; c += 1) {
        unit[3 * a + c] = -d[c] / m;
        unit[3 * b + c] = d[c] / m;
      }
      const row = unit.slice();
      solveCholesky(normal, unit);
      let [own, all] = [0, 0];
      for (let i = 0; i < n; i += 1) {
        own += row[i] * unit[i];
        all += unit[i] * unit[i];
      }
      out.push({ a: names[a], b: names[b], m, gainPct: (100 * all) / (USUAL_SIGMA.tieM ** 2 + own) / trace });
    }
  return out.sort((p, q) => q.gainPct - p.gainPct).slice(0, OFFERED);
}

const pairKey = (a: number, b: number): string => `${Math.min(a, b)}-${Math.max(a, b)}`;
