export { solveTracks, type SolveOptions, type SolveProgress } from './solve-tracks';
export type { SolvedObject, SolveResult, SolvedFrame, SolvedPoint, TrimPreview, TrimmedObservation } from './result';
export { readSolveSetup, type SolveSetup, type AnchorFacts, type LensMap } from './setup';
export { buildObservations, type TrackPoint, type Observations } from './observations';
export { shotCamera, type ShotCamera } from './shot-camera';
export { compareSolves, type PathGap, type SolveComparison } from './compare-solves';
export { levelGrid, pictureOf, slipOf, standingBox, type InPicture, type Slip, type StandingLines } from './in-the-plate';
