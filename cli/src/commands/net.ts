import { explainLength, solveNet, type NetFact, type NetInput, type NetResult, type SideSaid } from '@mesure/core';
import { readPointsCsv, type FileTie } from '@mesure/formats';
import { writeSurveyCsv, writeSurveyPly } from '@mesure/formats/survey';
import { parse, readText, writeBytes, writeJson } from '../io';
import { readNetFacts, TAPE_TOLERANCE_M } from '../net-facts';
import { UsageError } from '../usage-error';
import type { Command } from './index';

export const net: Command = {
  name: 'net',
  usage: 'net TIES.csv [--points POINTS.csv] [--heights HEIGHTS.csv] [--turn "A B C left"] [--side "A P C left"]… [--csv FILE] [--ply FILE] [--dxf FILE]',
  summary: 'Adjusts the ties of a set: places with their sigmas, and the tie that contradicts the others.',
  details: [
    'TIES       CSV with from,to,value,unit[,tolerance]; unit m, cm, mm, in, ft or ft-in; tolerance in the row’s unit (5 mm).',
    '--points   CSV with id,x,y,z[,sigma_x,sigma_y,sigma_z][,unit][,up], metres with Y up where nothing else is said: points whose places are known; without sigmas they are held.',
    '--heights  CSV with id,value,unit[,tolerance]: heights over the floor.',
    '--turn     "A B C left": from A over B to C the way turns left (or right), seen from above; tells the net from its mirror image.',
    '--side     the same of a point P that fits on two sides of what it is tied to; or "P above A" (or below). As often as needed.',
    '           `mirror` and `twins` of the answer hold the questions.',
    '--csv, --ply, --dxf  write the places with their sigmas too, as the application does.',
    'A tolerance is two sigma. Y is up. A suspect tie is left out of the coordinates; `explanation` names a slip that would explain it.',
    'Exit 1 when nothing is determined, or when the ties contradict each other too much to be trusted; the JSON says why.',
  ],
  example: 'mesure net ties.csv --heights heights.csv',
  async run(args) {
    const { values, positionals } = parse(args, {
      points: { type: 'string' },
      heights: { type: 'string' },
      turn: { type: 'string' },
      side: { type: 'string', multiple: true },
      csv: { type: 'string' },
      ply: { type: 'string' },
      dxf: { type: 'string' },
    });
    if (positionals.length !== 1) throw new UsageError('give one file of ties');
    if ([positionals[0], values.points, values.heights].filter((f) => f === '-').length > 1) throw new UsageError('only one of the files can be standard input');
    const { ties, heights, facts } = readNetFacts(positionals[0], values.heights);
    const known = values.points ? readPointsCsv(readText(values.points), values.points) : [];
    const result = solveNet({ facts, known, ...answers(values.turn, values.side ?? [], facts) });
    if (values.csv) writeBytes(values.csv, writeSurveyCsv(result.points));
    if (values.ply) writeBytes(values.ply, writeSurveyPly(result.points));
    if (values.dxf) writeBytes(values.dxf, (await import('@mesure/formats/survey-dxf')).writeSurveyDxf(result.points));
    writeJson(report(ties, heights, result));
    return result.status === 'none' || result.status === 'contradictory' ? 1 : 0;
  },
};

/** An answer as a person gives it: "A P C left" or "P above A". */
function sideOf(option: string, words: string, named: ReadonlySet<string>): SideSaid {
  const parts = words.trim().split(/\s+/);
  const [a, b, c, way] = parts;
  let side: SideSaid | null = null;
  if (parts.length === 4 && (way === 'left' || way === 'right')) side = { id: b, a, c, answer: way };
  else if (option === 'side' && parts.length === 3 && (b === 'above' || b === 'below')) side = { id: a, a: c, c: null, answer: b };
  if (!side) throw new UsageError(`--${option} "${words}" is not "A P C left" (or right)${option === 'side' ? ', nor "P above A" (or below)' : ''}`);
  for (const id of [side.id, side.a, ...(side.c === null ? [] : [side.c])]) if (!named.has(id)) throw new UsageError(`--${option} "${words}": no tie names ${id}`);
  return side;
}

function answers(turn: string | undefined, sides: readonly string[], facts: readonly NetFact[]): Pick<NetInput, 'turn' | 'sides'> {
  const named = new Set(facts.flatMap((f) => (f.kind === 'tie' ? [f.a, f.b] : [])));
  const whole = turn === undefined ? null : sideOf('turn', turn, named);
  return { sides: sides.map((words) => sideOf('side', words, named)), turn: whole && { a: whole.a, b: whole.id, c: whole.c!, left: whole.answer === 'left' } };
}

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
    twins: r.twins,
    next: r.next,
    warnings: r.warnings,
  };
}
