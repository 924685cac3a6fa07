/**
 * Even polynomials per axis about the centre, undistorted → distorted, in axes turned by `rotation` from x towards y: turn in,
 *   xd = x (1 + a1 x² + a2 y² + a3 x⁴ + a4 x²y² + a5 y⁴),  yd = y (1 + b1 x² + b2 y² + b3 x⁴ + b4 x²y² + b5 y⁴),  turn back.
 * x and y are normalised by their own focal lengths (conventions.md), so that the squeeze itself is not part of it.
 * Source  The polynomial of a bi-symmetrical system, as in Luhmann et al., Close-Range Photogrammetry, ch. 3; written per axis.
 * Limits  Inverts where the Jacobian determinant stays positive between the axis and the place.
 */
export interface AnamorphicDistortion {
  model: 'anamorphic';
  a: readonly [number, number, number, number, number];
  b: readonly [number, number, number, number, number];
  rotation: number;
}

/** `p` is a1…a5, b1…b5, rotation. `c` gets ∂xd then ∂yd by each of the eleven. */
export function distortAnamorphic(p: ArrayLike<number>, x: number, y: number, out: Float64Array, j: Float64Array | null, c: Float64Array | null): void {
  const cos = Math.cos(p[10]),
    sin = Math.sin(p[10]);
  const u = cos * x + sin * y,
    v = cos * y - sin * x;
  const u2 = u * u,
    v2 = v * v;
  const fu = 1 + p[0] * u2 + p[1] * v2 + p[2] * u2 * u2 + p[3] * u2 * v2 + p[4] * v2 * v2;
  const fv = 1 + p[5] * u2 + p[6] * v2 + p[7] * u2 * u2 + p[8] * u2 * v2 + p[9] * v2 * v2;
  const ud = u * fu,
    vd = v * fv;
  out[0] = cos * ud - sin * vd;
  out[1] = sin * ud + cos * vd;
  if (!j) return;
  const uu = fu + 2 * u2 * (p[0] + 2 * p[2] * u2 + p[3] * v2);
  const uv = 2 * u * v * (p[1] + p[3] * u2 + 2 * p[4] * v2);
  const vu = 2 * u * v * (p[5] + 2 * p[7] * u2 + p[8] * v2);
  const vv = fv + 2 * v2 * (p[6] + p[8] * u2 + 2 * p[9] * v2);
  // R · M · Rᵀ with R the turn back
  const m0 = cos * uu - sin * vu,
    m1 = cos * uv - sin * vv,
    m2 = sin * uu + cos * vu,
    m3 = sin * uv + cos * vv;
  j[0] = m0 * cos - m1 * sin;
  j[1] = m0 * sin + m1 * cos;
  j[2] = m2 * cos - m3 * sin;
  j[3] = m2 * sin + m3 * cos;
  if (!c) return;
  const monomials = [u2, v2, u2 * u2, u2 * v2, v2 * v2];
  for (let i = 0; i < 5; i += 1) {
    c[i] = cos * u * monomials[i];
    c[11 + i] = sin * u * monomials[i];
    c[5 + i] = -sin * v * monomials[i];
    c[16 + i] = cos * v * monomials[i];
  }
  // turning the axes turns the result about itself and the place the other way: d/dφ = S xd − J S x, S the quarter turn
  c[10] = -out[1] + (j[0] * y - j[1] * x);
  c[21] = out[0] + (j[2] * y - j[3] * x);
}
