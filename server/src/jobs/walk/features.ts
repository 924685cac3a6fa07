import type { StillToPlace } from '@mesure/contract';
import { walkFeatures, type WalkFeatures } from '@mesure/core';
import { readGray } from '@mesure/formats/picture';
import type { FileStore } from '../../files/store';
import type { Report } from '../compute-types';

/** Share of the work that looking at the pictures is. */
export const FEATURES_SHARE = 0.4;

/** What each picture shows, one after the other: of a whole walk only that is held, not the pictures. @throws FormatError */
export async function featuresOf(store: FileStore, stills: readonly StillToPlace[], report: Report, signal: AbortSignal): Promise<WalkFeatures[]> {
  const features: WalkFeatures[] = [];
  for (const [i, { file }] of stills.entries()) {
    signal.throwIfAborted();
    report((FEATURES_SHARE * i) / stills.length, `looking at picture ${i + 1} of ${stills.length}`);
    const image = await store.withFile(file.sha256, (path) => readGray(path, file.name));
    features.push(walkFeatures(image));
    // this process answers for other jobs too
    await new Promise((r) => setImmediate(r));
  }
  return features;
}
