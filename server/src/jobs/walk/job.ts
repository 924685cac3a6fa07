import { kitAround, mountPackage, walkOf, walkToPlace } from '@mesure/contract';
import { ApiProblem } from '../../http/problem';
import type { Job } from '../job';
import { netOf } from '../solve/recorded';

/** The pictures of a setup's stills walk, placed together. A picture that was given again counts by its last one. */
export const walkJob: Job<'walk'> = {
  async input({ find, all, subjectId }) {
    const setup = find('setup', subjectId)?.body;
    if (!setup) throw new ApiProblem('NOT_FOUND', 'There is no such setup.');
    const walk = walkOf(all('plan').find((p) => p.body.setupId === subjectId)?.body ?? null);
    if (!walk) throw new ApiProblem('NOT_READY', 'No stills walk is laid for this setup. Lay one in Plan first.');
    const stills = all('still').flatMap((s) => (s.body.setupId === subjectId ? [{ ...s.body, id: s.id }] : []));
    const answer = walkToPlace(walk, stills, find);
    if ('problem' in answer) throw new ApiProblem('NOT_READY', answer.problem);
    const ties = all('tie').flatMap((t) => (t.body.setId === setup.setId ? [t.body] : []));
    const pack = find('package', walk.packageId)?.body;
    const mounted = pack ? mountPackage(pack, find) : null;
    return {
      kind: 'walk',
      ...answer.asked,
      ties,
      net: netOf(setup.setId, { find, all }, ties),
      ...(mounted && !('missing' in mounted) ? { around: kitAround(mounted, { lenses: all('lens'), adapters: all('adapter') }) } : {}),
    };
  },
};
