import { Matrix, SVD } from 'ml-matrix';
import { CoreError } from '../errors';
import { det3, mulMatVec, type Quat } from './rotation';
import { add, centroid, scale, sub, type Mat3, type Vec3 } from './vec3';

export type { Quat };

/** y = s R x + t */
export interface Similarity {
  scale: number;
  rotation: Mat3;
  translation: Vec3;
}

export const applySimilarity = (t: Similarity, p: Vec3): Vec3 => add(scale(mulMatVec(t.rotation, p), t.scale), t.translation);

/**
 * Least-squares similarity (or rigid motion with `withScale: false`) that carries `from` onto `to`.
 * Source  Umeyama, Least-squares estimation of transformation parameters between two point patterns, PAMI 13(4), 1991.
 * @throws CoreError TOO_FEW_OBSERVATIONS below three pairs
 */
export function umeyama(from: readonly Vec3[], to: readonly Vec3[], withScale = true): Similarity {
  if (from.length < 3 || from.length !== to.length) {
    throw new CoreError('TOO_FEW_OBSERVATIONS', `A similarity needs at least 3 pairs of points, got ${Math.min(from.length, to.length)}`);
  }
  const cf = centroid(from);
  const ct = centroid(to);
  const h = Matrix.zeros(3, 3);
  let spread = 0;
  from.forEach((p, i) => {
    const a = sub(p, cf);
    const b = sub(to[i], ct);
    spread += a[0] * a[0] + a[1] * a[1] + a[2] * a[2];
    for (let r = 0; r < 3; r += 1) for (let c = 0; c < 3; c += 1) h.set(r, c, h.get(r, c) + b[r] * a[c]);
  });
  const svd = new SVD(h);
  const u = svd.leftSingularVectors;
  const v = svd.rightSingularVectors;
  const d = svd.diagonal;
  const product = (sign: number): Mat3 => {
    const m: number[] = [];
    for (let r = 0; r < 3; r += 1) for (let c = 0; c < 3; c += 1) m.push(u.get(r, 0) * v.get(c, 0) + u.get(r, 1) * v.get(c, 1) + sign * u.get(r, 2) * v.get(c, 2));
    return m as unknown as Mat3;
  };
  let rotation = product(1);
  let sign = 1;
  if (det3(rotation) < 0) {
    sign = -1;
    rotation = product(-1);
  }
  const s = withScale && spread > 0 ? (d[0] + d[1] + sign * d[2]) / spread : 1;
  return { scale: s, rotation, translation: sub(ct, scale(mulMatVec(rotation, cf), s)) };
}
