import type { CornerRow, GridOutcome, SolveOutcome } from '@mesure/contract';
import { analysePlate, CoreError, gridReport, pictureGeometry, reconcile, solveTracks } from '@mesure/core';
import { FormatError, readTracksCsv } from '@mesure/formats';
import { readGray } from '@mesure/formats/picture';
import type { ComputeAnswer, ComputeInput, ComputeProgress, ComputeTask, GridInput } from './compute-types';

/** Runs in a thread of its own: core only, no database. */
export default async function compute(task: ComputeTask): Promise<ComputeAnswer> {
  const report = throttled((p) => task.port.postMessage(p));
  try {
    const outcome = task.input.kind === 'grid' ? await computeGrid(task.input, Buffer.from(task.bytes), report) : computeSolve(task.input, Buffer.from(task.bytes), report);
    return { ok: true, outcome };
  } catch (error) {
    if (error instanceof CoreError || error instanceof FormatError) return { ok: false, message: error.message };
    throw error;
  }
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
  const g = pictureGeometry(input.setup);
  const frame = { widthPx: g.widthPx, heightPx: g.heightPx, fxPx: g.effectiveFocalMm * g.pxPerMmX, fyPx: g.effectiveFocalMm * g.pxPerMmY };
  const found = analysePlate(image, frame, { chart: input.chart, start: input.start, dropped: input.dropped, model: 'auto', onProgress: (f, stage) => report(0.05 + 0.95 * f, stage) });
  const corners = found.nodes.map((n, i): CornerRow => [n.row, n.col, n.x, n.y, found.fit?.residuals[2 * i] ?? 0, found.fit?.residuals[2 * i + 1] ?? 0, found.fit?.used[i] ?? 0]);
  return { kind: 'grid', report: gridReport([found], [input.file.name], input.setup, { choice: found.choice, measured: input.measured }), corners, widthPx: image.widthPx, heightPx: image.heightPx };
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
  const solve = solveTracks(tracks, input.setup, {
    trim: input.trim,
    onProgress: ({ stage, done, total }) => {
      const [from, to] = STAGES[stage] ?? [0, 1];
      report(from + ((to - from) * done) / Math.max(1, total), stage === 'frames placed' ? `frames placed ${done} of ${total}` : stage);
    },
  });
  return { kind: 'solve', solve, setup: input.setup, reconcile: solve.status === 'failed' ? null : reconcile(input.setup, solve) };
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
