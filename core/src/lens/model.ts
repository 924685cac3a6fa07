import { CoreError } from '../errors';
import { LENS_MODELS, type Distortion, type DistortionModel } from './models';

/** Coefficients by name, in the order in which `coefficientsOf` lists them. */
export const COEFFICIENTS = Object.fromEntries(Object.entries(LENS_MODELS).map(([name, m]) => [name, m.coefficients])) as Record<DistortionModel, readonly string[]>;
export const DISTORTION_MODELS = Object.keys(LENS_MODELS) as DistortionModel[];

export const coefficientsOf = (d: Distortion): Float64Array => Float64Array.from(LENS_MODELS[d.model].listed(d));

export const distortionFrom = (model: DistortionModel, c: ArrayLike<number>): Distortion => LENS_MODELS[model].made(c);

/** Undistorted → distorted by a model's coefficients, with derivatives; see `LensModel.forward`. */
export function distortWith(model: DistortionModel, p: ArrayLike<number>, x: number, y: number, out: Float64Array, j: Float64Array | null, c: Float64Array | null): void {
  LENS_MODELS[model].forward(p, x, y, out, j, c);
}

/** Undistorted → distorted. Writes xd, yd to `out`; NaN where the model ends. */
export const distort = (d: Distortion, x: number, y: number, out: Float64Array): void => distortWith(d.model, coefficientsOf(d), x, y, out, null, null);

/** Distorted → undistorted of one lens; see `LensModel.inverse`. */
export const undistorter = (d: Distortion): ((xd: number, yd: number, out: Float64Array) => boolean) => LENS_MODELS[d.model].inverse(d);

export const isDistorted = (d: Distortion): boolean => !LENS_MODELS[d.model].straight(d);

/** Its coefficients hold for the focal length that they were found with, and for no other. */
export const isBoundToFocal = (model: DistortionModel): boolean => LENS_MODELS[model].renormalised === null;

/**
 * The same map of the picture with its coefficients normalised by another focal length, `ratio` times the old one.
 * @throws CoreError INVALID_OPTION for a model whose coefficients are tied to their own
 */
export function renormalise(d: Distortion, ratio: number): Distortion {
  if (ratio === 1) return d;
  const { renormalised } = LENS_MODELS[d.model];
  if (!renormalised) throw new CoreError('INVALID_OPTION', `the coefficients of the model ${d.model} hold for their own focal length only`, 'distortion');
  return renormalised(d, ratio);
}

/** The model that a picture of this squeeze is asked for when nobody says which. */
export const usualModel = (squeeze: number): DistortionModel => (squeeze === 1 ? undefined : DISTORTION_MODELS.find((m) => LENS_MODELS[m].forSqueezed)) ?? DISTORTION_MODELS[0];
