export { computeOptics, type OpticsInput, type Optics, REFERENCE_FRAME_MM } from './compute-optics';
export { bendEnds, bendShare, cornerMm } from './usual-bend';
export { pictureGeometry, type PictureGeometry } from './picture-geometry';
export { depthOfField, subjectScale, compareFrames, type DepthOfField, type SubjectScale, type FrameComparison } from './bench';
export { modeRemarks, type FieldRemark, type ModeGeometry } from './mode-remarks';
export { pictureRemarks, sameBody, type PictureNotes, type PictureRemark, type RecordedPicture } from './picture-remarks';
export { squeezeFromShape } from './line-up';
export { frameLines } from './frame-lines';
