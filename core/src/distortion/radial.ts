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

/** Writes xd, yd to out[0], out[1]. Without allocation: it runs for every observation of every iteration. */
export function distortRadial(d: RadialDistortion, x: number, y: number, out: Float64Array): void {
  const [k1, k2, k3] = d.k;
  const [p1, p2] = d.p;
  const r2 = x * x + y * y;
  const radial = 1 + r2 * (k1 + r2 * (k2 + r2 * k3));
  out[0] = x * radial + 2 * p1 * x * y + p2 * (r2 + 2 * x * x);
  out[1] = y * radial + p1 * (r2 + 2 * y * y) + 2 * p2 * x * y;
}

/** out = [∂xd/∂x, ∂xd/∂y, ∂yd/∂x, ∂yd/∂y]; the matrix is symmetric. */
export function radialJacobian(d: RadialDistortion, x: number, y: number, out: Float64Array): void {
  const [k1, k2, k3] = d.k;
  const [p1, p2] = d.p;
  const r2 = x * x + y * y;
  const radial = 1 + r2 * (k1 + r2 * (k2 + r2 * k3));
  const slope = 2 * (k1 + r2 * (2 * k2 + r2 * 3 * k3)); // d radial / d(r²), times 2
  out[0] = radial + x * x * slope + 2 * p1 * y + 6 * p2 * x;
  out[1] = x * y * slope + 2 * p1 * x + 2 * p2 * y;
  out[2] = out[1];
  out[3] = radial + y * y * slope + 6 * p1 * y + 2 * p2 * x;
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
  for (let i = 0; i < 20; i += 1) {
    distortRadial(d, x, y, out);
    const ex = xd - out[0];
    const ey = yd - out[1];
    if (Math.abs(ex) + Math.abs(ey) < 1e-14) break;
    radialJacobian(d, x, y, jacobianScratch);
    const [a, b, c, e] = jacobianScratch;
    const det = a * e - b * c;
    if (!(det > 1e-9)) return false;
    x += (e * ex - b * ey) / det;
    y += (a * ey - c * ex) / det;
  }
  distortRadial(d, x, y, out);
  const miss = Math.hypot(xd - out[0], yd - out[1]);
  out[0] = x;
  out[1] = y;
  return miss < 1e-9;
}
const jacobianScratch = new Float64Array(4);
