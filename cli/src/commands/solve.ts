import { FILE_WARNING, mountedAs, solvePair, solveTracks, type SolveProgress, type SolveSetup, type TrackCounting, type WitnessInput } from '@mesure/core';
import { readSetupJson, readTracksCsv, solveJson } from '@mesure/formats';
import { TRACK_TABLE } from '@mesure/formats/table-kinds';
import { COLUMNS_WORDS, withColumns } from '../columns';
import { parse, progressReporter, readText, required, writeJson } from '../io';
import { UsageError } from '../usage-error';
import type { Command } from './index';

export const solve: Command = {
  name: 'solve',
  usage:
    'solve TRACKS.csv --setup SETUP [--trim] [--count-from corner|middle] [--y down|up] [--tracked-size 1920x1080] [--add-frames N] [--columns auto|track,frame,x,y] [--witness W.csv --witness-setup SETUP [--shift N] [--same M1,M2] [--mounted=R,U,F,L,T]]',
  summary: 'Camera path, points and focal length from tracks, tied to the world by the anchors.',
  details: [
    'TRACKS   CSV track,frame,x,y[,weight]; pixels of the recorded picture. - reads standard input.',
    COLUMNS_WORDS,
    '--setup  JSON with image, sensor, focal (held, guided, free, zoom), distortion (held, free, none), motion (free, pan, object), anchors. Of a zoom mm and',
    '         sigmaMm are the middle and half of its range, and profile what was noted by frame; each frame of the result has its own focal length.',
    '         readout {ms}, with fps: the rows were read one after the other, from the top, in so long; its skew is taken out of the tracks.',
    '--trim   drops the worst observations and solves again.',
    '--count-from, --y, --tracked-size, --add-frames  how the tracks count, where it is not from the upper left corner, y downwards, in pixels',
    '         of the recorded picture (1x1: in shares of it). Tracks that make no sense as they are read are solved all the same, and the JSON says',
    '         so in `question` and in its warnings.',
    'A shot that a whip parts says in `parts` what holds each of its stretches to the others: tracks that both see, surveyed places, or nothing.',
    '--witness  tracks of a second camera that the first one carried, --witness-setup its setup: both are solved in one, and `witness` says how it sat.',
    '         Its frame f + N (--shift, may be a fraction; 0) ran together with frame f. --same: names that are one mark in both; all others are each',
    "         camera's own. --mounted=…: its pupil right, up, forward of the other in m, turned to the left and tilted up in degrees, as noted: compared.",
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
      witness: { type: 'string' },
      'witness-setup': { type: 'string' },
      shift: { type: 'string' },
      same: { type: 'string' },
      mounted: { type: 'string' },
    });
    if (positionals.length !== 1) throw new UsageError('give one tracks file');
    const setupFile = required(values.setup, 'setup');
    if (setupFile === '-' && positionals[0] === '-') throw new UsageError('only one input can be standard input');
    const { tracks, unknownColumns } = readTracksCsv(withColumns(readText(positionals[0]), positionals[0], values.columns, TRACK_TABLE), positionals[0]);
    const setup = readSetupJson(readText(setupFile), setupFile);
    const report = progressReporter();
    const witness = witnessOf(values);
    const options = { trim: values.trim ?? false, counting: countingOf(values, setup), onProgress: (p: SolveProgress) => report(p.stage, p.done / Math.max(1, p.total)) };
    const result = witness ? solvePair(tracks, setup, witness, options) : solveTracks(tracks, setup, options);
    if (unknownColumns.length > 0) result.warnings.push(FILE_WARNING.COLUMNS_UNKNOWN(positionals[0], unknownColumns));
    // with the setup, so that what is made of the result needs no second file
    writeJson({ ...solveJson(result), setup });
    return result.status === 'solved' ? 0 : 1;
  },
};

/** A second camera that is solved with the first; null where none was given. @throws UsageError */
function witnessOf(values: { witness?: string; 'witness-setup'?: string; shift?: string; same?: string; mounted?: string; columns?: string }): WitnessInput | null {
  const { witness, 'witness-setup': setupFile, shift = '0', same = '', mounted } = values;
  if (witness === undefined) {
    if ([setupFile, values.shift, values.same, mounted].some((v) => v !== undefined))
      throw new UsageError('--witness-setup, --shift, --same and --mounted say something of a camera that --witness gives');
    return null;
  }
  const number = (text: string, name: string): number => {
    if (!/^-?\d*\.?\d+$/.test(text.trim())) throw new UsageError(`--${name} ${text} must be a number`);
    return Number(text);
  };
  const { tracks } = readTracksCsv(withColumns(readText(witness), witness, values.columns, TRACK_TABLE), witness);
  const file = required(setupFile, 'witness-setup');
  const placed = mounted === undefined ? null : mounted.split(',').map((v) => number(v, 'mounted'));
  if (placed && placed.length !== 5) throw new UsageError('--mounted takes five numbers: right, up, forward in m, to the left and up in degrees');
  return {
    name: 'W',
    tracks,
    setup: readSetupJson(readText(file), file),
    shift: { addFrames: number(shift, 'shift') },
    shared: new Set(same.split(',').filter(Boolean)),
    mounted: placed && mountedAs({ rightM: placed[0], upM: placed[1], forwardM: placed[2], turnRad: (placed[3] * Math.PI) / 180, tiltRad: (placed[4] * Math.PI) / 180 }),
  };
}

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
