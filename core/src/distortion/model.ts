import { CoreError } from '../errors';
import { distortAnamorphic, type AnamorphicDistortion } from './anamorphic';
import { distortDivision, undistortDivision, type DivisionDistortion } from './division';
import { distortFisheye, fisheyeFoldRad, undistortFisheye, type FisheyeDistortion } from './fisheye';
import { distortRadialWith, foldRadius, undistortRadial, type RadialDistortion } from './radial';

/** The four models of conventions.md. Coordinates are normalised by the focal length in pixels about the centre. */
export type Distortion = RadialDistortion | DivisionDistortion | FisheyeDistortion | AnamorphicDistortion;
export type DistortionModel = Distortion['model'];

/** Coefficients by name, in the order in which `coefficientsOf` lists them. */
export const COEFFICIENTS: Record<DistortionModel, readonly string[]> = {
  radial: ['k1', 'k2', 'k3', 'p1', 'p2'],
  division: ['lambda'],
  fisheye: ['k1', 'k2', 'k3', 'k4'],
  anamorphic: ['a1', 'a2', 'a3', 'a4', 'a5', 'b1', 'b2', 'b3', 'b4', 'b5', 'rotation'],
};
export const DISTORTION_MODELS = Object.keys(COEFFICIENTS) as DistortionModel[];

export function coefficientsOf(d: Distortion): Float64Array {
  if (d.model === 'radial') return Float64Array.of(...d.k, ...d.p);
  if (d.model === 'division') return Float64Array.of(d.lambda);
  if (d.model === 'fisheye') return Float64Array.from(d.k);
  return Float64Array.of(...d.a, ...d.b, d.rotation);
}

export function distortionFrom(model: DistortionModel, c: ArrayLike<number>): Distortion {
  if (model === 'radial') return { model, k: [c[0], c[1], c[2]], p: [c[3], c[4]] };
  if (model === 'division') return { model, lambda: c[0] };
  if (model === 'fisheye') return { model, k: [c[0], c[1], c[2], c[3]] };
  return { model, a: [c[0], c[1], c[2], c[3], c[4]], b: [c[5], c[6], c[7], c[8], c[9]], rotation: c[10] };
}

/**
 * Undistorted → distorted with the derivatives that a fit needs, by the model's coefficients.
 * @param out xd, yd; NaN where the model ends
 * @param j [∂xd/∂x, ∂xd/∂y, ∂yd/∂x, ∂yd/∂y]
 * @param c ∂xd by each coefficient, then ∂yd by each
 */
export function distortWith(model: DistortionModel, p: ArrayLike<number>, x: number, y: number, out: Float64Array, j: Float64Array | null, c: Float64Array | null): void {
  if (model === 'division') distortDivision(p[0], x, y, out, j, c);
  else if (model === 'fisheye') distortFisheye(p, x, y, out, j, c);
  else if (model === 'anamorphic') distortAnamorphic(p, x, y, out, j, c);
  else distortRadialWith(p, x, y, out, j, c);
}

/** Undistorted → distorted. Writes xd, yd to `out`; NaN where the model ends. */
export const distort = (d: Distortion, x: number, y: number, out: Float64Array): void => distortWith(d.model, coefficientsOf(d), x, y, out, null, null);

const place = new Float64Array(2);

/** Distorted → undistorted of one lens; made once, since finding where a model folds takes a while. False where there is no inverse. */
export function undistorter(d: Distortion): (xd: number, yd: number, out: Float64Array) => boolean {
  if (d.model === 'radial') {
    const fold = foldRadius(d);
    return (xd, yd, out) => undistortRadial(d, xd, yd, out, fold);
  }
  if (d.model === 'division') return (xd, yd, out) => undistortDivision(d.lambda, xd, yd, out);
  if (d.model === 'fisheye') {
    const fold = fisheyeFoldRad(d.k);
    return (xd, yd, out) => undistortFisheye(d.k, xd, yd, out, fold);
  }
  const p = coefficientsOf(d);
  return (xd, yd, out) => undistortByNewton(p, xd, yd, out);
}

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

export const isDistorted = (d: Distortion): boolean => coefficientsOf(d).some((v, i) => v !== 0 && !(d.model === 'anamorphic' && i === 10)) || d.model === 'fisheye';

/**
 * The same map of the picture with its coefficients normalised by another focal length, `ratio` times the old one.
 * @throws CoreError INVALID_OPTION for a fisheye, whose angles are tied to its own focal length
 */
export function renormalise(d: Distortion, ratio: number): Distortion {
  if (ratio === 1) return d;
  const by = (power: number) => ratio ** power;
  if (d.model === 'radial') return { ...d, k: [d.k[0] * by(2), d.k[1] * by(4), d.k[2] * by(6)], p: [d.p[0] * ratio, d.p[1] * ratio] };
  if (d.model === 'division') return { ...d, lambda: d.lambda * by(2) };
  if (d.model === 'fisheye') throw new CoreError('INVALID_OPTION', 'a fisheye’s coefficients hold for its own focal length only', 'distortion');
  const even = (v: readonly number[]) => v.map((c, i) => c * by(i < 2 ? 2 : 4)) as unknown as [number, number, number, number, number];
  return { ...d, a: even(d.a), b: even(d.b) };
}
