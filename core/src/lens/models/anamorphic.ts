import { combined, type LensModel } from './lens-model';

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

const place = new Float64Array(2);
/** Anamorphic inverse, led outwards from the centre in steps so that it cannot jump over a fold. */
function undistortByNewton(p: Float64Array, xd: number, yd: number, out: Float64Array): boolean {
  let x = 0;
  let y = 0;
  const steps = 4;
  for (let step = 1; step <= steps; step += 1) {
    const tx = (xd * step) / steps,
      ty = (yd * step) / steps;
    const tolerance = step === steps ? 1e-14 : 1e-4;
    if (step === 1) {
      x = tx;
      y = ty;
    } else {
      x *= step / (step - 1);
      y *= step / (step - 1);
    }
    for (let i = 0; i < 30; i += 1) {
      distortAnamorphic(p, x, y, place, jacobian, null);
      const ex = tx - place[0],
        ey = ty - place[1];
      const det = jacobian[0] * jacobian[3] - jacobian[1] * jacobian[2];
      if (!(det > 1e-6) || jacobian[0] + jacobian[3] <= 0) return false;
      if (Math.abs(ex) + Math.abs(ey) < tolerance) break;
      x += (jacobian[3] * ex - jacobian[1] * ey) / det;
      y += (jacobian[0] * ey - jacobian[2] * ex) / det;
    }
  }
  distortAnamorphic(p, x, y, place, null, null);
  out[0] = x;
  out[1] = y;
  return Math.hypot(xd - place[0], yd - place[1]) < 1e-9;
}
const jacobian = new Float64Array(4);

const even = (v: readonly number[], ratio: number) => v.map((c, i) => c * ratio ** (i < 2 ? 2 : 4)) as unknown as [number, number, number, number, number];

export const anamorphic: LensModel<AnamorphicDistortion, 'quartic' | 'rotation'> = {
  coefficients: ['a1', 'a2', 'a3', 'a4', 'a5', 'b1', 'b2', 'b3', 'b4', 'b5', 'rotation'],
  listed: (d) => [...d.a, ...d.b, d.rotation],
  made: (c) => ({ model: 'anamorphic', a: [c[0], c[1], c[2], c[3], c[4]], b: [c[5], c[6], c[7], c[8], c[9]], rotation: c[10] }),
  forward: distortAnamorphic,
  inverse(d) {
    const p = Float64Array.of(...d.a, ...d.b, d.rotation);
    return (xd, yd, out) => undistortByNewton(p, xd, yd, out);
  },
  // turned axes of nothing bend nothing
  straight: (d) => [...d.a, ...d.b].every((v) => v === 0),
  renormalised: (d, ratio) => ({ ...d, a: even(d.a, ratio), b: even(d.b, ratio) }),
  direction: 'undistorted to distorted',
  formula: [
    'u = x*cos(rotation) + y*sin(rotation)',
    'v = y*cos(rotation) - x*sin(rotation)',
    'ud = u*(1 + a1*u^2 + a2*v^2 + a3*u^4 + a4*u^2*v^2 + a5*v^4)',
    'vd = v*(1 + b1*u^2 + b2*v^2 + b3*u^4 + b4*u^2*v^2 + b5*v^4)',
    'xd = ud*cos(rotation) - vd*sin(rotation)',
    'yd = ud*sin(rotation) + vd*cos(rotation)',
  ],
  terms: { '': ['a1', 'a2', 'b1', 'b2'], quartic: ['a3', 'a4', 'a5', 'b3', 'b4', 'b5'], rotation: ['rotation'] },
  // it always shows its true squeeze
  candidates: combined([['aspect'], ['aspect', 'quartic'], ['aspect', 'rotation'], ['aspect', 'quartic', 'rotation']], [[], ['center']]),
  foretells: ['aspect', 'quartic', 'rotation', 'center'],
  unblended: ['rotation'],
  between: 'any',
  forSqueezed: true,
};
