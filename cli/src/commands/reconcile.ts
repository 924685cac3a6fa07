import { reconcile } from '@mesure/core';
import { readSetupJson, readSolveJson } from '@mesure/formats';
import { parse, readText, required, writeJson } from '../io';
import { UsageError } from '../usage-error';
import type { Command } from './index';

export const reconcileCommand: Command = {
  name: 'reconcile',
  usage: 'reconcile --setup SETUP SOLVE.json',
  summary: 'Recorded against solved, with a verdict and likely causes for each quantity.',
  details: [
    '--setup  what was recorded: focal, adapterFactor, sensor, anchors.',
    'SOLVE    the result of mesure solve. - reads standard input.',
    'Exit 1 when the solve failed and nothing can be compared.',
  ],
  example: 'mesure solve tracks.csv --setup setup.json | mesure reconcile --setup setup.json -',
  async run(args) {
    const { values, positionals } = parse(args, { setup: { type: 'string' } });
    if (positionals.length !== 1) throw new UsageError('give one solve result');
    const setupFile = required(values.setup, 'setup');
    const setup = readSetupJson(readText(setupFile), setupFile);
    const solved = readSolveJson(readText(positionals[0]), positionals[0]);
    if (solved.status === 'failed') {
      writeJson({ items: [], verdict: 'not observable', sentence: 'The solve failed: there is nothing to compare.', warnings: [solved.reason ?? 'no reason given'] });
      return 1;
    }
    writeJson(reconcile(setup, solved));
    return 0;
  },
};
