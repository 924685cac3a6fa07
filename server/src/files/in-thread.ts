import { redistortMap, undistortMap, wholeOverscan, type FrameLens, type Overscan } from '@mesure/core';
import { FormatError, readTracksCsv, textOf } from '@mesure/formats';
import { previewJpeg } from '@mesure/formats/picture';
import { writeStMapExr, writeStMapTiff } from '@mesure/formats/st-map';
import { readFileSync } from 'node:fs';
import { checkHandoverIn } from '../handover/record-in';

export interface ThreadTasks {
  /** a JPEG of a picture, at most so wide */
  preview: { asked: { bytes: Uint8Array; name: string; widthPx: number }; made: Uint8Array };
  /** one of the two maps of a lens: millions of places, each bent by its model */
  stMap: { asked: { lens: FrameLens; overscan: Overscan; way: 'undistort' | 'redistort'; format: 'exr' | 'tiff'; name: string }; made: Uint8Array };
  /** every record of a handover, looked at */
  handover: { asked: { file: string; name: string }; made: { records: number } };
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
    if (task.what === 'stMap') return { made: await stMapOf(task) };
    if (task.what === 'handover') return { made: { records: await checkHandoverIn(task.file, task.name) } };
    const { tracks } = readTracksCsv(textOf(readFileSync(task.file), task.name), task.name);
    return { made: { tracks: new Set(tracks.map((t) => t.track)).size, frames: new Set(tracks.map((t) => t.frame)).size } };
  } catch (error) {
    if (error instanceof FormatError) return { fault: error.message };
    throw error;
  }
}

function stMapOf({ lens, overscan, way, format }: ThreadTasks['stMap']['asked']): Promise<Uint8Array> | Uint8Array {
  const map = way === 'undistort' ? undistortMap(lens, overscan) : redistortMap(lens, overscan);
  if (format === 'tiff') return writeStMapTiff(map);
  const { left, top } = wholeOverscan(overscan);
  return writeStMapExr(map, way === 'undistort' ? { left, top, widthPx: lens.widthPx, heightPx: lens.heightPx } : undefined);
}
