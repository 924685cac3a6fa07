import { detectChequer, gridReport, parseLength, pictureGeometry, type PlateLattice } from '@mesure/core';
import { readSetupJson, writeCornersCsv } from '@mesure/formats';
import { readGray } from '@mesure/formats/picture';
import { parse, progressReporter, readBytes, readText, required, writeJson, writeText } from '../io';
import { UsageError } from '../usage-error';
import type { Command } from './index';

export const grid: Command = {
  name: 'grid',
  usage: 'grid PLATE… --setup SETUP --chart chequer --cell 20mm [--model radial] [--corners FILE.csv]',
  summary: 'Finds the chart in lens grid plates and fits the distortion of the lens.',
  details: [
    'PLATE      JPEG, PNG or TIFF of a chequered chart; several plates of one lens at one setting are fitted together.',
    '--setup    JSON with image, sensor and focal.mm (and adapterFactor, squeeze).',
    '--chart    chequer.',
    '--cell     size of a cell with its unit: 20mm, 0.75in.',
    '--model    radial (default).',
    '--corners  writes the corners found: row,col,x,y, with plate in front when there are several.',
    'Exit 1 when no plate can be used; the JSON says why.',
  ],
  example: 'mesure grid plate.png --setup setup.json --chart chequer --cell 20mm --corners corners.csv',
  async run(args) {
    const { values, positionals } = parse(args, { setup: { type: 'string' }, chart: { type: 'string' }, cell: { type: 'string' }, model: { type: 'string' }, corners: { type: 'string' } });
    if (positionals.length === 0) throw new UsageError('give at least one plate');
    const setupFile = required(values.setup, 'setup');
    const chart = required(values.chart, 'chart');
    if (chart !== 'chequer') throw new UsageError(`--chart ${chart} is not known; it must be chequer`);
    if (values.model !== undefined && values.model !== 'radial') throw new UsageError(`--model ${values.model} is not known; it must be radial`);
    const cellM = parseLength(required(values.cell, 'cell'), undefined, '--cell').valueM;
    const setup = readSetupJson(readText(setupFile), setupFile);
    const g = pictureGeometry(setup);
    const frame = { widthPx: g.widthPx, heightPx: g.heightPx, fxPx: g.effectiveFocalMm * g.pxPerMmX, fyPx: g.effectiveFocalMm * g.pxPerMmY };
    const report = progressReporter();
    const lattices: PlateLattice[] = [];
    for (const [i, file] of positionals.entries()) {
      const image = await readGray(readBytes(file), file);
      if (image.widthPx !== g.widthPx || image.heightPx !== g.heightPx) throw new UsageError(`${file}: is ${image.widthPx} × ${image.heightPx}, the setup says ${g.widthPx} × ${g.heightPx}`);
      lattices.push(detectChequer(image, frame, { onProgress: (f, stage) => report(`${file}: ${stage}`, (i + f) / positionals.length) }));
    }
    report('fitting the lens', 1);
    const result = gridReport(lattices, positionals, setup);
    if (values.corners !== undefined) writeText(values.corners, writeCornersCsv(lattices.map((l, i) => ({ plate: positionals[i], nodes: l.nodes }))));
    writeJson({ ...result, cellM });
    return result.status === 'usable' ? 0 : 1;
  },
};
