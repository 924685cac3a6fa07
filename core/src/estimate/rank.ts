import { EVD, Matrix } from 'ml-matrix';

/** An unknown's share of a direction that is not determined, beyond rounding. */
const TAKES_PART = 1e-5;

/**
 * Inverse of a normal matrix over the directions that its rows determine, after scaling to unit diagonal; row-major, n × n.
 * @param a lower triangle, n × n
 * @param rankShare a direction below this share of the strongest one is the rounding of the rows' sum
 * @returns open: unknowns that take part in a direction that is not determined: of two of which only the sum is known, both
 */
export function pseudoInverse(a: Float64Array, n: number, rankShare = 1e-13): { inverse: Float64Array; rank: number; open: number[] } {
  const inverse = new Float64Array(n * n);
  if (n === 0) return { inverse, rank: 0, open: [] };
  const scale = Float64Array.from({ length: n }, (_, i) => (a[i * n + i] > 0 ? 1 / Math.sqrt(a[i * n + i]) : 0));
  const scaled = new Matrix(n, n);
  for (let i = 0; i < n; i += 1)
    for (let j = 0; j <= i; j += 1) {
      scaled.set(i, j, a[i * n + j] * scale[i] * scale[j]);
      scaled.set(j, i, a[i * n + j] * scale[i] * scale[j]);
    }
  const evd = new EVD(scaled, { assumeSymmetric: true });
  const largest = Math.max(...evd.realEigenvalues);
  let rank = 0;
  const vector = new Float64Array(n);
  const open = new Uint8Array(n);
  evd.realEigenvalues.forEach((value, k) => {
    if (!(value > rankShare * largest)) {
      for (let i = 0; i < n; i += 1) if (Math.abs(evd.eigenvectorMatrix.get(i, k)) > TAKES_PART || scale[i] === 0) open[i] = 1;
      return;
    }
    rank += 1;
    for (let i = 0; i < n; i += 1) vector[i] = evd.eigenvectorMatrix.get(i, k) * scale[i];
    for (let i = 0; i < n; i += 1) {
      const vi = vector[i] / value;
      for (let j = 0; j <= i; j += 1) inverse[i * n + j] += vi * vector[j];
    }
  });
  for (let i = 0; i < n; i += 1) for (let j = 0; j < i; j += 1) inverse[j * n + i] = inverse[i * n + j];
  return { inverse, rank, open: [...open].flatMap((v, i) => (v === 1 ? [i] : [])) };
}
