import { CHART_KINDS, DIRECTIONS, GIVEN_FORMULAS, NORMALISERS, WAYS, type ChartKind, type GivenCoefficients, type MapReading, type PictureNotes } from '@mesure/core';
import type { MeasuredLength, FileRef } from './shared';
import { defineKind } from './define';

/** How distortion that was made elsewhere is read. */
export type GivenLens = ({ what: 'map' } & MapReading) | ({ what: 'coefficients' } & GivenCoefficients);

export interface PlateBody {
  lensId: string;
  packageId: string;
  picture: FileRef;
  focalMm: number;
  focusM: number | null;
  /** null where no chart was photographed: see `given` */
  cellM: number | null;
  /** distortion that was made elsewhere: the file is a map, or coefficients, and this says how it is read. Missing or null: a picture of a chart */
  given?: GivenLens | null;
  /** default chequer */
  chart?: ChartKind;
  shotAt: string;
  /** what the file says of itself */
  notes?: PictureNotes | null;
  /** chart to sensor mark, measured on the day; with the cell it gives the effective focal length */
  chartDistance?: MeasuredLength | null;
  /** a cell corner and the next one along a row, px: where the search starts when it finds nothing by itself */
  start?: ChartStart | null;
  /** places of found corners that a person took out, px */
  dropped?: { x: number; y: number }[];
}
export interface ChartStart {
  x: number;
  y: number;
  nextX: number;
  nextY: number;
}

export const plateKind = defineKind<PlateBody>({
  noun: 'grid plate',
  tell: (b) => b.picture.name,
  fields: {
    lensId: 'lens',
    packageId: 'package',
    picture: 'picture',
    focalMm: 'focal length',
    focusM: 'focus distance',
    cellM: 'cell of the chart',
    given: 'how it is read',
    chart: 'chart',
    shotAt: 'time',
    notes: 'what the file says',
    chartDistance: 'distance of the chart',
    start: 'where the search starts',
    dropped: 'corners taken out',
  },
  schema: ({ Joi, id, focalMm, at, file, px, notes, length, oneOf }) =>
    Joi.object({
      lensId: id.required(),
      packageId: id.required(),
      picture: file.required(),
      focalMm: focalMm.required(),
      focusM: Joi.number().greater(0).max(10_000).allow(null).required(),
      cellM: Joi.number()
        .greater(0)
        .max(5)
        .required()
        .when('given', { is: Joi.object().required(), then: Joi.valid(null) }),
      given: Joi.alternatives(
        Joi.object({ what: Joi.string().valid('map').required(), way: oneOf(WAYS), stretch: Joi.number().min(0.1).max(10).required() }),
        Joi.object({
          what: Joi.string().valid('coefficients').required(),
          formula: oneOf(GIVEN_FORMULAS),
          over: oneOf(NORMALISERS),
          direction: oneOf(DIRECTIONS),
          k: Joi.array().items(Joi.number().min(-1e6).max(1e6)).min(1).max(4).required(),
          p: Joi.array().items(Joi.number().min(-1e6).max(1e6)).length(2).required(),
          center: Joi.array().items(px).length(2).required(),
          focalMm: focalMm.allow(null).required(),
        }),
      ).allow(null),
      chart: Joi.string().valid(...CHART_KINDS),
      shotAt: at.required(),
      notes: notes.allow(null),
      chartDistance: Joi.object(length).allow(null),
      start: Joi.object({ x: px.required(), y: px.required(), nextX: px.required(), nextY: px.required() }).allow(null),
      dropped: Joi.array()
        .items(Joi.object({ x: px.required(), y: px.required() }))
        .max(20_000),
    }),
  references: { lensId: 'lens', packageId: 'package' },
  merge: {},
  writes: 'record',
  hides: 'record',
  leaves: 'lenses/: its distortion, and the picture',
});
