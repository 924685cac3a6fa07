import { FormatError, readTracksCsv, textOf } from '@mesure/formats';
import { previewJpeg } from '@mesure/formats/picture';
import { readFileSync } from 'node:fs';

export interface ThreadTasks {
  /** a JPEG of a picture, at most so wide */
  preview: { asked: { bytes: Uint8Array; name: string; widthPx: number }; made: Uint8Array };
  /** are these tracks? */
  tracks: { asked: { file: string; name: string }; made: { tracks: number; frames: number } };
}
export type ThreadTask = { [K in keyof ThreadTasks]: { what: K } & ThreadTasks[K]['asked'] }[keyof ThreadTasks];
/** An error loses its class between threads: what the file's fault is comes back in words. */
export type ThreadAnswer = { made: ThreadTasks[keyof ThreadTasks]['made'] } | { fault: string };

/** Runs in a thread of its own, with a memory of its own. */
export default async function inThread(task: ThreadTask): Promise<ThreadAnswer> {
  try {
    if (task.what === 'preview') return { made: await previewJpeg(Buffer.from(task.bytes), task.name, task.widthPx) };
    const { tracks } = readTracksCsv(textOf(readFileSync(task.file), task.name), task.name);
    return { made: { tracks: new Set(tracks.map((t) => t.track)).size, frames: new Set(tracks.map((t) => t.frame)).size } };
  } catch (error) {
    if (error instanceof FormatError) return { fault: error.message };
    throw error;
  }
}
