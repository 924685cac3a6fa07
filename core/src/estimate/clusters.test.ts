import { normals } from '@mesure/synthetic';
import { clusteredVariance, type ClusterShare } from './clusters';

/** Straight lines through clusters of readings: variance of the slope by the residuals, over what many draws say it is. */
function slopes(clusters: number, length: number, white: number, common: number) {
  const g = normals(clusters + length);
  const found: { slope: number; variance: number; factor: number }[] = [];
  for (let draw = 0; draw < 300; draw += 1) {
    const rows = Array.from({ length: clusters }, (_, c) => {
      const x = Array.from({ length }, (__, i) => c / clusters - 0.5 + 0.1 * (i / length));
      const own = common * g();
      return { x, y: x.map(() => own + white * g()) };
    });
    const n = clusters * length;
    const mean = rows.flatMap((r) => r.x).reduce((s, v) => s + v, 0) / n;
    const meanY = rows.flatMap((r) => r.y).reduce((s, v) => s + v, 0) / n;
    const sxx = rows.flatMap((r) => r.x).reduce((s, v) => s + (v - mean) ** 2, 0);
    const slope = rows.reduce((s, r) => s + r.x.reduce((q, v, i) => q + (v - mean) * r.y[i], 0), 0) / sxx;
    const residual = rows.map((r) => r.y.map((v, i) => v - meanY - slope * (r.x[i] - mean)));
    const variance = residual.flat().reduce((s, v) => s + v * v, 0) / (n - 2);
    let [lost, all] = [0, 0];
    const shares: ClusterShare[] = rows.map((r, c) => {
      const d = r.x.map((v) => (v - mean) / sxx);
      const own = d.reduce((s, v) => s + v * v, 0);
      const [toSlope, toMean] = [d.reduce((s, v, i) => s + v * (r.x[i] - mean), 0), d.reduce((s, v) => s + v, 0)];
      lost += toSlope ** 2 / sxx + toMean ** 2 / n;
      all += own;
      return { score: d.reduce((s, v, i) => s + v * residual[c][i], 0), own };
    });
    const { factor, own } = clusteredVariance(shares, variance, lost / all);
    found.push({ slope, variance: variance * own * factor, factor });
  }
  const mean = (of: (f: (typeof found)[number]) => number) => found.reduce((s, f) => s + of(f), 0) / found.length;
  return { z2: mean((f) => f.slope ** 2) / mean((f) => f.variance), factor: mean((f) => f.factor) };
}

test('independent readings: the factor is 1, also of few clusters, since what the fit took out is put back', () => {
  for (const clusters of [8, 60]) {
    const { z2, factor } = slopes(clusters, 10, 1, 0);
    expect(factor).toBeGreaterThan(0.9);
    expect(factor).toBeLessThan(1.1);
    expect(z2).toBeGreaterThan(0.8);
    expect(z2).toBeLessThan(1.25);
  }
});

test('errors that a cluster shares widen the variance to what it is', () => {
  const { z2, factor } = slopes(60, 10, 0.5, 1);
  // as independent ones the slope would be known eight times as well as it is
  expect(factor).toBeGreaterThan(6);
  expect(z2).toBeGreaterThan(0.8);
  expect(z2).toBeLessThan(1.3);
});

test('nothing to go by is no factor', () => {
  expect(clusteredVariance([], 1, 0)).toEqual({ factor: 1, effective: 0, own: 0 });
  expect(clusteredVariance([{ score: 1, own: 2 }], 0, 0).factor).toBe(1);
});
