import { combined, type LensModel } from './lens-model';

/**
 * Equidistant fisheye with four coefficients: θd = θ (1 + k1 θ² + k2 θ⁴ + k3 θ⁶ + k4 θ⁸), θ the angle off the axis; x, y = tan θ by direction.
 * Source  Kannala, Brandt, A generic camera model and calibration method, PAMI 28(8), 2006.
 * Limits  Looks less than 90° off the axis, since undistorted places are slopes; inverts where θd grows with θ.
 */
export interface FisheyeDistortion {
  model: 'fisheye';
  k: readonly [number, number, number, number];
}

type K = ArrayLike<number>;
const bent = (k: K, t: number): number => t * (1 + t * t * (k[0] + t * t * (k[1] + t * t * (k[2] + t * t * k[3]))));
const growth = (k: K, t: number): number => 1 + t * t * (3 * k[0] + t * t * (5 * k[1] + t * t * (7 * k[2] + t * t * 9 * k[3])));

/** Writes xd, yd. `j` gets [∂xd/∂x, ∂xd/∂y, ∂yd/∂x, ∂yd/∂y], `c` ∂xd/∂k1…4 then ∂yd/∂k1…4. */
export function distortFisheye(k: K, x: number, y: number, out: Float64Array, j: Float64Array | null, c: Float64Array | null): void {
  const r2 = x * x + y * y;
  const r = Math.sqrt(r2);
  // near the axis by series: θ/r = 1 − r²/3, to 1e-16 at this radius
  const near = r < 1e-4;
  const t = Math.atan(r);
  const g = near ? 1 + r2 * (k[0] - 1 / 3) : bent(k, t) / r;
  out[0] = x * g;
  out[1] = y * g;
  if (!j) return;
  const slope = near ? 2 * (k[0] - 1 / 3) : (growth(k, t) / (1 + r2) - g) / r2; // dg / d(r²), times 2
  j[0] = g + x * x * slope;
  j[1] = x * y * slope;
  j[2] = j[1];
  j[3] = g + y * y * slope;
  if (!c) return;
  let power = near ? 1 - r2 / 3 : t / r;
  for (let i = 0; i < 4; i += 1) {
    power *= t * t;
    c[i] = x * power;
    c[4 + i] = y * power;
  }
}

/** Largest angle off the axis, radians, up to which θd grows; π/2 when it always does. */
export function fisheyeFoldRad(k: K): number {
  const step = 0.005;
  for (let t = step; t < Math.PI / 2; t += step) if (growth(k, t) <= 0) return t - step;
  return Math.PI / 2;
}

export function undistortFisheye(k: K, xd: number, yd: number, out: Float64Array, foldRad = fisheyeFoldRad(k)): boolean {
  const rd = Math.hypot(xd, yd);
  if (rd < 1e-12) {
    out[0] = xd;
    out[1] = yd;
    return true;
  }
  let low = 0;
  let high = Math.min(foldRad, Math.PI / 2 - 1e-6);
  if (bent(k, high) < rd) return false;
  let t = Math.min(rd, high);
  for (let i = 0; i < 60; i += 1) {
    const miss = bent(k, t) - rd;
    if (Math.abs(miss) < 1e-15) break;
    if (miss > 0) high = t;
    else low = t;
    const next = t - miss / growth(k, t);
    t = next > low && next < high ? next : (low + high) / 2;
  }
  const scale = Math.tan(t) / rd;
  out[0] = xd * scale;
  out[1] = yd * scale;
  return true;
}

export const fisheye: LensModel<FisheyeDistortion, 'k2' | 'k3' | 'k4'> = {
  coefficients: ['k1', 'k2', 'k3', 'k4'],
  listed: (d) => d.k,
  made: (c) => ({ model: 'fisheye', k: [c[0], c[1], c[2], c[3]] }),
  forward: distortFisheye,
  inverse(d) {
    const fold = fisheyeFoldRad(d.k);
    return (xd, yd, out) => undistortFisheye(d.k, xd, yd, out, fold);
  },
  // without coefficients it still maps angles, and not slopes
  straight: () => false,
  // its angles are tied to its own focal length
  renormalised: null,
  direction: 'undistorted to distorted',
  formula: ['r = sqrt(x*x + y*y)', 't = atan(r)', 'td = t*(1 + k1*t^2 + k2*t^4 + k3*t^6 + k4*t^8)', 'xd = x*td/r', 'yd = y*td/r'],
  terms: { '': ['k1'], k2: ['k2'], k3: ['k3'], k4: ['k4'] },
  candidates: combined([[], ['k2'], ['k2', 'k3', 'k4']], [[], ['center'], ['focalRatio'], ['center', 'focalRatio']]),
  foretells: ['k2', 'k3', 'k4', 'center', 'focalRatio'],
  unblended: [],
  between: 'all',
  forSqueezed: false,
};
