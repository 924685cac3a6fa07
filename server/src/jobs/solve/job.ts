import { netInputOf, recordedSetup } from '@mesure/contract';
import { ApiProblem } from '../../http/problem';
import type { Job } from '../job';
import { lensEvidence } from './lens-evidence';

/** A test solve of a take: its tracks, by what was recorded of it. */
export const solveJob: Job<'solve'> = {
  async input({ db, productionId, find, all, mounted, subjectId, choice }) {
    const take = find('take', subjectId)?.body;
    if (!take) throw new ApiProblem('NOT_FOUND', 'There is no such take.');
    if (!take.tracks) throw new ApiProblem('NOT_READY', 'The take has no tracks yet. Give it a tracks file first.');
    const setup = find('setup', take.setupId)?.body;
    if (!setup) throw new ApiProblem('NOT_READY', 'The setup of this take is hidden. Bring it back, or move the take to another one.');
    const m = mounted(take.packageId);
    const evidence = await lensEvidence(db, productionId, m, all, find);
    const ties = all('tie')
      .map((t) => t.body)
      .filter((t) => t.setId === setup.setId);
    const set = find('set', setup.setId)?.body;
    const facts = all('fact')
      .map((f) => f.body)
      .filter((f) => f.setId === setup.setId);
    // without a height the net does not know the floor, and its places say no more than its ties
    const net = set && facts.some((f) => f.what === 'height' || f.what === 'point') ? netInputOf(set, ties, facts) : null;
    return {
      kind: 'solve',
      net: net && { ...net, near: [...(net.near ?? [])] },
      file: take.tracks,
      trim: choice.trim ?? false,
      // only where it was said, so that solves from before it could be said stay what they were
      ...(take.tracksCounted ? { counting: take.tracksCounted } : {}),
      setup: recordedSetup({ mounted: m, take, setup, ties, ...evidence, focalMode: choice.focalMode ?? 'free', findDistortion: choice.findDistortion ?? false }),
    };
  },
};
