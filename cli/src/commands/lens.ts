import { coefficientPairs, CoreError, DIRECTIONS, GIVEN_FORMULAS, givenReport, gridFrame, mapPairs, NORMALISERS, pictureGeometry, WAYS, type GivenCoefficients } from '@mesure/core';
import { readSetupJson } from '@mesure/formats';
import { readCoefficients } from '@mesure/formats/lens';
import { parse, readBytes, readText, required, writeJson } from '../io';
import { UsageError } from '../usage-error';
import type { Command } from './index';

export const lens: Command = {
  name: 'lens',
  usage: `lens [FILE] --setup SETUP [--way ${WAYS.join('|')}] [--stretch 1] [--k K1,K2… [--p P1,P2] [--center RIGHT,DOWN] [--formula ${GIVEN_FORMULAS.join('|')}] --over "half width" --direction "undistorted to distorted" [--over-mm 32.1]]`,
  summary: 'Reads distortion that was made elsewhere, an ST map or coefficients, as one of our lenses.',
  details: [
    'FILE         an ST map (OpenEXR, TIFF: how far across in the first channel, how far up or down in the second), or camera and lens metadata (JSON).',
    '--way        of a map, which says nothing of it: undistorts makes the straight picture of the recorded one; distorts bends a straight one.',
    '--stretch    of a map: so many times as wide as the recorded ones are pixels of the straight picture; 1 when left out.',
    '--k          coefficients instead of a file, up to four; --p tangential ones, p1 with xy across; --center px right of and below the middle.',
    `--over       what a radius of 1 is: ${NORMALISERS.join(', ')}.`,
    `--direction  ${DIRECTIONS.join(', or ')}.`,
    '--over-mm    focal length that they are over, where it is not the setup’s.',
    'The result is that of `grid`. Exit 1 when no lens bends like that.',
  ],
  example: 'mesure lens map.exr --way undistorts --setup setup.json',
  async run(args) {
    const text = { type: 'string' } as const;
    const { values, positionals } = parse(args, { setup: text, way: text, stretch: text, k: text, p: text, center: text, formula: text, over: text, direction: text, 'over-mm': text });
    if (positionals.length + (values.k === undefined ? 0 : 1) !== 1) throw new UsageError('give one file, or --k');
    const setupFile = required(values.setup, 'setup');
    const setup = readSetupJson(readText(setupFile), setupFile);
    const frame = gridFrame(setup);
    const [file] = positionals;
    if (file !== undefined && !/\.json$/i.test(file)) {
      const way = oneOf(WAYS, required(values.way, 'way'), '--way');
      const stretch = numbersOf(values.stretch ?? '1', 1, 1, '--stretch')[0];
      if (!(stretch > 0)) throw new UsageError(`--stretch ${values.stretch} must be above 0`);
      const { readStMap } = await import('@mesure/formats/st-map');
      const { map, roundedTo } = await readStMap(readBytes(file), file);
      const pairs = mapPairs(map, { way, stretch }, frame);
      return told(givenReport(pairs, file, setup, { count: pairs.count, stepPx: roundedTo * frame.widthPx }).report, { count: pairs.count });
    }
    const c: GivenCoefficients = file === undefined ? typed(values) : readCoefficients(readText(file), file).coefficients;
    const pairs = coefficientPairs(c, { ...frame, effectiveFocalMm: pictureGeometry(setup).effectiveFocalMm });
    return told(givenReport(pairs, file ?? 'typed', setup).report, { coefficients: c });
  },
};

function told(report: ReturnType<typeof givenReport>['report'], read: object): number {
  writeJson({ ...report, ...read });
  return report.status === 'usable' ? 0 : 1;
}

function typed(values: Partial<Record<string, string>>): GivenCoefficients {
  const formula = oneOf(GIVEN_FORMULAS, values.formula ?? 'polynomial', '--formula');
  const angle = formula === 'angle';
  const [p1, p2] = numbersOf(values.p ?? '0,0', 2, 2, '--p');
  const [x, y] = numbersOf(values.center ?? '0,0', 2, 2, '--center');
  return {
    formula,
    over: oneOf(NORMALISERS, angle ? (values.over ?? 'focal length') : required(values.over, 'over'), '--over'),
    direction: oneOf(DIRECTIONS, angle ? (values.direction ?? DIRECTIONS[0]) : required(values.direction, 'direction'), '--direction'),
    k: numbersOf(values.k!, 1, 4, '--k'),
    p: [p1, p2],
    center: [x, y],
    focalMm: values['over-mm'] === undefined ? null : numbersOf(values['over-mm'], 1, 1, '--over-mm')[0],
  };
}

function oneOf<T extends string>(of: readonly T[], text: string, option: string): T {
  const found = of.find((q) => q === text);
  if (found === undefined) throw new UsageError(`${option} ${text} is not known; it must be ${of.join(', ')}`);
  return found;
}

function numbersOf(text: string, least: number, most: number, option: string): number[] {
  const found = text.split(',').map((part) => (part.trim() === '' ? Number.NaN : Number(part)));
  if (found.length < least || found.length > most || !found.every(Number.isFinite))
    throw new CoreError('INVALID_OPTION', `${option} ${text} must be ${least === most ? least : `${least} to ${most}`} numbers with commas between`, option);
  return found;
}
