import { decodeClip, probeClip } from '@mesure/formats/picture';
import { decodeSequence, isZip, probeSequence } from '@mesure/formats/sequence';
import { mkdtemp, readdir, rm, stat } from 'node:fs/promises';
import os from 'node:os';
import path from 'node:path';
import type { FileStore } from '../../files/store';
import type { Given, Report } from '../compute-types';

/** Share of the work that laying out the frames is. */
export const FRAMES_SHARE = 0.15;
/** What a phone scrubs through. */
const STRIP_WIDTH_PX = 640;
const STRIP_MOST = 600;
const PREFIX = 'mesure-frames-';

/** Left by a worker that was killed: no clip is worked on for so long. */
const ABANDONED_MS = 6 * 3_600_000;

async function sweep(): Promise<void> {
  for (const name of await readdir(os.tmpdir())) {
    if (!name.startsWith(PREFIX)) continue;
    const dir = path.join(os.tmpdir(), name);
    const age = await stat(dir).then(
      (s) => Date.now() - s.mtimeMs,
      () => 0,
    );
    if (age > ABANDONED_MS) await rm(dir, { recursive: true, force: true });
  }
}

/** The frames of a stored clip on this machine's disk, and small pictures of them. @throws FormatError */
export async function framesOf(store: FileStore, file: { sha256: string; name: string }, report: Report, signal: AbortSignal): Promise<Given & { release(): Promise<void> }> {
  await sweep().catch(() => undefined);
  const dir = await mkdtemp(path.join(os.tmpdir(), PREFIX));
  const release = () => rm(dir, { recursive: true, force: true });
  try {
    return await store.withFile(file.sha256, async (stored) => {
      const pictures = await isZip(stored);
      const facts = pictures ? { name: file.name, durationS: 0, hasSound: false, ...(await probeSequence(stored, file.name)) } : { name: file.name, ...(await probeClip(stored, file.name)) };
      const everyNth = (count: number) => Math.ceil(count / STRIP_MOST);
      const strip = { file: path.join(dir, 'strip'), widthPx: STRIP_WIDTH_PX, everyNth };
      const frames = await (pictures ? decodeSequence : decodeClip)(stored, file.name, path.join(dir, 'frames'), { signal, strip, onProgress: (f) => report(FRAMES_SHARE * f, 'reading the frames') });
      return { bytes: Buffer.alloc(0), clip: { frames, strip: { file: strip.file, everyNth: everyNth(frames.count) }, facts }, release };
    });
  } catch (error) {
    await release();
    throw error;
  }
}
