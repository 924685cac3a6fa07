import { opticsOf } from '@mesure/contract';
import { frameLens, isFocusInfinity } from '@mesure/core';
import { ApiProblem } from '../../http/problem';
import { gridOutcomes } from '../grid/outcomes';
import type { Job } from '../job';

/** Both ST maps of a measured plate, and the plate undistorted. */
export const lensFilesJob: Job<'lens-files'> = {
  async input({ db, productionId, find, mounted, subjectId, choice }) {
    const plate = find('plate', subjectId);
    if (!plate) throw new ApiProblem('NOT_FOUND', 'There is no such plate.');
    const [measured] = await gridOutcomes(db, productionId, [plate]);
    const { distortion, overscan } = measured?.report ?? {};
    if (!distortion || !overscan) throw new ApiProblem('NOT_READY', 'The plate has no distortion yet; measure it first.');
    const m = mounted(plate.body.packageId);
    const name = `${m.lens.name} ${plate.body.focalMm}mm${plate.body.focusM ? ` ${isFocusInfinity(plate.body.focusM) ? 'infinity' : `${plate.body.focusM}m`}` : ''}`.replace(/[^\p{L}\p{N}.]+/gu, '_');
    return {
      kind: 'lens-files',
      file: plate.body.picture,
      name,
      lens: frameLens(distortion, opticsOf(m, plate.body.focalMm)),
      overscan,
      mapFormat: choice.mapFormat ?? 'exr',
      ...(plate.body.given ? { noPicture: true } : {}),
    };
  },
};
