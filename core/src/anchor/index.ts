export type { FocalTold } from './focal-told';
export {
  anchorSolve,
  factWords,
  meanSigma,
  type AnchorInput,
  type AnchorResult,
  type AnchorResidual,
  type AnchorWorld,
  type PlaceCovariance,
  type SolveCovariance,
  type Undecided,
} from './anchor-solve';
export { frameWords } from './placed-facts';
export { bySpreadOfCameras } from './start-similarity';
