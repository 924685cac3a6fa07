import type { FrameLens } from './frame-effect';
import { coefficientsOf, COEFFICIENTS, distort, undistorter } from './model';
import { LENS_MODELS, type DistortionModel, type LensModel } from './models';

/** What a reader who knows nothing of this program needs to use coefficients; it stands in every file that carries some. */
export interface LensDescription {
  model: DistortionModel;
  direction: LensModel['direction'];
  /** x, y are undistorted and xd, yd distorted, both in normalised coordinates */
  formula: string[];
  /** by name, in the order of the formula */
  coefficients: Record<string, number>;
  /** x = (px − centerPx[0]) / normalisedByPx[0], y likewise: one number for each axis, pixels of the recorded, squeezed picture */
  normalisedByPx: [number, number];
  centerPx: [number, number];
  picture: { widthPx: number; heightPx: number; origin: string };
  /** one place there, and where the formula puts it, pixels: a reader that gets this one right reads the file rightly */
  example: { undistortedPx: [number, number]; recordedPx: [number, number] } | null;
}

export const PICTURE_ORIGIN = 'top-left corner of the top-left pixel, x right, y down; the first pixel’s centre is (0.5, 0.5)';

/**
 * Coefficients with their formula, what they are normalised by, and one place worked out.
 * @param lens pixels of the recorded picture
 */
export function describeLens(lens: FrameLens): LensDescription {
  const { distortion, widthPx, heightPx, fxPx, fyPx, center } = lens;
  const names = COEFFICIENTS[distortion.model];
  const values = coefficientsOf(distortion);
  return {
    model: distortion.model,
    direction: LENS_MODELS[distortion.model].direction,
    formula: [...LENS_MODELS[distortion.model].formula],
    coefficients: Object.fromEntries(names.map((name, i) => [name, values[i]])),
    normalisedByPx: [fxPx, fyPx],
    centerPx: [center[0], center[1]],
    picture: { widthPx, heightPx, origin: PICTURE_ORIGIN },
    example: workedOut(lens),
  };
}

/** Near a corner, where a misread coefficient shows most; further in where the model does not reach it. */
function workedOut({ distortion, widthPx, heightPx, fxPx, fyPx, center }: FrameLens): LensDescription['example'] {
  const undistort = undistorter(distortion);
  const out = new Float64Array(2);
  for (const share of [0.1, 0.2, 0.3, 0.4]) {
    if (!undistort((share * widthPx - center[0]) / fxPx, (share * heightPx - center[1]) / fyPx, out)) continue;
    // the undistorted place is given in whole thousandths, so that it is the same number in every file
    const at: [number, number] = [Math.round(1e3 * (center[0] + out[0] * fxPx)) / 1e3, Math.round(1e3 * (center[1] + out[1] * fyPx)) / 1e3];
    distort(distortion, (at[0] - center[0]) / fxPx, (at[1] - center[1]) / fyPx, out);
    return { undistortedPx: at, recordedPx: [center[0] + out[0] * fxPx, center[1] + out[1] * fyPx] };
  }
  return null;
}
