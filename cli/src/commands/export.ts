import { fileName, filesOfSolve, jsonText, readSetupJson, renumbered, readSolveJson, SHOT_FILES, unitOf, writePathCsv, type Shot, type ShotFile } from '@mesure/formats';
import { SPACE_UNITS, SPACE_UPS, type SolveSetup } from '@mesure/core';
import path from 'node:path';
import { parse, readText, required, writeBytes } from '../io';
import { UsageError } from '../usage-error';
import type { Command } from './index';

/** Of film, where nobody said. */
const USUAL_FPS = 24;
const FORMATS = SHOT_FILES.map((f) => f.format);

export const exportCommand: Command = {
  name: 'export',
  usage: `export SOLVE.json --to ${FORMATS.join('|')} [--setup SETUP] [--fps N] [--name NAME] [--unit m|cm|mm] [--up Y|Z] [--add-frames N] [--out FILE]`,
  summary: 'A solve as an open exchange file: animated camera and points.',
  details: [
    ...SHOT_FILES.map((f) => `--to ${f.format.padEnd(14)} ${f.what} (${f.readWith})`),
    '--setup  sensor, picture size, distortion and frame rate of the solve; a result that names its setup needs none.',
    '--fps    at which the frames play, where the setup does not say; 24 is assumed without it, and said.',
    '--unit, --up  in which places are counted, metres and Y without them; glTF and tracking-json keep those of their standards.',
    '--add-frames  added to the frame numbers of the solve; 0 without it.',
    '--name   of the take, in the file; the name of SOLVE.json without it.',
    '--out    file to write; standard output without it.',
    'A solve without a scale leaves with "unit of the solve" in it, and not as tracking-json, which knows metres only.',
  ],
  example: 'mesure export take.solve.json --to gltf --out take.glb',
  async run(args) {
    const { values, positionals } = parse(args, {
      to: { type: 'string' },
      setup: { type: 'string' },
      fps: { type: 'string' },
      name: { type: 'string' },
      unit: { type: 'string' },
      up: { type: 'string' },
      'add-frames': { type: 'string' },
      out: { type: 'string' },
    });
    if (positionals.length !== 1) throw new UsageError('give one solve result');
    const to = required(values.to, 'to');
    const file = SHOT_FILES.find((f) => f.format === to);
    if (!file) throw new UsageError(`--to ${to} is not known; it must be one of ${FORMATS.join(', ')}`);
    const text = readText(positionals[0]);
    const solve = readSolveJson(text, positionals[0]);
    if (solve.frames.length === 0) throw new UsageError(`${positionals[0]}: the solve holds no frames`);
    if (file.only && file.only !== solve.motion) throw new UsageError(`${positionals[0]} is no solve of an object before a still camera, and ${to} is its way`);
    if (!filesOfSolve(solve).includes(file))
      throw new UsageError(
        `${positionals[0]} has no scale: nothing that was measured tells its unit, and ${to} knows metres only. Give the solve a length, a height or surveyed places, or take gltf, usda or csv.`,
      );
    const setup = setupOf(values.setup, text, positionals[0]);
    const fps = values.fps === undefined ? (setup?.fps ?? null) : Number(values.fps);
    if (fps !== null && !(fps > 0 && fps <= 2000)) throw new UsageError(`--fps ${values.fps ?? fps} must be a number up to 2000`);
    const space = { unit: oneOf(SPACE_UNITS, values.unit ?? 'm', 'unit'), up: oneOf(SPACE_UPS, values.up ?? 'Y', 'up') };
    const addFrames = Number(values['add-frames'] ?? 0);
    if (!Number.isInteger(addFrames) || Math.abs(addFrames) > 1e7) throw new UsageError(`--add-frames ${values['add-frames']} must be a whole number up to 10000000`);
    if (file.ownSpace && (values.unit !== undefined || values.up !== undefined)) throw new UsageError(`${to} has ${file.ownSpace}; --unit and --up are not for it`);
    const name = values.name ?? path.basename(positionals[0]).replace(/(\.solve)?\.json$/i, '');
    const bytes = Buffer.from(await made(file, renumbered({ name, solve, setup, fps, space, addFrames }), positionals[0]));
    if (values.out !== undefined) writeBytes(values.out, bytes);
    else process.stdout.write(bytes);
    if (unitOf(solve) !== 'm' || solve.status === 'partial')
      process.stderr.write(
        `${fileName(file, solve)}: ${solve.status === 'partial' ? 'a part of the take only; ' : ''}${unitOf(solve) === 'm' ? '' : 'lengths are in a unit of the solve, not metres'}\n`,
      );
    return 0;
  },
};

function oneOf<T extends string>(list: readonly T[], value: string, option: string): T {
  const found = list.find((v) => v === value);
  if (found === undefined) throw new UsageError(`--${option} ${value} is not known; it must be one of ${list.join(', ')}`);
  return found;
}

/** What the format needs and nobody gave is asked for; a path alone needs nothing. */
async function made(file: ShotFile, shot: Omit<Shot, 'setup'> & { setup: SolveSetup | null }, from: string): Promise<Uint8Array | string> {
  const { setup } = shot;
  if (!setup) {
    if (file.format === 'csv') return writePathCsv(shot);
    throw new UsageError(`${from} does not name the setup that it was made with; give it with --setup`);
  }
  if (!file.needsFps || shot.fps !== null) return file.write({ ...shot, setup });
  process.stderr.write(`the setup names no fps: seconds are counted at ${USUAL_FPS} frames a second, and the file says that this was assumed; --fps says otherwise\n`);
  return file.write({ ...shot, setup, fps: USUAL_FPS, fpsAssumed: true });
}

/** The setup that was given, or the one that the result was made with; null where neither is there. */
function setupOf(setupFile: string | undefined, text: string, file: string): SolveSetup | null {
  if (setupFile !== undefined) return readSetupJson(readText(setupFile), setupFile);
  const { setup } = JSON.parse(text.replace(/^\uFEFF/, '')) as { setup?: unknown };
  return setup === undefined ? null : readSetupJson(jsonText(setup), `${file}, setup`);
}
