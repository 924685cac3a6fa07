import { measuredChart, opticsOf } from '@mesure/contract';
import { ApiProblem } from '../../http/problem';
import type { Job } from '../job';

/** A grid plate: its corners, and the lens that they show; or distortion that was made elsewhere, as one. */
export const gridJob: Job<'grid'> = {
  async input({ find, mounted, subjectId }) {
    const plate = find('plate', subjectId)?.body;
    if (!plate) throw new ApiProblem('NOT_FOUND', 'There is no such plate.');
    const m = mounted(plate.packageId);
    return {
      kind: 'grid',
      file: plate.picture,
      setup: opticsOf(m, plate.focalMm),
      chart: plate.chart ?? 'chequer',
      start: plate.start ?? null,
      dropped: plate.dropped ?? [],
      measured: measuredChart(plate, m.lens),
      ...(plate.given ? { given: plate.given } : {}),
    };
  },
};
