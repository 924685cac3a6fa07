/** Writers and readers of a lens's numbers, without anything that only runs on Node. */
export { writeDistortionJson } from './distortion-json';
export { writeDistortionCsv, writeLensMetadata, type LensSetting } from './lens-metadata';
export { readCoefficients, writeCoefficients, type ReadCoefficients } from './given-lens';
