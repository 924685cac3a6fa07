import { USUAL_SIGMA, type NetFact } from '@mesure/core';
import { readHeightsCsv, readTiesCsv } from '@mesure/formats';
import { readText } from './io';

/** A tape over a few metres, where a file states no tolerance. */
export const TAPE_TOLERANCE_M = 2 * USUAL_SIGMA.tieM;

/** Ties and heights out of their files, and as facts of a net; a tolerance is two sigma. */
export function readNetFacts(tiesFile: string, heightsFile: string | undefined) {
  const ties = readTiesCsv(readText(tiesFile), tiesFile);
  const heights = heightsFile === undefined ? [] : readHeightsCsv(readText(heightsFile), heightsFile);
  const facts: NetFact[] = [
    ...ties.map((t): NetFact => ({ kind: 'tie', a: t.from, b: t.to, m: t.valueM, sigmaM: (t.toleranceM ?? TAPE_TOLERANCE_M) / 2 })),
    ...heights.map((h): NetFact => ({ kind: 'height', id: h.id, m: h.valueM, sigmaM: (h.toleranceM ?? TAPE_TOLERANCE_M) / 2 })),
  ];
  return { ties, heights, facts };
}
