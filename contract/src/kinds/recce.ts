import type { PhotoLength, PictureDetail } from '@mesure/core';
import type { MeasuredLength, FileRef } from './shared';
import { defineKind } from './define';

/** A photo of a set with lengths that were measured in it: a beginning where there is no plan. */
export interface RecceBody {
  setupId: string;
  picture: FileRef;
  widthPx: number;
  heightPx: number;
  /** as the file or a person says, by the diagonal of 36 × 24 mm; null: nobody knows */
  focal35Mm: number | null;
  /** px of the photo */
  lengths: { kind: PhotoLength['kind']; a: { x: number; y: number }; b: { x: number; y: number }; length: MeasuredLength }[];
  /** what it offers a tracker; null where no device could look at it */
  detail: PictureDetail | null;
  shotAt: string;
}

export const recceKind = defineKind<RecceBody>({
  noun: 'photo of the set',
  tell: (b) => b.picture.name,
  fields: { setupId: 'setup', picture: 'picture', widthPx: 'width', heightPx: 'height', focal35Mm: 'focal length by 36 × 24', lengths: 'known lengths', detail: 'detail', shotAt: 'time' },
  schema: ({ Joi, id, at, file, sizePx, px, length }) =>
    Joi.object({
      setupId: id.required(),
      picture: file.required(),
      widthPx: sizePx,
      heightPx: sizePx,
      focal35Mm: Joi.number().min(4).max(3000).allow(null).required(),
      lengths: Joi.array()
        .items(
          Joi.object({
            kind: Joi.string().valid('ground', 'upright').required(),
            a: Joi.object({ x: px.required(), y: px.required() }).required(),
            b: Joi.object({ x: px.required(), y: px.required() }).required(),
            length: Joi.object({ ...length, valueM: Joi.number().greater(0).max(10_000).required() }).required(),
          }),
        )
        .max(60)
        .required(),
      detail: Joi.object({ corners: Joi.number().integer().min(0).max(1e6).required(), spread: Joi.number().min(0).max(1).required() })
        .allow(null)
        .required(),
      shotAt: at.required(),
    }),
  references: { setupId: 'setup' },
  merge: {},
  writes: 'record',
  hides: 'record',
  leaves: 'setups/: the picture; what was drawn from it stands in the plan',
});
