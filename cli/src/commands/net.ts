import { explainLength, solveNet, type NetFact, type NetResult } from '@mesure/core';
import { readHeightsCsv, readPointsCsv, readTiesCsv, type FileTie } from '@mesure/formats';
import { writeSurveyCsv, writeSurveyPly } from '@mesure/formats/survey';
import { writeSurveyDxf } from '@mesure/formats/survey-dxf';
import { parse, readText, writeBytes, writeJson } from '../io';
import { UsageError } from '../usage-error';
import type { Command } from './index';

/** A tape over a few metres, where a file states no tolerance; two sigma. */
const TAPE_TOLERANCE_M = 0.005;

export const net: Command = {
  name: 'net',
  usage: 'net TIES.csv [--points POINTS.csv] [--heights HEIGHTS.csv] [--csv FILE] [--ply FILE] [--dxf FILE]',
  summary: 'Adjusts the ties of a set: places with their sigmas, and the tie that contradicts the others.',
  details: [
    'TIES       CSV with from,to,value,unit[,tolerance]; unit m, cm, mm, in, ft or ft-in; tolerance in the row’s unit (5 mm).',
    '--points   CSV with id,x,y,z[,sigma_x,sigma_y,sigma_z] in metres: points whose places are known; without sigmas they are held.',
    '--heights  CSV with id,value,unit[,tolerance]: heights over the floor.',
    '--csv, --ply, --dxf  write the places with their sigmas too, as the application does.',
    'A tolerance is two sigma. Y is up. A suspect tie is left out of the coordinates; `explanation` names a slip that would explain it.',
    'Exit 1 when nothing is determined, or when the ties contradict each other too much to be trusted; the JSON says why.',
  ],
  example: 'mesure net ties.csv --heights heights.csv',
  async run(args) {
    const { values, positionals } = parse(args, { points: { type: 'string' }, heights: { type: 'string' }, csv: { type: 'string' }, ply: { type: 'string' }, dxf: { type: 'string' } });
    if (positionals.length !== 1) throw new UsageError('give one file of ties');
    if ([positionals[0], values.points, values.heights].filter((f) => f === '-').length > 1) throw new UsageError('only one of the files can be standard input');
    const ties = readTiesCsv(readText(positionals[0]), positionals[0]);
    const heights = values.heights ? readHeightsCsv(readText(values.heights), values.heights) : [];
    const known = values.points ? readPointsCsv(readText(values.points), values.points) : [];
    const facts: NetFact[] = [
      ...ties.map((t): NetFact => ({ kind: 'tie', a: t.from, b: t.to, m: t.valueM, sigmaM: (t.toleranceM ?? TAPE_TOLERANCE_M) / 2 })),
      ...heights.map((h): NetFact => ({ kind: 'height', id: h.id, m: h.valueM, sigmaM: (h.toleranceM ?? TAPE_TOLERANCE_M) / 2 })),
    ];
    const result = solveNet({ facts, known });
    if (values.csv) writeBytes(values.csv, writeSurveyCsv(result.points));
    if (values.ply) writeBytes(values.ply, writeSurveyPly(result.points));
    if (values.dxf) writeBytes(values.dxf, writeSurveyDxf(result.points));
    writeJson(report(ties, heights, result));
    return result.status === 'none' || result.status === 'contradictory' ? 1 : 0;
  },
};

function report(ties: readonly FileTie[], heights: readonly { id: string; valueM: number }[], r: NetResult) {
  const outcome = new Map(r.facts.map((f) => [f.fact, f]));
  const judged = (i: number) => {
    const f = outcome.get(i);
    return { residualM: f?.residualM ?? null, normalised: f?.normalised ?? null, redundancy: f?.redundancy ?? 0, suspect: f?.suspect ?? false };
  };
  return {
    status: r.status,
    points: r.points.map((p) => ({ id: p.id, x: p.at[0], y: p.at[1], z: p.at[2], sigmaX: p.sigmaM[0], sigmaY: p.sigmaM[1], sigmaZ: p.sigmaM[2], redundancy: p.redundancy })),
    open: r.open,
    ties: ties.map((t, i) => {
      const f = outcome.get(i);
      return {
        from: t.from,
        to: t.to,
        m: t.valueM,
        ...judged(i),
        ...(f?.suspect
          ? { explanation: explainLength({ typed: t.typed, unit: t.unit, m: t.valueM, computedM: f.computedM, sigmaM: Math.hypot(f.sigmaComputedM, (t.toleranceM ?? TAPE_TOLERANCE_M) / 2) }) }
          : {}),
      };
    }),
    heights: heights.map((h, i) => ({ id: h.id, m: h.valueM, ...judged(ties.length + i) })),
    sigma0: r.sigma0,
    redundancy: r.redundancy,
    datum: r.datum,
    mirror: r.mirror,
    next: r.next,
    warnings: r.warnings,
  };
}
