import { surveyedAnchors } from '@mesure/contract';
import { reconcile, solveTracks } from '@mesure/core';
import { readTracksCsv, textOf } from '@mesure/formats';
import type { Computation, SolveInput } from '../compute-types';
import { surveyOf } from './survey';

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
  return { ok: true, outcome: { kind: 'solve', solve, setup, reconcile: solve.status === 'failed' ? null : reconcile(setup, solve, input.around) } };
};
