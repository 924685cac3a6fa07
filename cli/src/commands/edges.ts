import { DISTORTION_MODELS, fitEdges, type DistortionModel } from '@mesure/core';
import { readEdgesCsv, readSetupJson } from '@mesure/formats';
import { parse, readText, required, writeJson } from '../io';
import { UsageError } from '../usage-error';
import type { Command } from './index';

export const edges: Command = {
  name: 'edges',
  usage: 'edges EDGES.csv --setup SETUP [--model radial|division|fisheye|anamorphic]',
  summary: 'Fits the distortion from marks along edges that are straight in reality.',
  details: [
    'EDGES      CSV with edge,x,y: three marks or more an edge, pixels of the recorded picture.',
    '--setup    JSON with image, sensor and focal.mm (and adapterFactor, squeeze).',
    '--model    radial (default).',
    'Exit 1 when the edges do not tell the distortion; the JSON says why.',
  ],
  example: 'mesure edges edges.csv --setup setup.json --model division',
  async run(args) {
    const { values, positionals } = parse(args, { setup: { type: 'string' }, model: { type: 'string' } });
    if (positionals.length !== 1) throw new UsageError('give one file of edges');
    const model = (values.model ?? 'radial') as DistortionModel;
    if (!DISTORTION_MODELS.includes(model)) throw new UsageError(`--model ${values.model} is not known; it must be ${DISTORTION_MODELS.join(', ')}`);
    const setupFile = required(values.setup, 'setup');
    const setup = readSetupJson(readText(setupFile), setupFile);
    const result = fitEdges(readEdgesCsv(readText(positionals[0]), positionals[0]), setup, model);
    writeJson(result);
    return result.status === 'usable' ? 0 : 1;
  },
};
