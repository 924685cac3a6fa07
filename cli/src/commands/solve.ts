import { solveTracks } from '@mesure/core';
import { readSetupJson, readTracksCsv } from '@mesure/formats';
import { parse, progressReporter, readText, required, writeJson } from '../io';
import { UsageError } from '../usage-error';
import type { Command } from './index';

export const solve: Command = {
  name: 'solve',
  usage: 'solve TRACKS.csv --setup SETUP [--trim]',
  summary: 'Camera path, points and focal length from tracks, tied to the world by the anchors.',
  details: [
    'TRACKS   CSV track,frame,x,y[,weight]; pixels of the recorded picture. - reads standard input.',
    '--setup  JSON with image, sensor, focal (held, guided, free), distortion (held, none), anchors.',
    '--trim   drops the worst observations and solves again.',
    'Exit 1 when the solve failed or is partial; the JSON says why.',
  ],
  example: 'mesure solve tracks.csv --setup setup.json --trim > take.solve.json',
  async run(args) {
    const { values, positionals } = parse(args, { setup: { type: 'string' }, trim: { type: 'boolean' } });
    if (positionals.length !== 1) throw new UsageError('give one tracks file');
    const setupFile = required(values.setup, 'setup');
    if (setupFile === '-' && positionals[0] === '-') throw new UsageError('only one input can be standard input');
    const { tracks, unknownColumns } = readTracksCsv(readText(positionals[0]), positionals[0]);
    const setup = readSetupJson(readText(setupFile), setupFile);
    const report = progressReporter();
    const result = solveTracks(tracks, setup, { trim: values.trim ?? false, onProgress: (p) => report(p.stage, p.done / Math.max(1, p.total)) });
    if (unknownColumns.length > 0) result.warnings.push(`${positionals[0]}: the columns ${unknownColumns.join(', ')} are not known and were not used.`);
    // with the setup, so that what is made of the result needs no second file
    writeJson({ ...result, setup });
    return result.status === 'solved' ? 0 : 1;
  },
};
