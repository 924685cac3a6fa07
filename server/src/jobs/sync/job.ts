import { ApiProblem } from '../../http/problem';
import type { Job } from '../job';

/** Two cameras of a take, laid over each other by their sound. */
export const syncJob: Job<'sync'> = {
  async input({ find, subjectId }) {
    const sync = find('sync', subjectId)?.body;
    if (!sync) throw new ApiProblem('NOT_FOUND', 'There is no such sync.');
    if (!sync.main || !sync.witness) throw new ApiProblem('NOT_READY', 'Give the sound of both cameras first.');
    return { kind: 'sync', file: sync.main, witness: sync.witness };
  },
};
