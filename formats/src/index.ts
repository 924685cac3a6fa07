export { FormatError } from './format-error';
export { readTracksCsv } from './tracks-csv';
export { readEdgesCsv } from './edges-csv';
export { readHeightsCsv, readPointsCsv, readTiesCsv, type FileHeight, type FileTie } from './ties-csv';
export { readSetupJson, readSolveJson } from './setup-json';
export { writeCameraCsv, writePointsCsv, writeCornersCsv, writeMarksCsv, writeReadingsCsv, writeCsv, type ReadingRow } from './csv';
export { writeGltf } from './gltf';
export { writeDistortionJson } from './distortion-json';
export { writeDistortionCsv, writeLensMetadata, type LensSetting } from './lens-metadata';
