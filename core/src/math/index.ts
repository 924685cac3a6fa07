export { add, sub, scale, dot, cross, norm, distance, normalize, centroid, type Vec3, type Mat3 } from './vec3';
export { IDENTITY3, mulMat3, transpose3, mulMatVec, mulMatTVec, det3, expSO3, matToQuat, quatToMat, rotationAngle, type Quat } from './rotation';
export { seededRandom, seededNormal, sampleIndices } from './random';
export { median, quantile, sigmaFromMedianRadius } from './statistics';
export { EnvelopeMatrix, cholesky, solveCholesky, invertSelected } from './envelope-cholesky';
export { tileKernel, type TileKernel } from './tile-kernel';
export { leastSquares, type LeastSquaresProblem, type LeastSquaresResult } from './least-squares';
export { umeyama, applySimilarity, type Similarity } from './similarity';
export { homography, type PointPair } from './homography';
