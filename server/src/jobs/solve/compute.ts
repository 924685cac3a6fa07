import { surveyedAnchors } from '@mesure/contract';
import { CoreError, reconcile, solveNet, solveTracks, type NetInput, type NetResult } from '@mesure/core';
import { readTracksCsv, textOf } from '@mesure/formats';
import type { Computation, NetSnapshot, SolveInput } from '../compute-types';

/** Share of the whole at which each stage of a solve begins. */
const STAGES: Record<string, [number, number]> = {
  'reading tracks': [0, 0.02],
  'starting pair': [0.02, 0.2],
  'frames placed': [0.2, 0.5],
  adjusting: [0.5, 0.85],
  trimming: [0.85, 0.9],
  uncertainty: [0.9, 1],
};

export const computeSolve: Computation<SolveInput> = ({ input, given }, report) => {
  const { tracks } = readTracksCsv(textOf(given.bytes, input.file.name), input.file.name);
  const setup = surveyedAnchors(input.setup, surveyOf(input.net), new Set(tracks.map((t) => t.track)));
  const solve = solveTracks(tracks, setup, {
    trim: input.trim,
    counting: input.counting,
    mustAsk: true,
    onProgress: ({ stage, done, total }) => {
      const [from, to] = STAGES[stage] ?? [0, 1];
      report(from + ((to - from) * done) / Math.max(1, total), stage === 'frames placed' ? `frames placed ${done} of ${total}` : stage);
    },
  });
  return { ok: true, outcome: { kind: 'solve', solve, setup, reconcile: solve.status === 'failed' ? null : reconcile(setup, solve) } };
};

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
