import { FILE_WARNING, solveTracks, type SolveSetup, type TrackCounting } from '@mesure/core';
import { readSetupJson, readTracksCsv, solveJson } from '@mesure/formats';
import { TRACK_TABLE } from '@mesure/formats/table-kinds';
import { COLUMNS_WORDS, withColumns } from '../columns';
import { parse, progressReporter, readText, required, writeJson } from '../io';
import { UsageError } from '../usage-error';
import type { Command } from './index';

export const solve: Command = {
  name: 'solve',
  usage: 'solve TRACKS.csv --setup SETUP [--trim] [--count-from corner|middle] [--y down|up] [--tracked-size 1920x1080] [--add-frames N] [--columns auto|track,frame,x,y]',
  summary: 'Camera path, points and focal length from tracks, tied to the world by the anchors.',
  details: [
    'TRACKS   CSV track,frame,x,y[,weight]; pixels of the recorded picture. - reads standard input.',
    COLUMNS_WORDS,
    '--setup  JSON with image, sensor, focal (held, guided, free, zoom), distortion (held, free, none), motion (free, pan, object), anchors. Of a zoom mm and',
    '         sigmaMm are the middle and half of its range, and profile what was noted by frame; each frame of the result has its own focal length.',
    '--trim   drops the worst observations and solves again.',
    '--count-from, --y, --tracked-size, --add-frames  how the tracks count, where it is not from the upper left corner, y downwards, in pixels',
    '         of the recorded picture (1x1: in shares of it). Tracks that make no sense as they are read are solved all the same, and the JSON says',
    '         so in `question` and in its warnings.',
    'Exit 1 when the solve failed or is partial; the JSON says why.',
  ],
  example: 'mesure solve tracks.csv --setup setup.json --trim > take.solve.json',
  async run(args) {
    const { values, positionals } = parse(args, {
      setup: { type: 'string' },
      trim: { type: 'boolean' },
      'count-from': { type: 'string' },
      y: { type: 'string' },
      'tracked-size': { type: 'string' },
      'add-frames': { type: 'string' },
      columns: { type: 'string' },
    });
    if (positionals.length !== 1) throw new UsageError('give one tracks file');
    const setupFile = required(values.setup, 'setup');
    if (setupFile === '-' && positionals[0] === '-') throw new UsageError('only one input can be standard input');
    const { tracks, unknownColumns } = readTracksCsv(withColumns(readText(positionals[0]), positionals[0], values.columns, TRACK_TABLE), positionals[0]);
    const setup = readSetupJson(readText(setupFile), setupFile);
    const report = progressReporter();
    const result = solveTracks(tracks, setup, { trim: values.trim ?? false, counting: countingOf(values, setup), onProgress: (p) => report(p.stage, p.done / Math.max(1, p.total)) });
    if (unknownColumns.length > 0) result.warnings.push(FILE_WARNING.COLUMNS_UNKNOWN(positionals[0], unknownColumns));
    // with the setup, so that what is made of the result needs no second file
    writeJson({ ...solveJson(result), setup });
    return result.status === 'solved' ? 0 : 1;
  },
};

/** As it was said; undefined where nothing was. @throws UsageError */
function countingOf(values: { 'count-from'?: string; y?: string; 'tracked-size'?: string; 'add-frames'?: string }, setup: SolveSetup): TrackCounting | undefined {
  const { 'count-from': from, y, 'tracked-size': size, 'add-frames': add } = values;
  if (from === undefined && y === undefined && size === undefined && add === undefined) return undefined;
  if (from !== undefined && from !== 'corner' && from !== 'middle') throw new UsageError(`--count-from ${from} is not known; it must be corner or middle`);
  if (y !== undefined && y !== 'up' && y !== 'down') throw new UsageError(`--y ${y} is not known; it must be up or down`);
  const pixels = size === undefined ? [setup.image.width, setup.image.height] : (/^([\d.]+)x([\d.]+)$/.exec(size)?.slice(1).map(Number) ?? []);
  if (pixels.length !== 2 || !pixels.every((n) => n > 0)) throw new UsageError(`--tracked-size ${size} must be written 1920x1080`);
  if (add !== undefined && !/^-?\d+$/.test(add)) throw new UsageError(`--add-frames ${add} must be a whole number`);
  return { from: from ?? 'corner', yUp: y === 'up', widthPx: pixels[0], heightPx: pixels[1], addFrames: Number(add ?? 0) };
}
