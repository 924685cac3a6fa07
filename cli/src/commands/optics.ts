import { computeOptics } from '@mesure/core';
import { readSetupJson } from '@mesure/formats';
import { parse, readText, required, writeJson } from '../io';
import type { Command } from './index';

export const optics: Command = {
  name: 'optics',
  usage: 'optics --setup SETUP',
  summary: 'What a package sees: effective focal length, fields of view, pixel pitch, crop.',
  details: ['SETUP  JSON with image, sensor, focal.mm, and where they are not 1, squeeze and adapterFactor. - reads standard input.'],
  example: 'mesure optics --setup setup.json',
  async run(args) {
    const { values } = parse(args, { setup: { type: 'string' } });
    const file = required(values.setup, 'setup');
    writeJson(computeOptics(readSetupJson(readText(file), file)));
    return 0;
  },
};
