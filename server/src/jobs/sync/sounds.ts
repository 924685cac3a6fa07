import type { ClipFacts } from '@mesure/contract';
import type { Sound } from '@mesure/core';
import { extractSound, probeClip } from '@mesure/formats/picture';
import type { FileStore } from '../../files/store';

/** The sound of a stored clip or recording, and what it says of itself. @throws FormatError when it has none */
export const soundOf = (store: FileStore, file: { sha256: string; name: string }): Promise<{ sound: Sound; facts: ClipFacts }> =>
  store.withFile(file.sha256, async (path) => ({ sound: await extractSound(path, file.name), facts: { name: file.name, ...(await probeClip(path, file.name)) } }));
