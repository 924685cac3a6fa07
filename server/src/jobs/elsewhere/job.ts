import { ApiProblem } from '../../http/problem';
import type { Job } from '../job';
import { recordedOf } from '../solve/recorded';

/** A solve of another program, laid against what was recorded of its take. */
export const elsewhereJob: Job<'elsewhere'> = {
  async input(context) {
    const { find, subjectId } = context;
    const given = find('elsewhere', subjectId)?.body;
    if (!given) throw new ApiProblem('NOT_FOUND', 'There is no such solve.');
    const take = find('take', given.takeId)?.body;
    if (!take) throw new ApiProblem('NOT_READY', 'The take of this solve is hidden. Bring it back first.');
    const { file, points, reading, order } = given;
    return { kind: 'elsewhere', file, points, reading, order, ...(await recordedOf(context, take, { focalMode: 'free' })) };
  },
};
