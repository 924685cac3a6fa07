import { rigOffset } from '@mesure/core';
import { readSolveJson } from '@mesure/formats';
import { parse, readText, writeJson } from '../io';
import { UsageError } from '../usage-error';
import type { Command } from './index';

export const rig: Command = {
  name: 'rig',
  usage: 'rig A.solve.json B.solve.json [--frames N]',
  summary: 'How a witness camera B sat on camera A, from a solve of each, and whether the rig held.',
  details: [
    'A, B      results of solve, both in metres and tied to the same set.',
    '--frames  how far the count of B is ahead: its frame f + N ran together with frame f of A (0).',
    'Gives translation in the axes of A (x right, y up, -z forwards, m), rotation from the axes of B to those of A, sigmaM, sigmaDeg, stable,',
    'and frame by frame how far it lies from the middle. Exit 1 when there is no offset, or the rig did not hold.',
  ],
  example: 'mesure rig a.solve.json b.solve.json --frames -12',
  async run(args) {
    const { values, positionals } = parse(args, { frames: { type: 'string' } });
    if (positionals.length !== 2) throw new UsageError('give two solves');
    if (values.frames !== undefined && !/^-?\d+$/.test(values.frames)) throw new UsageError(`--frames ${values.frames} must be a whole number`);
    const [a, b] = positionals.map((file) => readSolveJson(readText(file), file));
    const result = rigOffset(a, b, Number(values.frames ?? 0));
    writeJson(result);
    return result.status === 'solved' && result.stable ? 0 : 1;
  },
};
