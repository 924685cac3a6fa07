import type { AnalysisKind } from '@mesure/contract';
import { CoreError } from '@mesure/core';
import { FormatError } from '@mesure/formats';
import type { Computation, ComputeAnswer, ComputeInput, ComputeProgress, ComputeTask, Report } from './compute-types';
import { computeElsewhere } from './elsewhere/compute';
import { computeGrid } from './grid/compute';
import { computeLensFiles } from './lens-files/compute';
import { computeSolve } from './solve/compute';
import { computeSync } from './sync/compute';
import { computeTracks } from './tracks/compute';
import { computeWalk } from './walk/compute';

/** How each kind is computed, one line each: core only, no database, so that it can run in a thread of its own. */
const COMPUTATIONS: { [K in AnalysisKind]: Computation<Extract<ComputeInput, { kind: K }>> } = {
  grid: computeGrid,
  solve: computeSolve,
  'lens-files': computeLensFiles,
  sync: computeSync,
  tracks: computeTracks,
  elsewhere: computeElsewhere,
  walk: computeWalk,
};

export default async function compute(task: ComputeTask): Promise<ComputeAnswer> {
  const report = throttled((p) => task.port.postMessage(p));
  try {
    return await (COMPUTATIONS[task.input.kind] as Computation<ComputeInput>)(task, report);
  } catch (error) {
    if (error instanceof CoreError || error instanceof FormatError) return { ok: false, message: error.message };
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
