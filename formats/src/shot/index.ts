import type { SolveResult } from '@mesure/core';
import { gltfFile } from './gltf';
import { unitOf, type ShotFile } from './shot';
import { cameraCsvFile, objectCsvFile, pointsCsvFile, pointsPlyFile } from './tables';
import { trackingFile } from './tracking';
import { usdaFile } from './usda';

export { fileName, placesUnit, renumbered, shotFacts, unitOf, type Shot, type ShotFacts, type ShotFile } from './shot';

/** All that a solved take can leave as. */
export const SHOT_FILES: readonly ShotFile[] = [gltfFile, usdaFile, trackingFile, cameraCsvFile, pointsCsvFile, pointsPlyFile, objectCsvFile];

export const filesOfSolve = (solve: SolveResult): ShotFile[] => SHOT_FILES.filter((f) => (!f.needsMetres || unitOf(solve) === 'm') && (!f.only || f.only === solve.motion));
export { writePathCsv } from './tables';
