import {
  CHART_KINDS,
  detectChart,
  frameLens,
  DISTORTION_MODELS,
  gridReport,
  parseLength,
  gridFrame,
  redistortMap,
  USUAL_SIGMA,
  roundTripErrorPx,
  undistortMap,
  wholeOverscan,
  type DistortionModel,
  type FrameLens,
  type Overscan,
  type PlateLattice,
  usualModel,
} from '@mesure/core';
import { readSetupJson, writeCornersCsv } from '@mesure/formats';
import { parse, progressReporter, readBytes, readText, required, writeBytes, writeJson, writeText } from '../io';
import { UsageError } from '../usage-error';
import type { Command } from './index';

export const grid: Command = {
  name: 'grid',
  usage: 'grid PLATE… --setup SETUP --chart chequer|ruled --cell 20mm [--model auto|radial|division|fisheye|anamorphic] [--distance 3.2m] [--at 1.5] [--corners FILE.csv] [--map FILE.exr|FILE.tif]',
  summary: 'Finds the chart in lens grid plates and fits the distortion of the lens.',
  details: [
    'PLATE      JPEG, PNG, TIFF or OpenEXR of a chequered or ruled chart, or a MOV or MP4 clip of which one frame is taken; several plates of',
    '           one lens at one setting are fitted together.',
    "--at       time of that frame in seconds from the clip's start; without it the middle of the clip.",
    '--setup    JSON with image, sensor and focal.mm (and adapterFactor, squeeze).',
    '--chart    chequer, or ruled: thin lines, dark on light or light on dark.',
    '--cell     size of a cell with its unit: 20mm, 0.75in.',
    '--model    radial (default; anamorphic when the setup has a squeeze), division, fisheye, anamorphic; auto fits all and takes the one',
    '           that predicts parts of the chart best that it has not seen.',
    '--distance of a single square-on chart from the entrance pupil; with the cell it measures the effective focal length. A tape: 5 mm.',
    '--map      writes the ST map that undistorts (32-bit float; s to the right, t upwards), and beside it FILE.redistort with the way back.',
    '--corners  writes the corners found: row,col,x,y, with plate in front when there are several.',
    'Exit 1 when no plate can be used; the JSON says why.',
  ],
  example: 'mesure grid plate.png --setup setup.json --chart chequer --cell 20mm --corners corners.csv',
  async run(args) {
    const { values, positionals } = parse(args, {
      setup: { type: 'string' },
      chart: { type: 'string' },
      cell: { type: 'string' },
      model: { type: 'string' },
      corners: { type: 'string' },
      map: { type: 'string' },
      distance: { type: 'string' },
      at: { type: 'string' },
    });
    if (positionals.length === 0) throw new UsageError('give at least one plate');
    const setupFile = required(values.setup, 'setup');
    const chart = required(values.chart, 'chart');
    const kind = CHART_KINDS.find((k) => k === chart);
    if (!kind) throw new UsageError(`--chart ${chart} is not known; it must be ${CHART_KINDS.join(' or ')}`);
    if (values.model !== undefined && values.model !== 'auto' && !DISTORTION_MODELS.includes(values.model as DistortionModel))
      throw new UsageError(`--model ${values.model} is not known; it must be auto, ${DISTORTION_MODELS.join(', ')}`);
    if (values.map !== undefined && !/\.(exr|tiff?)$/i.test(values.map)) throw new UsageError(`--map ${values.map} must end in .exr or .tif`);
    const cellM = parseLength(required(values.cell, 'cell'), undefined, '--cell').valueM;
    const setup = readSetupJson(readText(setupFile), setupFile);
    const frame = gridFrame(setup);
    const atS = values.at === undefined ? null : Number(values.at);
    if (atS !== null && !(atS >= 0)) throw new UsageError(`--at ${values.at} must be seconds from the clip's start`);
    const report = progressReporter();
    // what decodes pictures takes longer to load than most commands to run
    const { extractFrame, isClip, readGray } = await import('@mesure/formats/picture');
    // a file that cannot be opened is said by the reader, in its own words
    const isFileOfClip = (file: string): Promise<boolean> => isClip(file).catch(() => false);
    const lattices: PlateLattice[] = [];
    for (const [i, file] of positionals.entries()) {
      const image = await readGray((await isFileOfClip(file)) ? (await extractFrame(file, file, atS)).png : readBytes(file), file);
      if (image.widthPx !== frame.widthPx || image.heightPx !== frame.heightPx)
        throw new UsageError(`${file}: is ${image.widthPx} × ${image.heightPx}, the setup says ${frame.widthPx} × ${frame.heightPx}`);
      lattices.push(detectChart(image, frame, { chart: kind, onProgress: (f, stage) => report(`${file}: ${stage}`, (i + f) / positionals.length) }));
    }
    report('fitting the lens', 1);
    const model = (values.model as DistortionModel | 'auto' | undefined) ?? usualModel(setup.squeeze ?? 1);
    if (values.distance !== undefined && positionals.length > 1) throw new UsageError('--distance goes with one plate');
    const measured = values.distance === undefined ? undefined : { cellM, distanceM: parseLength(values.distance, undefined, '--distance').valueM, sigmaDistanceM: USUAL_SIGMA.tieM };
    const result = gridReport(lattices, positionals, setup, { model, measured });
    if (values.corners !== undefined) writeText(values.corners, writeCornersCsv(lattices.map((l, i) => ({ plate: positionals[i], nodes: l.nodes }))));
    const maps = values.map === undefined || !result.distortion || !result.overscan ? null : await writeMaps(values.map, frameLens(result.distortion, setup), result.overscan);
    writeJson({ ...result, cellM, ...(maps ? { maps } : {}) });
    return result.status === 'usable' ? 0 : 1;
  },
};

/** Both ST maps of a lens; what they are and how exactly they lead back goes into the result. */
async function writeMaps(file: string, lens: FrameLens, overscan: Overscan) {
  const { writeStMapExr, writeStMapTiff } = await import('@mesure/formats/st-map');
  const back = file.replace(/(\.\w+)$/, '.redistort$1');
  const undistort = undistortMap(lens, overscan);
  const redistort = redistortMap(lens, overscan);
  const { left, top } = wholeOverscan(overscan);
  const recorded = { left, top, widthPx: lens.widthPx, heightPx: lens.heightPx };
  for (const [name, map] of [
    [file, undistort],
    [back, redistort],
  ] as const)
    writeBytes(name, /\.exr$/i.test(name) ? await writeStMapExr(map, map === undistort ? recorded : undefined) : writeStMapTiff(map));
  return { undistort: file, redistort: back, overscan: wholeOverscan(overscan), roundTripPx: roundTripErrorPx(undistort, redistort) };
}
