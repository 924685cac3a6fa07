export { paintedOutlines } from './brush';
export { asPoints, FLOOR_TRACKS, trackClip, type ClipFrameCount, type ClipNote, type ClipOptions, type ClipTrack, type ClipTracks } from './track-clip';
export { isInside, isMasked, maskedShare, outlineAt, type ClipMask, type Corner2 } from './mask';
export { edgeMasks, proposeMasks, type JudgedTrack, type MoverProposal } from './movers';
