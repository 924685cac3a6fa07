import type { FileRef } from './shared';
import { defineKind } from './define';

/** As many as a clip keeps. */
export const MOST_MASKS = 40;

/** What must not be tracked: an outline on one frame or several, moved evenly between them; px of the clip's picture. */
export interface FootageMask {
  id: string;
  name: string;
  keys: { index: number; outline: [number, number][] }[];
  /** it holds from here to there; null: over the whole clip */
  from: number | null;
  to: number | null;
}
/** A feature that somebody pointed out, on one frame; the same name on another frame puts it right there. Px of the clip's picture. */
export interface FootageMark {
  id: string;
  name: string;
  index: number;
  x: number;
  y: number;
}

/** The clip of a take as it is tracked. Places in it count from 0. */
export interface FootageBody {
  takeId: string;
  file: FileRef;
  /** of its picture, upright */
  widthPx: number;
  heightPx: number;
  frames: number;
  fps: number | null;
  /** of its first frame */
  timecode: string | null;
  /** number of its first frame among the take's frames */
  firstFrame: number;
  /** features at once; null: as many as usual */
  most: number | null;
  masks: FootageMask[];
  marks: FootageMark[];
}

export const footageKind = defineKind<FootageBody>({
  noun: 'clip',
  tell: (b) => b.file.name,
  fields: {
    takeId: 'take',
    file: 'file',
    widthPx: 'width of the picture',
    heightPx: 'height of the picture',
    frames: 'number of frames',
    fps: 'frame rate',
    timecode: 'timecode of the first frame',
    firstFrame: 'number of the first frame',
    most: 'features at once',
    masks: 'masks',
    marks: 'marked features',
  },
  schema: ({ Joi, id, name, file, px, sizePx }) => {
    const index = Joi.number().integer().min(0).max(100_000);
    const corner = Joi.array().ordered(px.required(), px.required()).length(2);
    return Joi.object({
      takeId: id.required(),
      file: file.required(),
      widthPx: sizePx,
      heightPx: sizePx,
      frames: Joi.number().integer().min(1).max(100_000).required(),
      fps: Joi.number().greater(0).max(2000).allow(null).required(),
      timecode: Joi.string()
        .pattern(/^\d{2}:\d{2}:\d{2}[:;]\d{2,3}$/)
        .allow(null)
        .required(),
      firstFrame: Joi.number().integer().min(0).max(10_000_000).required(),
      most: Joi.number().integer().min(8).max(2000).allow(null).required(),
      masks: Joi.array()
        .items(
          Joi.object({
            id: id.required(),
            name: name.required(),
            keys: Joi.array()
              .items(Joi.object({ index: index.required(), outline: Joi.array().items(corner).min(3).max(200).required() }))
              .min(1)
              .max(200)
              .required(),
            from: index.allow(null).required(),
            to: index.allow(null).required(),
          }),
        )
        .unique('id')
        .max(MOST_MASKS)
        .required(),
      marks: Joi.array()
        .items(Joi.object({ id: id.required(), name: Joi.string().trim().min(1).max(40).required(), index: index.required(), x: px.required(), y: px.required() }))
        .unique('id')
        .unique((a?: FootageMark, b?: FootageMark) => a?.name !== undefined && a?.name === b?.name && a?.index === b?.index)
        .max(500)
        .required(),
    });
  },
  references: { takeId: 'take' },
  merge: { lists: { masks: 'id', marks: 'id' } },
  // both names on one frame: the place that has the name already stays
  renamed: (b, from, to) => ({ ...b, marks: b.marks.flatMap((m) => (m.name !== from ? [m] : b.marks.some((o) => o.name === to && o.index === m.index) ? [] : [{ ...m, name: to }])) }),
  writes: 'give',
  hides: 'give',
  leaves: 'nothing of itself: its tracks leave with the take',
});
