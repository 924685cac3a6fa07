import { checkLineUp, type LineUpPoint, type SolveSetup } from '@mesure/core';
import { readMarksCsv, readPointsCsv, readSetupJson } from '@mesure/formats';
import { parse, readText, required, writeJson } from '../io';
import { readNetFacts } from '../net-facts';
import { UsageError } from '../usage-error';
import type { Command } from './index';

export const lineup: Command = {
  name: 'lineup',
  usage: 'lineup MARKS.csv --setup SETUP [--points POINTS.csv | --ties TIES.csv [--heights HEIGHTS.csv]] [--mark-sigma PX]',
  summary: 'Where the camera of one picture stood, and how long its lens was, from surveyed points or taped lengths marked in it.',
  details: [
    'MARKS         CSV id,x,y: pixels of the recorded picture, from the upper left corner.',
    '--setup       JSON with image, sensor, focal (held, guided, free) and distortion; its anchors.points are the surveyed points.',
    '--points      CSV id,x,y,z[,sigma_x,sigma_y,sigma_z][,unit][,up], metres with Y up where nothing else is said, instead.',
    '--ties        CSV with from,to,value,unit[,tolerance], as for `net`: lengths between the marks, where nobody knows their places.',
    '--heights     CSV with id,value,unit[,tolerance]: heights of marks over the floor, 0 for those that lie on it.',
    '--mark-sigma  how well a mark is set, one axis, in pixels (0.7).',
    'frame: places (that of the points), floor (over the floor under the camera, along −Z), or camera (its own axes: no mark on the floor).',
    'Gives position and rotation of the entrance pupil, focalMm, their sigmas, rmsPx, and of each mark how far it is off; a mark that does not',
    'belong is left out and named. reconcile: the setup’s focal length, cameraHeights, distances and cameraAngles, judged by the picture. Exit 1 when the marks do not determine the camera; the JSON says why.',
  ],
  example: 'mesure lineup marks.csv --setup setup.json --points survey.csv',
  async run(args) {
    const { values, positionals } = parse(args, { setup: { type: 'string' }, points: { type: 'string' }, ties: { type: 'string' }, heights: { type: 'string' }, 'mark-sigma': { type: 'string' } });
    if (positionals.length !== 1) throw new UsageError('give one file of marks');
    const setupFile = required(values.setup, 'setup');
    const setup = readSetupJson(readText(setupFile), setupFile);
    const marks = readMarksCsv(readText(positionals[0]), positionals[0]);
    if (values.ties !== undefined && values.points !== undefined) throw new UsageError('give --points or --ties: where places are known, the lengths between them say nothing more');
    if (values.heights !== undefined && values.ties === undefined) throw new UsageError('--heights go with --ties');
    const known = values.ties === undefined ? { points: pointsOf(setup, values.points) } : { facts: readNetFacts(values.ties, values.heights).facts };
    const markSigmaPx = values['mark-sigma'] === undefined ? undefined : Number(values['mark-sigma']);
    if (markSigmaPx !== undefined && !(markSigmaPx > 0)) throw new UsageError(`--mark-sigma ${values['mark-sigma']} must be a number above 0`);
    const { lineUp, report } = checkLineUp({ marks, ...known, setup, markSigmaPx });
    writeJson({ ...lineUp, reconcile: report });
    return lineUp.status === 'solved' ? 0 : 1;
  },
};

function pointsOf(setup: SolveSetup, file: string | undefined): LineUpPoint[] {
  const points: LineUpPoint[] =
    file === undefined
      ? (setup.anchors?.points ?? []).map((p) => ({ id: p.track, position: [p.x, p.y, p.z], sigmaM: p.sigmaM }))
      : readPointsCsv(readText(file), file).map((p) => ({ id: p.id, position: p.at, sigmaM: (p.sigmaM[0] + p.sigmaM[1] + p.sigmaM[2]) / 3 }));
  if (points.length === 0) throw new UsageError('nothing is known of the marks: give --points, --ties, or anchors.points in the setup');
  return points;
}
