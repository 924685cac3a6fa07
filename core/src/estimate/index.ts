export { descend, fallsByGain, type Damping, type Descent, type DescentOptions, type DescentResult, type Trial } from './descend';
export { dampedStep, factorDense, forwardDense } from './dense';
export { EnvelopeMatrix, cholesky, solveCholesky, invertSelected } from './envelope-cholesky';
export { leastSquares, type LeastSquaresProblem, type LeastSquaresResult } from './least-squares';
export { minimise } from './minimise';
export { pseudoInverse } from './rank';
export { sigmaFromMedianRadius } from './robust-scale';
export { tileKernel, type TileKernel } from './tile-kernel';
