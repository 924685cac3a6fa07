export { add, sub, scale, dot, cross, norm, distance, normalize, centroid, type Vec3, type Mat3 } from './vec3';
export { FLIP, IDENTITY3, meanTurn, mulMat3, transpose3, mulMatVec, mulMatTVec, det3, expSO3, matToQuat, quatToMat, rotationAngle, type Quat } from './rotation';
export { seededRandom, seededNormal, sampleIndices } from './random';
export { median, quantile } from './statistics';
export { umeyama, applySimilarity, type Similarity } from './similarity';
export { homography, homographyOrNone, type PointPair } from './homography';
export { groundScatter, type GroundScatter } from './ground-scatter';
export { convexHull, hullAreaPx } from './hull';
export { inLine } from './in-line';
