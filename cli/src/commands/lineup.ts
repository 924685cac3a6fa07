import { checkLineUp, type LineUpPoint } from '@mesure/core';
import { readMarksCsv, readPointsCsv, readSetupJson } from '@mesure/formats';
import { parse, readText, required, writeJson } from '../io';
import { UsageError } from '../usage-error';
import type { Command } from './index';

export const lineup: Command = {
  name: 'lineup',
  usage: 'lineup MARKS.csv --setup SETUP [--points POINTS.csv] [--mark-sigma PX]',
  summary: 'Where the camera of one picture stood, and how long its lens was, from surveyed points marked in it.',
  details: [
    'MARKS         CSV id,x,y: pixels of the recorded picture, from the upper left corner.',
    '--setup       JSON with image, sensor, focal (held, guided, free) and distortion; its anchors.points are the surveyed points.',
    '--points      CSV id,x,y,z[,sigma_x,sigma_y,sigma_z][,unit][,up], metres with Y up where nothing else is said, instead.',
    '--mark-sigma  how well a mark is set, one axis, in pixels (0.7).',
    'Gives position and rotation of the entrance pupil, focalMm, their sigmas, rmsPx, and of each mark how far it is off; a mark that does not',
    'belong is left out and named. reconcile: the setup’s focal length, cameraHeights, distances and cameraAngles, judged by the picture. Exit 1 when the marks do not determine the camera; the JSON says why.',
  ],
  example: 'mesure lineup marks.csv --setup setup.json --points survey.csv',
  async run(args) {
    const { values, positionals } = parse(args, { setup: { type: 'string' }, points: { type: 'string' }, 'mark-sigma': { type: 'string' } });
    if (positionals.length !== 1) throw new UsageError('give one file of marks');
    const setupFile = required(values.setup, 'setup');
    const setup = readSetupJson(readText(setupFile), setupFile);
    const marks = readMarksCsv(readText(positionals[0]), positionals[0]);
    const points: LineUpPoint[] =
      values.points === undefined
        ? (setup.anchors?.points ?? []).map((p) => ({ id: p.track, position: [p.x, p.y, p.z], sigmaM: p.sigmaM }))
        : readPointsCsv(readText(values.points), values.points).map((p) => ({ id: p.id, position: p.at, sigmaM: (p.sigmaM[0] + p.sigmaM[1] + p.sigmaM[2]) / 3 }));
    if (points.length === 0) throw new UsageError('no surveyed points: give --points, or anchors.points in the setup');
    const markSigmaPx = values['mark-sigma'] === undefined ? undefined : Number(values['mark-sigma']);
    if (markSigmaPx !== undefined && !(markSigmaPx > 0)) throw new UsageError(`--mark-sigma ${values['mark-sigma']} must be a number above 0`);
    const { lineUp, report } = checkLineUp({ marks, points, setup, markSigmaPx });
    writeJson({ ...lineUp, reconcile: report });
    return lineUp.status === 'solved' ? 0 : 1;
  },
};
