import { surveyedAnchors, type CornerRow, type GridOutcome, type SolveOutcome, type SyncOutcome } from '@mesure/contract';
import {
  analysePlate,
  CoreError,
  gridReport,
  gridFrame,
  reconcile,
  redistortMap,
  resample,
  roundTripErrorPx,
  solveNet,
  solveTracks,
  soundOffset,
  undistortMap,
  type NetInput,
  type NetResult,
  type Raster,
} from '@mesure/core';
import { FormatError, readTracksCsv } from '@mesure/formats';
import { readGray } from '@mesure/formats/picture';
import { readRaster, writeRaster } from '@mesure/formats/raster';
import { writeStMapExr, writeStMapTiff } from '@mesure/formats/st-map';
import type { ComputeAnswer, ComputeInput, ComputeProgress, ComputeTask, GridInput, LensFilesInput, MadeFile, NetSnapshot } from './compute-types';

/** Runs in a thread of its own: core only, no database. */
export default async function compute(task: ComputeTask): Promise<ComputeAnswer> {
  const report = throttled((p) => task.port.postMessage(p));
  try {
    if (task.input.kind === 'lens-files') return await computeLensFiles(task.input, Buffer.from(task.bytes), report);
    if (task.input.kind === 'sync') return { ok: true, outcome: computeSync(task, report) };
    const outcome = task.input.kind === 'grid' ? await computeGrid(task.input, Buffer.from(task.bytes), report) : computeSolve(task.input, Buffer.from(task.bytes), report);
    return { ok: true, outcome };
  } catch (error) {
    if (error instanceof CoreError || error instanceof FormatError) return { ok: false, message: error.message };
    throw error;
  }
}

function computeSync({ sounds }: ComputeTask, report: Report): SyncOutcome {
  const [main, witness] = sounds!;
  report(0.2, 'laying one sound over the other');
  const { offsetS, confidence, driftPpm, warnings } = soundOffset(main.sound, witness.sound);
  return { kind: 'sync', sound: { offsetS, confidence, driftPpm, warnings }, main: main.facts, witness: witness.facts };
}

type Report = (progress: number, stage: string) => void;

async function computeGrid(input: GridInput, bytes: Buffer, report: Report): Promise<GridOutcome> {
  report(0.02, 'reading the picture');
  const image = await readGray(bytes, input.file.name);
  const { image: size } = input.setup;
  if (image.widthPx !== size.width || image.heightPx !== size.height) {
    throw new CoreError(
      'INVALID_OPTION',
      `The picture is ${image.widthPx} × ${image.heightPx}, the recording mode says ${size.width} × ${size.height}. Choose the mode that the plate was shot in.`,
      'image',
    );
  }
  const frame = gridFrame(input.setup);
  const found = analysePlate(image, frame, { chart: input.chart, start: input.start, dropped: input.dropped, model: 'auto', onProgress: (f, stage) => report(0.05 + 0.95 * f, stage) });
  const corners = found.nodes.map((n, i): CornerRow => [n.row, n.col, n.x, n.y, found.fit?.residuals[2 * i] ?? 0, found.fit?.residuals[2 * i + 1] ?? 0, found.fit?.used[i] ?? 0]);
  return { kind: 'grid', report: gridReport([found], [input.file.name], input.setup, { choice: found.choice, measured: input.measured }), corners, widthPx: image.widthPx, heightPx: image.heightPx };
}

/** Both ST maps, and the plate as the undistorting one makes it. */
async function computeLensFiles(input: LensFilesInput, bytes: Buffer, report: Report): Promise<ComputeAnswer> {
  report(0.02, 'reading the picture');
  const picture = await readRaster(bytes, input.file.name);
  const { lens, overscan } = input;
  if (picture.widthPx !== lens.widthPx || picture.heightPx !== lens.heightPx)
    throw new CoreError('INVALID_OPTION', `The picture is ${picture.widthPx} × ${picture.heightPx}, its lens was fitted over ${lens.widthPx} × ${lens.heightPx}. Measure the plate again.`, 'image');
  report(0.1, 'making the maps');
  const undistort = undistortMap(lens, overscan);
  const redistort = redistortMap(lens, overscan);
  const made: MadeFile[] = [];
  const [extension, mime] = input.mapFormat === 'exr' ? ['exr', 'image/x-exr'] : ['tif', 'image/tiff'];
  for (const [map, way, what, at] of [
    [undistort, 'undistort', 'ST map, recorded to undistorted, 32-bit float', 0.3],
    [redistort, 'redistort', 'ST map, undistorted to recorded, 32-bit float', 0.5],
  ] as const) {
    report(at, `writing the ${way}ing map`);
    made.push({ name: `${input.name}_${way}.${extension}`, mime, what, bytes: input.mapFormat === 'exr' ? await writeStMapExr(map) : writeStMapTiff(map) });
  }
  report(0.7, 'undistorting the plate');
  const straight = await writeRaster(resample(picture as Raster<Uint8Array>, undistort, (done, total) => report(0.7 + (0.2 * done) / total, 'undistorting the plate')));
  made.push({ name: `${input.name}_undistorted.${straight.extension}`, mime: straight.mime, what: 'the plate, undistorted', bytes: straight.bytes });
  return { ok: true, made, roundTripPx: roundTripErrorPx(undistort, redistort) };
}

/** Share of the whole at which each stage of a solve begins. */
const STAGES: Record<string, [number, number]> = {
  'reading tracks': [0, 0.02],
  'starting pair': [0.02, 0.2],
  'frames placed': [0.2, 0.5],
  adjusting: [0.5, 0.85],
  trimming: [0.85, 0.9],
  uncertainty: [0.9, 1],
};

function computeSolve(input: Extract<ComputeInput, { kind: 'solve' }>, bytes: Buffer, report: Report): SolveOutcome {
  const { tracks } = readTracksCsv(bytes.toString('utf8'), input.file.name);
  const setup = surveyedAnchors(input.setup, surveyOf(input.net), new Set(tracks.map((t) => t.track)));
  const solve = solveTracks(tracks, setup, {
    trim: input.trim,
    onProgress: ({ stage, done, total }) => {
      const [from, to] = STAGES[stage] ?? [0, 1];
      report(from + ((to - from) * done) / Math.max(1, total), stage === 'frames placed' ? `frames placed ${done} of ${total}` : stage);
    },
  });
  return { kind: 'solve', solve, setup, reconcile: solve.status === 'failed' ? null : reconcile(setup, solve) };
}

/** The places that the ties give; none when they cannot be adjusted, which the tape net's own screen explains. */
function surveyOf(kept: NetSnapshot | null): { input: NetInput; result: NetResult } | null {
  if (!kept) return null;
  const net: NetInput = { ...kept, near: new Map(kept.near) };
  try {
    return { input: net, result: solveNet(net) };
  } catch (error) {
    if (error instanceof CoreError) return null;
    throw error;
  }
}

function throttled(send: (p: ComputeProgress) => void): Report {
  let last = 0;
  return (progress, stage) => {
    const now = Date.now();
    if (now - last < 200) return;
    last = now;
    send({ progress, stage });
  };
}
