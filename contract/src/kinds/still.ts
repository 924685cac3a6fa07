import type { PictureNotes, StillLook } from '@mesure/core';
import { renamedInPicture, type FileRef, type PointedMark } from './shared';
import { defineKind } from './define';

/** One picture of a stills walk, taken from one of its planned stations. */
export interface StillBody {
  setupId: string;
  /** index of the station in the plan's walk */
  station: number;
  picture: FileRef;
  widthPx: number;
  heightPx: number;
  /** what the file says of itself */
  notes: PictureNotes | null;
  /** what a device saw in it; null where none could open it */
  look: StillLook | null;
  /** marks of the set that are pointed out in it, px of the upright picture; missing: none */
  marks?: PointedMark[];
  shotAt: string;
  /** when it was put to its station: of several the last one given counts, whatever their clocks say */
  givenAt: string;
}

export const stillKind = defineKind<StillBody>({
  noun: 'still of the walk',
  tell: (b) => b.picture.name,
  fields: {
    setupId: 'setup',
    station: 'station',
    picture: 'picture',
    widthPx: 'width',
    heightPx: 'height',
    notes: 'what the file says',
    look: 'what was seen in it',
    marks: 'marks',
    shotAt: 'time',
    givenAt: 'time given',
  },
  schema: ({ Joi, id, at, file, sizePx, spreadPx, notes, stationIndex, pointedMarks }) =>
    Joi.object({
      setupId: id.required(),
      station: stationIndex,
      picture: file.required(),
      widthPx: sizePx,
      heightPx: sizePx,
      notes: notes.allow(null).required(),
      look: Joi.object({
        widthPx: sizePx,
        heightPx: sizePx,
        zones: Joi.array()
          .items(Joi.object({ downPx: spreadPx, acrossPx: spreadPx }))
          .length(9)
          .required(),
        burntShare: Joi.number().min(0).max(1).required(),
        lostShare: Joi.number().min(0).max(1).required(),
        features: Joi.string().base64().allow('').max(20_000).required(),
      })
        .allow(null)
        .required(),
      marks: pointedMarks,
      shotAt: at.required(),
      givenAt: at.required(),
    }),
  references: { setupId: 'setup' },
  merge: { lists: { marks: 'mark' } },
  renamed: (body, from, to) => (body.marks ? renamedInPicture({ ...body, marks: body.marks }, from, to) : body),
  writes: 'record',
  hides: 'record',
  leaves: 'stills/: the picture, by station; where it was taken, by the pictures themselves',
});
