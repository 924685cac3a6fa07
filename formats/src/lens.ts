/** Writers of a lens's numbers, without anything that only runs on Node. */
export { writeDistortionJson } from './distortion-json';
export { writeDistortionCsv, writeLensMetadata, type LensSetting } from './lens-metadata';
