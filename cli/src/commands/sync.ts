import { soundOffset } from '@mesure/core';
import { mustBeFile, parse, writeJson } from '../io';
import { UsageError } from '../usage-error';
import type { Command } from './index';

const USUAL_FPS = 24;

export const sync: Command = {
  name: 'sync',
  usage: 'sync A B [--fps 24]',
  summary: 'How much later the same sound is in B than in A.',
  details: [
    'A, B     WAV, MOV or MP4 of any rate, depth and number of channels; read by the system’s ffmpeg.',
    '--fps    frame rate for offsetFrames (24).',
    'Gives offsetS (to well below a frame), offsetFrames, confidence 0…1, drift between the clocks in parts per million.',
    'Exit 1 when the confidence is below 0.5: the recordings have too little in common.',
  ],
  example: 'mesure sync a_cam.wav b_cam.wav --fps 25',
  async run(args) {
    const { values, positionals } = parse(args, { fps: { type: 'string' } });
    if (positionals.length !== 2) throw new UsageError('give two recordings');
    const fps = values.fps === undefined ? USUAL_FPS : Number(values.fps);
    if (!(fps > 0 && fps <= 1000)) throw new UsageError(`--fps ${values.fps} must be a number above 0 and at most 1000`);
    positionals.forEach(mustBeFile);
    const { extractSound } = await import('@mesure/formats/picture');
    const [a, b] = await Promise.all(positionals.map((file) => extractSound(file, file)));
    const result = soundOffset(a, b);
    writeJson({ offsetS: result.offsetS, offsetFrames: result.offsetS * fps, confidence: result.confidence, driftPpm: result.driftPpm, windows: result.windows, warnings: result.warnings });
    return result.confidence < 0.5 ? 1 : 0;
  },
};
