import type { Exposure } from '@mesure/core';
import type { FileRef } from './shared';
import { defineKind } from './define';

export const LIGHT_SHOTS = ['panorama', 'grey ball', 'mirror ball'] as const;
/** One light reference that was shot: what, where, when, and where the sun stood then. */
export interface LightShotBody {
  setupId: string;
  what: (typeof LIGHT_SHOTS)[number];
  /** of a panorama: which of the planned places, from 0; null elsewhere */
  place: number | null;
  shotAt: string;
  /** computed for that minute, where the place of the setup is known; azimuth from north, clockwise */
  sun: { azimuthDeg: number; elevationDeg: number } | null;
  note: string;
  /** its pictures; of a panorama one for each exposure and direction */
  pictures?: LightPicture[];
}
export interface LightPicture extends FileRef {
  /** as its file says; null where it does not */
  exposure: Exposure | null;
}

export const lightKind = defineKind<LightShotBody>({
  noun: 'light reference',
  tell: (b) => b.what,
  fields: { setupId: 'setup', what: 'what', place: 'place', shotAt: 'time', sun: 'sun', note: 'note', pictures: 'pictures' },
  schema: ({ Joi, id, at, file, oneOf }) =>
    Joi.object({
      setupId: id.required(),
      what: oneOf(LIGHT_SHOTS),
      place: Joi.number().integer().min(0).max(49).allow(null).required(),
      shotAt: at.required(),
      sun: Joi.object({ azimuthDeg: Joi.number().min(0).max(360).required(), elevationDeg: Joi.number().min(-90).max(90).required() })
        .allow(null)
        .required(),
      note: Joi.string().allow('').max(200).required(),
      pictures: Joi.array()
        .items(
          file.keys({
            exposure: Joi.object({ seconds: Joi.number().greater(0).max(1e6).required(), fNumber: Joi.number().greater(0).max(1e4).required(), iso: Joi.number().greater(0).max(1e8).required() })
              .allow(null)
              .required(),
          }),
        )
        .unique('sha256')
        .max(200),
    }),
  references: { setupId: 'setup' },
  merge: { lists: { pictures: 'sha256' } },
  writes: 'record',
  hides: 'record',
  leaves: 'light-reference.csv, light-pictures.csv, and its pictures',
});
