export {
  LENS_MODELS,
  NO_DISTORTION,
  SHARED_TERMS,
  type AnamorphicDistortion,
  type Distortion,
  type DistortionModel,
  type DivisionDistortion,
  type FisheyeDistortion,
  type LensModel,
  type ModelTerm,
  type RadialDistortion,
  type SharedTerm,
} from './models';
export { COEFFICIENTS, DISTORTION_MODELS, coefficientsOf, distort, distortWith, distortionFrom, isBoundToFocal, isDistorted, renormalise, undistorter, usualModel } from './model';
export { describeLens, PICTURE_ORIGIN, type LensDescription } from './describe';
export { frameEffect, type FrameEffect, type FrameLens } from './frame-effect';
export { redistortMap, roundTripErrorPx, undistortMap, wholeOverscan, type Overscan, type StMap } from './st-map';
export { resample, type Raster } from './resample';
export { mapPairs, WAYS, type MapCount, type MapReading, type PlacePairs, type Way } from './given-map';
export { coefficientPairs, cornerMovesPct, DIRECTIONS, GIVEN_FORMULAS, NORMALISERS, type GivenCoefficients, type GivenFormula, type GivenFrame, type Normaliser } from './given-coefficients';
