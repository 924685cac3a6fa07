export { cornersOrTexture, countDetail, findCorners, type Corner, type PictureDetail } from './corners';
export { asRecorded, countedAs, countingWords, questionCounting, sameCounting, type CountingQuestion, type PictureSize, type TrackCounting } from './counting';
export { followClip, type FollowedTrack, type FollowOptions, type FrameSource, type HandMark } from './follow';
export { matchPatch, patchAt, type Patch, type PatchChange, type PatchMatch, type Warp } from './patch';
export { flow } from './flow';
export { snapToCentre, type SnappedCentre } from './snap';
export { pyramidOf, sharpnessOf, type Pyramid } from './pyramid';
