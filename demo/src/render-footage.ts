import { spawnSync } from 'node:child_process';
import { mkdirSync } from 'node:fs';
import path from 'node:path';
import { STOVE_CLIP, stoveClip } from './footage';

/** Renders the demo's clip into the folder named; a minute of work that every start of the demo is spared. */
const folder = process.argv[2];
mkdirSync(folder, { recursive: true });
const clip = stoveClip();
const frames = Buffer.concat(Array.from({ length: clip.count }, (_, f) => Buffer.from(clip.at(f).data)));
const { widthPx, heightPx, fps, timecode, file } = STOVE_CLIP;
const made = spawnSync(
  'ffmpeg',
  [
    '-v',
    'error',
    '-f',
    'rawvideo',
    '-pix_fmt',
    'gray',
    '-s',
    `${widthPx}x${heightPx}`,
    '-r',
    String(fps),
    '-i',
    '-',
    '-c:v',
    'libx264',
    '-crf',
    '14',
    '-pix_fmt',
    'yuv420p',
    '-timecode',
    timecode,
    '-map_metadata',
    '-1',
    '-y',
    path.join(folder, file),
  ],
  { input: frames, stdio: ['pipe', 'inherit', 'inherit'] },
);
process.exit(made.status ?? 1);
