export { NO_DISTORTION, type RadialDistortion } from './radial';
export type { DivisionDistortion } from './division';
export type { FisheyeDistortion } from './fisheye';
export type { AnamorphicDistortion } from './anamorphic';
export { COEFFICIENTS, DISTORTION_MODELS, coefficientsOf, distort, distortWith, distortionFrom, isDistorted, renormalise, undistorter, type Distortion, type DistortionModel } from './model';
export { describeLens, PICTURE_ORIGIN, type LensDescription } from './describe';
export { frameEffect, type FrameEffect, type FrameLens } from './frame-effect';
export { redistortMap, roundTripErrorPx, undistortMap, wholeOverscan, type Overscan, type StMap } from './st-map';
export { resample, type Raster } from './resample';
