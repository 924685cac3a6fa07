import { forecastFile, type ForecastFile } from '@mesure/core';
import { readSetupJson } from '@mesure/formats';
import { parse, progressReporter, readText, writeJson } from '../io';
import { UsageError } from '../usage-error';
import type { Command } from './index';

export const forecastCommand: Command = {
  name: 'forecast',
  usage: 'forecast PLAN',
  summary: 'How well a later solve will determine the shot, before it is shot.',
  details: [
    'PLAN     a SETUP with path: [{ frame, position, rotation }], marks: [{ id, position }] and noisePx (default 0.5);',
    '         anchors say what will be measured, focal.mode how the lens is treated. - reads standard input.',
    'Gives one standard deviation of focal length, height and scale (null: not observable), the slip of a still object in px,',
    'and what would help most. Exit 1 when nothing can be solved.',
  ],
  example: 'mesure forecast plan.json',
  async run(args) {
    const { positionals } = parse(args, {});
    if (positionals.length !== 1) throw new UsageError('give one plan');
    const plan = readSetupJson(readText(positionals[0]), positionals[0]) as ForecastFile;
    const report = progressReporter();
    report('forecast', 0);
    const result = forecastFile(plan, (fraction) => report('what would help', fraction));
    writeJson(result);
    return result.status === 'none' ? 1 : 0;
  },
};
