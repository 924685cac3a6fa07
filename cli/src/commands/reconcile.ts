import { FOREIGN_LOOKS, FOREIGN_UNITS, reconcile, SPACE_UPS, tieMove, TURN_ORDERS, usualReading, type ForeignReading, type SolveSetup, type TurnOrder } from '@mesure/core';
import { readSetupJson, readSolveJson } from '@mesure/formats';
import { COLUMNS_WORDS, saidColumns } from '../columns';
import { parse, readBytes, readText, required, writeJson } from '../io';
import { UsageError } from '../usage-error';
import type { Command } from './index';

export const reconcileCommand: Command = {
  name: 'reconcile',
  usage:
    'reconcile --setup SETUP SOLVE.json|MOVE.glb|.usda|.jsonl|.csv [--points P] [--unit U] [--up Y|Z] [--looks -Z|+Z] [--add-frames N] [--world own|set] [--turns ORDER] [--columns auto|frame,x,y,z,rx,ry,rz --turns-in degrees|radians]',
  summary: 'Recorded against solved, with a verdict and likely causes for each quantity.',
  details: [
    '--setup  what was recorded: focal, adapterFactor, sensor, anchors.',
    'SOLVE    the result of mesure solve. - reads standard input.',
    'MOVE     a camera that another program solved: glTF 2.0, USD text, samples of the open tracking metadata schema, or CSV frame,x,y,z,qx,qy,qz,qw[,focal_mm].',
    '         It is tied to the set by level marks, lengths, heights and surveyed places (--world own), or its places are those of the set (--world set).',
    '         What the file says is taken; --unit, --up, --looks, --add-frames and --turns (order of angles in a CSV) say it otherwise. Adds read, scale, doubts.',
    `${COLUMNS_WORDS} --turns-in is asked where its angles could be either.`,
    '--points points of a MOVE in a file of their own: CSV id,x,y,z or PLY text.',
    'Exit 1 when the solve failed and nothing can be compared.',
  ],
  example: 'mesure solve tracks.csv --setup setup.json | mesure reconcile --setup setup.json -',
  async run(args) {
    const { values, positionals } = parse(args, {
      setup: { type: 'string' },
      points: { type: 'string' },
      unit: { type: 'string' },
      up: { type: 'string' },
      looks: { type: 'string' },
      'add-frames': { type: 'string' },
      world: { type: 'string' },
      turns: { type: 'string' },
      columns: { type: 'string' },
      'turns-in': { type: 'string' },
    });
    if (positionals.length !== 1) throw new UsageError('give one solve result');
    const setupFile = required(values.setup, 'setup');
    const setup = readSetupJson(readText(setupFile), setupFile);
    if (!/(\.json|^-)$/i.test(positionals[0])) return ofMove(positionals[0], setup, values);
    const solved = readSolveJson(readText(positionals[0]), positionals[0]);
    if (solved.status === 'failed') {
      writeJson({ items: [], verdict: 'not observable', sentence: 'The solve failed: there is nothing to compare.', warnings: [solved.reason ?? 'no reason given'] });
      return 1;
    }
    writeJson(reconcile(setup, solved));
    return 0;
  },
};

const oneOf = <T extends string>(value: string | undefined, all: readonly T[], option: string): T | undefined => {
  if (value !== undefined && !(all as readonly string[]).includes(value)) throw new UsageError(`--${option} ${value} is not known; it must be ${all.join(', ')}`);
  return value as T | undefined;
};

/** A camera that another program solved, as it is said to be read. */
async function ofMove(file: string, setup: SolveSetup, values: Partial<Record<string, string>>): Promise<number> {
  const { readMoveFile, readMovePoints } = await import('@mesure/formats/solve-in');
  const order = oneOf<TurnOrder>(values.turns, TURN_ORDERS, 'turns') ?? null;
  const move = await readMoveFile(values.columns === undefined ? readBytes(file) : await ofTable(file, values), file, { fps: setup.fps ?? null, order });
  if (values.points !== undefined) Object.assign(move, readMovePoints(readBytes(values.points), values.points));
  const usual = usualReading(move);
  const addFrames = values['add-frames'] === undefined ? 0 : Number(values['add-frames']);
  if (!Number.isInteger(addFrames)) throw new UsageError(`--add-frames ${values['add-frames']} must be a whole number`);
  const reading: ForeignReading = {
    unit: oneOf(values.unit, FOREIGN_UNITS, 'unit') ?? usual.unit,
    up: oneOf(values.up, SPACE_UPS, 'up') ?? usual.up,
    looks: oneOf(values.looks, FOREIGN_LOOKS, 'looks') ?? usual.looks,
    addFrames,
    world: oneOf(values.world, ['own', 'set'] as const, 'world') ?? usual.world,
  };
  const { solve, report, scale, doubts } = tieMove(move, reading, setup);
  writeJson({
    ...(report ?? { items: [], verdict: 'not observable', sentence: 'It says no focal length: nothing can be compared.' }),
    warnings: solve.warnings,
    read: { format: move.format, ...reading, notes: move.notes },
    scale,
    doubts,
  });
  return 0;
}

/** A table of another program as the CSV that is read; whether its angles are degrees is said where they could be either. */
async function ofTable(file: string, values: Partial<Record<string, string>>): Promise<Uint8Array> {
  const { lookAtMoves, moveCsvOf } = await import('@mesure/formats/move-table');
  const { MOVE_TABLE } = await import('@mesure/formats/table-kinds');
  const text = readText(file);
  const { table, columns } = saidColumns(text, file, values.columns!, MOVE_TABLE);
  const said = oneOf(values['turns-in'], ['degrees', 'radians'] as const, 'turns-in');
  const seen = lookAtMoves(text, file, table, columns);
  if (said === 'radians' && seen.turnsIn === 'degrees') throw new UsageError(`--turns-in radians cannot be: the largest turn is ${seen.largestTurn}`);
  const turnsIn = seen.largestTurn === null ? 'degrees' : (seen.turnsIn ?? said);
  if (turnsIn === undefined) throw new UsageError(`the largest turn of ${file} is ${seen.largestTurn}, which may be degrees or radians: say --turns-in`);
  return new TextEncoder().encode(moveCsvOf(text, file, table, columns, turnsIn));
}
