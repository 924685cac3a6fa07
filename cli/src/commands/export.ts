import { readSetupJson, readSolveJson, writeCameraCsv, writeGltf } from '@mesure/formats';
import { writeFileSync } from 'node:fs';
import { parse, readText, required } from '../io';
import { UsageError } from '../usage-error';
import type { Command } from './index';

export const exportCommand: Command = {
  name: 'export',
  usage: 'export SOLVE.json --to gltf|csv [--setup SETUP] [--out FILE]',
  summary: 'A solve as an open exchange file: animated camera and points.',
  details: ['--to     gltf (binary glTF 2.0) or csv (camera path).', '--setup  needed for gltf: sensor, picture size and fps.', '--out    file to write; standard output without it.'],
  example: 'mesure export take.solve.json --to gltf --setup setup.json --out take.glb',
  async run(args) {
    const { values, positionals } = parse(args, { to: { type: 'string' }, setup: { type: 'string' }, out: { type: 'string' } });
    if (positionals.length !== 1) throw new UsageError('give one solve result');
    const to = required(values.to, 'to');
    if (to !== 'gltf' && to !== 'csv') throw new UsageError(`--to ${to} is not known; it must be gltf or csv`);
    const solved = readSolveJson(readText(positionals[0]), positionals[0]);
    if (solved.frames.length === 0) throw new UsageError(`${positionals[0]}: the solve holds no frames`);
    let bytes: Uint8Array;
    if (to === 'csv') bytes = Buffer.from(writeCameraCsv(solved));
    else {
      const setupFile = required(values.setup, 'setup');
      const setup = readSetupJson(readText(setupFile), setupFile);
      bytes = await writeGltf(solved, { name: 'solve', fps: setup.fps ?? 24, sensorHeightMm: setup.sensor.heightMm, aspect: (setup.sensor.widthMm * (setup.squeeze ?? 1)) / setup.sensor.heightMm });
    }
    if (values.out !== undefined) writeFileSync(values.out, bytes);
    else process.stdout.write(bytes);
    return 0;
  },
};
