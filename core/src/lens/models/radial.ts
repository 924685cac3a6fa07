import { combined, type LensModel } from './lens-model';

/**
 * Brown–Conrady distortion with three radial and two tangential terms, undistorted → distorted, in normalised coordinates.
 *   xd = x (1 + k1 r² + k2 r⁴ + k3 r⁶) + 2 p1 x y + p2 (r² + 2x²)
 *   yd = y (1 + k1 r² + k2 r⁴ + k3 r⁶) + p1 (r² + 2y²) + 2 p2 x y
 * Source  Brown, Close-range camera calibration, Photogrammetric Engineering 37(8), 1971; signs of p as in conventions.md.
 * Limits  Inverts only where the mapping does not fold: r below foldRadius().
 */
export interface RadialDistortion {
  model: 'radial';
  k: readonly [number, number, number];
  p: readonly [number, number];
}

export const NO_DISTORTION: RadialDistortion = { model: 'radial', k: [0, 0, 0], p: [0, 0] };

/**
 * The mapping itself, by coefficients k1, k2, k3, p1, p2. Without allocation: it runs for every observation of every iteration.
 * @param j [∂xd/∂x, ∂xd/∂y, ∂yd/∂x, ∂yd/∂y]; the matrix is symmetric
 * @param c ∂xd by each coefficient, then ∂yd by each
 */
export function distortRadialWith(p: ArrayLike<number>, x: number, y: number, out: Float64Array, j: Float64Array | null, c: Float64Array | null): void {
  const x2 = x * x,
    y2 = y * y,
    xy = x * y,
    r2 = x2 + y2;
  const m = 1 + r2 * (p[0] + r2 * (p[1] + r2 * p[2]));
  out[0] = x * m + 2 * p[3] * xy + p[4] * (r2 + 2 * x2);
  out[1] = y * m + p[3] * (r2 + 2 * y2) + 2 * p[4] * xy;
  if (!j) return;
  const slope = 2 * (p[0] + r2 * (2 * p[1] + r2 * 3 * p[2])); // d m / d(r²), times 2
  j[0] = m + x2 * slope + 2 * p[3] * y + 6 * p[4] * x;
  j[1] = xy * slope + 2 * p[3] * x + 2 * p[4] * y;
  j[2] = j[1];
  j[3] = m + y2 * slope + 6 * p[3] * y + 2 * p[4] * x;
  if (!c) return;
  for (let i = 0, power = r2; i < 3; i += 1, power *= r2) {
    c[i] = x * power;
    c[5 + i] = y * power;
  }
  c[3] = 2 * xy;
  c[4] = r2 + 2 * x2;
  c[8] = r2 + 2 * y2;
  c[9] = 2 * xy;
}

/** Smallest undistorted radius at which the radial part stops growing; Infinity when it never does (looked for up to r = 4, 152° wide). */
export function foldRadius(d: RadialDistortion): number {
  const [k1, k2, k3] = d.k;
  const growth = (r: number) => {
    const r2 = r * r;
    return 1 + r2 * (3 * k1 + r2 * (5 * k2 + r2 * 7 * k3));
  };
  const step = 0.01;
  for (let r = step; r <= 4; r += step) {
    if (growth(r) <= 0) {
      let low = r - step;
      let high = r;
      for (let i = 0; i < 40; i += 1) {
        const middle = (low + high) / 2;
        if (growth(middle) > 0) low = middle;
        else high = middle;
      }
      return low;
    }
  }
  return Infinity;
}

/**
 * Inverse by Newton's method from a first guess along the radius. False where there is no inverse inside the fold.
 * Writes the undistorted point to out[0], out[1].
 */
export function undistortRadial(d: RadialDistortion, xd: number, yd: number, out: Float64Array, fold = foldRadius(d)): boolean {
  const rd = Math.hypot(xd, yd);
  if (rd === 0 && d.p[0] === 0 && d.p[1] === 0) {
    out[0] = 0;
    out[1] = 0;
    return true;
  }
  // bisection on the radial part keeps Newton inside the monotone range even close to the fold
  const [k1, k2, k3] = d.k;
  const forward = (r: number) => r * (1 + r * r * (k1 + r * r * (k2 + r * r * k3)));
  let low = 0;
  let high = Number.isFinite(fold) ? fold : Math.max(1, rd);
  if (Number.isFinite(fold)) {
    if (forward(fold) < rd) return false;
  } else while (forward(high) < rd && high < 1e3) high *= 2;
  for (let i = 0; i < 12; i += 1) {
    const middle = (low + high) / 2;
    if (forward(middle) < rd) low = middle;
    else high = middle;
  }
  const guess = (low + high) / 2;
  let x = rd > 0 ? (xd / rd) * guess : 0;
  let y = rd > 0 ? (yd / rd) * guess : 0;
  const coefficients = [...d.k, ...d.p];
  for (let i = 0; i < 20; i += 1) {
    distortRadialWith(coefficients, x, y, out, jacobianScratch, null);
    const ex = xd - out[0];
    const ey = yd - out[1];
    if (Math.abs(ex) + Math.abs(ey) < 1e-14) break;
    const [a, b, c, e] = jacobianScratch;
    const det = a * e - b * c;
    if (!(det > 1e-9)) return false;
    x += (e * ex - b * ey) / det;
    y += (a * ey - c * ex) / det;
  }
  distortRadialWith(coefficients, x, y, out, null, null);
  const miss = Math.hypot(xd - out[0], yd - out[1]);
  out[0] = x;
  out[1] = y;
  return miss < 1e-9;
}
const jacobianScratch = new Float64Array(4);

export const radial: LensModel<RadialDistortion, 'k2' | 'k3' | 'p'> = {
  coefficients: ['k1', 'k2', 'k3', 'p1', 'p2'],
  listed: (d) => [...d.k, ...d.p],
  made: (c) => ({ model: 'radial', k: [c[0], c[1], c[2]], p: [c[3], c[4]] }),
  forward: distortRadialWith,
  inverse(d) {
    const fold = foldRadius(d);
    return (xd, yd, out) => undistortRadial(d, xd, yd, out, fold);
  },
  straight: (d) => [...d.k, ...d.p].every((v) => v === 0),
  renormalised: (d, ratio) => ({ ...d, k: [d.k[0] * ratio ** 2, d.k[1] * ratio ** 4, d.k[2] * ratio ** 6], p: [d.p[0] * ratio, d.p[1] * ratio] }),
  direction: 'undistorted to distorted',
  formula: ['r2 = x*x + y*y', 's = 1 + k1*r2 + k2*r2^2 + k3*r2^3', 'xd = x*s + 2*p1*x*y + p2*(r2 + 2*x*x)', 'yd = y*s + p1*(r2 + 2*y*y) + 2*p2*x*y'],
  terms: { '': ['k1'], k2: ['k2'], k3: ['k3'], p: ['p1', 'p2'] },
  // centre and tangential terms describe nearly the same thing: at most one of them
  candidates: combined([[], ['k2'], ['k2', 'k3']], [[], ['center'], ['p'], ['focalRatio'], ['center', 'focalRatio']]),
  foretells: ['k2', 'k3', 'center', 'focalRatio'],
  unblended: [],
  between: 'never',
  forSqueezed: false,
};
