import type { PictureNotes } from '@mesure/core';
import type { MeasuredLength, FileRef } from './shared';
import { defineKind } from './define';

export const CHARTS = ['chequer', 'ruled'] as const;
export interface PlateBody {
  lensId: string;
  packageId: string;
  picture: FileRef;
  focalMm: number;
  focusM: number | null;
  cellM: number;
  /** default chequer */
  chart?: (typeof CHARTS)[number];
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
    chart: 'chart',
    shotAt: 'time',
    notes: 'what the file says',
    chartDistance: 'distance of the chart',
    start: 'where the search starts',
    dropped: 'corners taken out',
  },
  schema: ({ Joi, id, focalMm, at, file, px, notes, length }) =>
    Joi.object({
      lensId: id.required(),
      packageId: id.required(),
      picture: file.required(),
      focalMm: focalMm.required(),
      focusM: Joi.number().greater(0).max(10_000).allow(null).required(),
      cellM: Joi.number().greater(0).max(5).required(),
      chart: Joi.string().valid(...CHARTS),
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
