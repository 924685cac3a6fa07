import { HEIGHT_PLACES, type HeightPlace } from './shared';
import { defineKind } from './define';

export interface PackageBody {
  camera: string;
  bodyId: string;
  modeId: string;
  lensId: string;
  adapterId: string | null;
  /** a second one behind the first; their factors multiply */
  secondAdapterId?: string | null;
  focalMm: number;
  /** mounted so from this moment on; missing: from the beginning */
  since?: string | null;
  /** until this moment, when something else went onto the camera; missing: it is on it now */
  until?: string | null;
  /** from where a height is taken up to the entrance pupil, measured once for this build; missing: the usual ones */
  offsetsM?: Partial<Record<HeightPlace, number>>;
}

export const packageKind = defineKind<PackageBody>({
  noun: 'package',
  tell: (b) => `${b.camera}-cam`,
  fields: {
    camera: 'camera',
    bodyId: 'body',
    modeId: 'recording mode',
    lensId: 'lens',
    adapterId: 'adapter',
    secondAdapterId: 'second adapter',
    focalMm: 'focal length as marked',
    since: 'mounted since',
    until: 'mounted until',
    offsetsM: 'height offsets',
  },
  schema: ({ Joi, id, focalMm, at }) =>
    Joi.object({
      camera: Joi.string().trim().min(1).max(8).required(),
      bodyId: id.required(),
      modeId: id.required(),
      lensId: id.required(),
      adapterId: id.allow(null).required(),
      secondAdapterId: id.allow(null),
      focalMm: focalMm.required(),
      since: at.allow(null),
      until: at.allow(null),
      offsetsM: Joi.object(Object.fromEntries(HEIGHT_PLACES.map((place) => [place, Joi.number().min(-5).max(5)]))),
    }),
  references: { bodyId: 'body', lensId: 'lens', adapterId: 'adapter', secondAdapterId: 'adapter' },
  merge: { maps: ['offsetsM'] },
  writes: 'record',
  hides: 'record',
  leaves: 'the kit list: what was mounted for each take',
});
