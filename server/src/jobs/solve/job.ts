import { ApiProblem } from '../../http/problem';
import type { Job } from '../job';
import { recordedOf } from './recorded';
import { witnessOf } from './witness';

/** A test solve of a take: its tracks, by what was recorded of it. */
export const solveJob: Job<'solve'> = {
  async input(context) {
    const { find, subjectId, choice } = context;
    const take = find('take', subjectId)?.body;
    if (!take) throw new ApiProblem('NOT_FOUND', 'There is no such take.');
    if (!take.tracks) throw new ApiProblem('NOT_READY', 'The take has no tracks yet. Give it a tracks file first.');
    const recorded = await recordedOf(context, take, choice);
    const witness = choice.withWitness ? await witnessOf(context, take, choice.withWitness, choice) : null;
    return {
      kind: 'solve',
      file: take.tracks,
      trim: choice.trim ?? false,
      // only where it was said, so that solves from before it could be said stay what they were
      ...(take.tracksCounted ? { counting: take.tracksCounted } : {}),
      ...recorded,
      ...(witness ? { witness: witness.snapshot, setup: { ...recorded.setup, ...(witness.noted ? { witness: witness.noted } : {}) } } : {}),
    };
  },
};
