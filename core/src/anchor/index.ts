export { anchorSolve, type AnchorInput, type AnchorResult, type AnchorResidual, type SolveCovariance } from './anchor-solve';
