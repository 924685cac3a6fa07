import { trackClip, wordsOf } from '@mesure/core';
import { readSetupJson, writeTracksCsv } from '@mesure/formats';
import { mkdtempSync, rmSync } from 'node:fs';
import os from 'node:os';
import path from 'node:path';
import { parse, progressReporter, readBytes, readText, writeText } from '../io';
import { UsageError } from '../usage-error';
import type { Command } from './index';

export const track: Command = {
  name: 'track',
  usage: 'track CLIP|FRAMES… [--mask FILE] [--max N] [--from first|last|N] [--first-frame N] [--setup SETUP] [--out FILE.csv]',
  summary: 'Features of a clip, followed through it, with what moves or is burnt in told apart.',
  details: [
    'CLIP     MOV or MP4 (through ffmpeg), its frames numbered from 1 unless --first-frame says otherwise.',
    'FRAMES   PNG, JPEG, TIFF or OpenEXR of one size, numbered by the last digits of their names.',
    '--mask   a picture of the same size, white where tracking is allowed.',
    '--max    features at once (300).',
    '--from   frame in which the first features are taken up: the first one, the last one, or its number.',
    '--setup  JSON with image, sensor and focal: what moves is then told by this lens, and not by one whose focal length is found.',
    'Gives CSV track,frame,x,y,weight,note in pixels of the picture; a track on something that moves or on a burn-in has weight 0 and a note',
    '(moving, burn-in, masked). What is worth knowing goes to standard error. Exit 1 when some frame holds fewer than eight tracks.',
  ],
  example: 'mesure track take.mov --mask stand.png > tracks.csv',
  async run(args) {
    const { values, positionals } = parse(args, {
      mask: { type: 'string' },
      max: { type: 'string' },
      from: { type: 'string' },
      'first-frame': { type: 'string' },
      setup: { type: 'string' },
      out: { type: 'string' },
    });
    if (positionals.length === 0) throw new UsageError('give a clip, or the pictures of its frames');
    const most = whole(values.max, 'max', 8, 20_000) ?? undefined;
    const folder = mkdtempSync(path.join(os.tmpdir(), 'mesure-track-'));
    const report = progressReporter();
    try {
      const { frames, numberOf } = await framesOf(positionals, whole(values['first-frame'], 'first-frame', 0, 10_000_000), path.join(folder, 'frames'), report);
      const { openFrames } = await import('@mesure/formats/picture');
      const source = openFrames(frames);
      try {
        const allowed = values.mask === undefined ? undefined : await allowedBy(values.mask, source);
        const setup = values.setup === undefined ? undefined : readSetupJson(readText(values.setup), values.setup);
        if (setup && (setup.image.width !== source.widthPx || setup.image.height !== source.heightPx))
          throw new UsageError(`${values.setup}: image is ${setup.image.width} × ${setup.image.height}, and the frames are ${source.widthPx} × ${source.heightPx}`);
        const result = trackClip(source, {
          most,
          allowed,
          setup,
          from: indexOf(values.from, numberOf, source.count),
          onProgress: (stage, done, total) => report(stage, done / Math.max(1, total)),
        });
        const csv = writeTracksCsv(result, numberOf);
        if (values.out === undefined) process.stdout.write(csv);
        else writeText(values.out, csv);
        for (const w of wordsOf(result.warnings)) process.stderr.write(`${w}\n`);
        return result.frames.some((f) => f.tracks < 8) ? 1 : 0;
      } finally {
        source.close();
      }
    } finally {
      rmSync(folder, { recursive: true, force: true });
    }
  },
};

function whole(text: string | undefined, name: string, least: number, most: number): number | null {
  if (text === undefined) return null;
  const n = Number(text);
  if (!(Number.isInteger(n) && n >= least && n <= most)) throw new UsageError(`--${name} ${text} must be a whole number from ${least} to ${most}`);
  return n;
}

async function framesOf(files: readonly string[], first: number | null, target: string, report: (stage: string, fraction: number) => void) {
  const onProgress = (f: number) => report('reading frames', f);
  // a missing file in our own words
  readBytes(files[0]).subarray(0, 0);
  if (files.length === 1) {
    const { decodeClip, isClip } = await import('@mesure/formats/picture');
    if (!(await isClip(files[0]))) throw new UsageError(`${files[0]}: is no MOV or MP4; of pictures give one for each frame`);
    return { frames: await decodeClip(files[0], path.basename(files[0]), target, { onProgress }), numberOf: (i: number) => i + (first ?? 1) };
  }
  const { gatherPictures } = await import('@mesure/formats/picture');
  const { numberedFrames } = await import('@mesure/formats/sequence');
  const numbered = numberedFrames(files, 'the frames');
  const numberOf = (i: number): number => numbered[i].number + (first === null ? 0 : first - numbered[0].number);
  return {
    frames: await gatherPictures(
      numbered.map((n) => ({ name: path.basename(n.name), source: () => n.name })),
      target,
      onProgress,
    ),
    numberOf,
  };
}

async function allowedBy(file: string, size: { widthPx: number; heightPx: number }): Promise<(xPx: number, yPx: number) => boolean> {
  const { readGray } = await import('@mesure/formats/picture');
  const mask = await readGray(readBytes(file), file);
  if (mask.widthPx !== size.widthPx || mask.heightPx !== size.heightPx) throw new UsageError(`${file}: is ${mask.widthPx} × ${mask.heightPx}, and the frames are ${size.widthPx} × ${size.heightPx}`);
  return (x, y) => mask.data[Math.min(mask.heightPx - 1, Math.max(0, Math.floor(y))) * mask.widthPx + Math.min(mask.widthPx - 1, Math.max(0, Math.floor(x)))] >= 128;
}

function indexOf(from: string | undefined, numberOf: (index: number) => number, count: number): number {
  if (from === undefined || from === 'first') return 0;
  if (from === 'last') return count - 1;
  for (let i = 0; i < count; i += 1) if (String(numberOf(i)) === from) return i;
  throw new UsageError(`--from ${from} is no frame of it; first, last, or a number from ${numberOf(0)} to ${numberOf(count - 1)}`);
}
