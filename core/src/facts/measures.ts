/**
 * What is measured between places, with its derivatives: the one definition for nets, for anchoring and for single pictures. Places are three
 * numbers each in x, at a, b, c; derivatives go to `gradient`, three for each of them in the order in which they are given. It is overwritten.
 */

export function lengthBetween(x: ArrayLike<number>, a: number, b: number, gradient: Float64Array): number {
  const dx = x[b] - x[a],
    dy = x[b + 1] - x[a + 1],
    dz = x[b + 2] - x[a + 2];
  const d = Math.sqrt(dx * dx + dy * dy + dz * dz) || 1e-12;
  gradient[3] = dx / d;
  gradient[4] = dy / d;
  gradient[5] = dz / d;
  gradient[0] = -gradient[3];
  gradient[1] = -gradient[4];
  gradient[2] = -gradient[5];
  return d;
}

/** Level distance of a from the upright wall through b and c: |(a − b) × (c − b)| / |c − b| as seen from above. */
export function distanceFromWall(x: ArrayLike<number>, a: number, b: number, c: number, gradient: Float64Array): number {
  const ex = x[c] - x[b],
    ez = x[c + 2] - x[b + 2];
  const length = Math.sqrt(ex * ex + ez * ez) || 1e-12;
  const px = x[a] - x[b],
    pz = x[a + 2] - x[b + 2];
  const area = ex * pz - ez * px;
  const sign = area < 0 ? -1 : 1;
  const [ux, uz] = [ex / length, ez / length];
  // the wall's direction turns with its ends
  const along = (px * ux + pz * uz) / length;
  gradient[0] = -sign * uz;
  gradient[2] = sign * ux;
  gradient[6] = sign * uz * along;
  gradient[8] = -sign * ux * along;
  gradient[3] = -gradient[0] - gradient[6];
  gradient[5] = -gradient[2] - gradient[8];
  gradient[1] = 0;
  gradient[4] = 0;
  gradient[7] = 0;
  return (sign * area) / length;
}
