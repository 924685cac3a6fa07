import { DISTORTION_MODELS, type DistortionModel } from '@mesure/core';
import type { FileRef } from './shared';
import { defineKind } from './define';

/** A picture with edges that are straight in reality, or with a thing of known shape; where no grid was shot. */
export interface EdgesBody {
  lensId: string;
  packageId: string;
  picture: FileRef;
  widthPx: number;
  heightPx: number;
  focalMm: number;
  focusM: number | null;
  model: DistortionModel;
  /** px of the picture; marks with the same number lie on one edge */
  marks: { edge: number; x: number; y: number }[];
  lineUp: LineUp | null;
  shotAt: string;
}
/** A circle or a square in reality, laid over the picture by hand, px. */
export interface LineUp {
  shape: 'circle' | 'square';
  x: number;
  y: number;
  widthPx: number;
  heightPx: number;
}

export const edgesKind = defineKind<EdgesBody>({
  noun: 'edge lines',
  tell: (b) => b.picture.name,
  fields: {
    lensId: 'lens',
    packageId: 'package',
    picture: 'picture',
    widthPx: 'width',
    heightPx: 'height',
    focalMm: 'focal length',
    focusM: 'focus distance',
    model: 'lens model',
    marks: 'marked points',
    lineUp: 'known shape',
    shotAt: 'time',
  },
  schema: ({ Joi, id, focalMm, at, file, sizePx, px }) =>
    Joi.object({
      lensId: id.required(),
      packageId: id.required(),
      picture: file.required(),
      widthPx: sizePx,
      heightPx: sizePx,
      focalMm: focalMm.required(),
      focusM: Joi.number().greater(0).max(10_000).allow(null).required(),
      model: Joi.string()
        .valid(...DISTORTION_MODELS)
        .required(),
      marks: Joi.array()
        .items(Joi.object({ edge: Joi.number().integer().min(1).max(200).required(), x: px.required(), y: px.required() }))
        .max(5000)
        .required(),
      lineUp: Joi.object({
        shape: Joi.string().valid('circle', 'square').required(),
        x: px.required(),
        y: px.required(),
        widthPx: Joi.number().greater(1).max(32_768).required(),
        heightPx: Joi.number().greater(1).max(32_768).required(),
      })
        .allow(null)
        .required(),
      shotAt: at.required(),
    }),
  references: { lensId: 'lens', packageId: 'package' },
  merge: {},
  writes: 'record',
  hides: 'record',
  leaves: 'nothing by itself: its fit stands in the lens book',
});
