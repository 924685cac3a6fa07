import { EigenvalueDecomposition, type Matrix, Matrix as M } from 'ml-matrix';

export const symmetrise = (m: Matrix): Matrix => m.clone().add(m.transpose()).mul(0.5);

/** Inverse over the directions that the facts determine, after scaling to unit diagonal; the others get no step and no variance. */
export function pseudoInverse7(n: Matrix): Matrix {
  const d = Array.from({ length: 7 }, (_, i) => (n.get(i, i) > 0 ? 1 / Math.sqrt(n.get(i, i)) : 0));
  const scaled = new M(7, 7);
  for (let i = 0; i < 7; i += 1) for (let j = 0; j < 7; j += 1) scaled.set(i, j, n.get(i, j) * d[i] * d[j]);
  const evd = new EigenvalueDecomposition(symmetrise(scaled), { assumeSymmetric: true });
  const out = M.zeros(7, 7);
  const largest = Math.max(...evd.realEigenvalues);
  evd.realEigenvalues.forEach((value, k) => {
    if (!(value > 1e-11 * largest)) return;
    const vector = evd.eigenvectorMatrix.getColumn(k);
    for (let i = 0; i < 7; i += 1) for (let j = 0; j < 7; j += 1) out.set(i, j, out.get(i, j) + (d[i] * vector[i] * vector[j] * d[j]) / value);
  });
  return out;
}
