import { surveyedAnchors } from '@mesure/contract';
import { reconcile, solvePair, solveTracks, type SolveProgress } from '@mesure/core';
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
  uncertainty: [0.9, 0.91],
  'surveyed places': [0.91, 0.92],
  'other starts': [0.92, 1],
  'other readouts': [0.92, 1],
  'other lenses': [0.92, 1],
};

export const computeSolve: Computation<SolveInput> = ({ input, given }, report) => {
  const { tracks } = readTracksCsv(textOf(given.bytes, input.file.name), input.file.name);
  const setup = surveyedAnchors(input.setup, surveyOf(input.net), new Set(tracks.map((t) => t.track)));
  let coarse = '';
  const onProgress = ({ stage, done, total, coarse: first }: SolveProgress): void => {
    const [from, to] = STAGES[stage] ?? [0, 1];
    // where the focal length is held, or a few frames do not tell it, the first answer says only how well the tracks fit
    if (first) coarse = `; first answer, coarse: ${first.sigmaFocalMm === null ? '' : `${first.focalMm.toFixed(1)} ± ${first.sigmaFocalMm.toFixed(1)} mm, `}errors of ${first.noisePx.toFixed(1)} px`;
    report(from + ((to - from) * done) / Math.max(1, total), `${stage === 'frames placed' && total > 1 ? `frames placed ${done} of ${total}` : stage}${coarse}`);
  };
  const { witness } = input;
  const solve = witness
    ? solvePair(
        tracks,
        setup,
        { ...witness, tracks: readTracksCsv(textOf(given.witness!, witness.file.name), witness.file.name).tracks, shared: new Set(witness.shared) },
        { trim: input.trim, counting: input.counting, onProgress },
      )
    : solveTracks(tracks, setup, { trim: input.trim, counting: input.counting, mustAsk: true, onProgress });
  return {
    ok: true,
    outcome: { kind: 'solve', solve, setup, ...(witness ? { witnessSetup: witness.setup } : {}), reconcile: solve.status === 'failed' ? null : reconcile(setup, solve, input.around) },
  };
};
