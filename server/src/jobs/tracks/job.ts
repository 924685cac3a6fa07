import { mountPackage } from '@mesure/contract';
import { ApiProblem } from '../../http/problem';
import type { Job } from '../job';

/** Features of a take's clip. What was recorded of focal length and lens is left out: a record that is wrong must make no track wrong. */
export const tracksJob: Job<'tracks'> = {
  async input({ find, subjectId }) {
    const footage = find('footage', subjectId)?.body;
    if (!footage) throw new ApiProblem('NOT_FOUND', 'There is no such clip.');
    const take = find('take', footage.takeId)?.body;
    if (!take) throw new ApiProblem('NOT_READY', 'The take of this clip is hidden. Bring it back first.');
    const pack = find('package', take.packageId);
    const mounted = pack ? mountPackage(pack.body, find) : null;
    const { file, firstFrame, most, masks, marks } = footage;
    return { kind: 'tracks', file, firstFrame, most, masks, marks, squeeze: mounted && !('missing' in mounted) ? mounted.lens.squeeze : 1 };
  },
};
