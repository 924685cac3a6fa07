import { combined, type LensModel } from './lens-model';

/**
 * Division model with one coefficient, distorted → undistorted: xu = xd / (1 + λ rd²); barrel for λ < 0.
 * Forward   rd = 2 ru / (1 + s), s = √(1 − 4 λ ru²): the root that is ru at λ = 0, written so that nothing cancels.
 * Source    Fitzgibbon, Simultaneous linear estimation of multiple view geometry and lens distortion, CVPR 2001.
 * Limits    For λ > 0 up to ru = 1 / (2√λ), where the mapping turns back; for λ < 0 the whole plane lands inside rd = 1 / √−λ.
 */
export interface DivisionDistortion {
  model: 'division';
  lambda: number;
}

/** Writes xd, yd; NaN beyond the limit. `j` gets [∂xd/∂x, ∂xd/∂y, ∂yd/∂x, ∂yd/∂y], `c` [∂xd/∂λ, ∂yd/∂λ]. */
export function distortDivision(lambda: number, x: number, y: number, out: Float64Array, j: Float64Array | null, c: Float64Array | null): void {
  const r2 = x * x + y * y;
  const s = Math.sqrt(1 - 4 * lambda * r2);
  const g = 2 / (1 + s);
  out[0] = x * g;
  out[1] = y * g;
  if (!j) return;
  const slope = (8 * lambda) / (s * (1 + s) * (1 + s)); // dg / d(r²), times 2
  j[0] = g + x * x * slope;
  j[1] = x * y * slope;
  j[2] = j[1];
  j[3] = g + y * y * slope;
  if (!c) return;
  const byLambda = (4 * r2) / (s * (1 + s) * (1 + s));
  c[0] = x * byLambda;
  c[1] = y * byLambda;
}

export function undistortDivision(lambda: number, xd: number, yd: number, out: Float64Array): boolean {
  const r2 = xd * xd + yd * yd;
  const d = 1 + lambda * r2;
  // beyond rd = 1/√|λ| no undistorted place maps here
  if (!(d > 1e-9) || lambda * r2 >= 1) return false;
  out[0] = xd / d;
  out[1] = yd / d;
  return true;
}

export const division: LensModel<DivisionDistortion, never> = {
  coefficients: ['lambda'],
  listed: (d) => [d.lambda],
  made: (c) => ({ model: 'division', lambda: c[0] }),
  forward: (p, x, y, out, j, c) => distortDivision(p[0], x, y, out, j, c),
  inverse: (d) => (xd, yd, out) => undistortDivision(d.lambda, xd, yd, out),
  straight: (d) => d.lambda === 0,
  renormalised: (d, ratio) => ({ ...d, lambda: d.lambda * ratio ** 2 }),
  direction: 'distorted to undistorted',
  formula: ['r2 = xd*xd + yd*yd', 'x = xd / (1 + lambda*r2)', 'y = yd / (1 + lambda*r2)'],
  terms: { '': ['lambda'] },
  candidates: combined([[]], [[], ['center'], ['focalRatio'], ['center', 'focalRatio']]),
  foretells: null,
  unblended: [],
  between: 'never',
  forSqueezed: false,
};
