export { distortRadial, undistortRadial, radialJacobian, foldRadius, NO_DISTORTION, type RadialDistortion } from './radial';
export { frameEffect, type FrameEffect, type FrameLens } from './frame-effect';
