import { renaming, type FileRef } from './shared';
import { defineKind } from './define';

/** A photo of a set on which marks are pointed out, so that others find them again. */
export interface PhotoBody {
  setId: string;
  picture: FileRef;
  widthPx: number;
  heightPx: number;
  /** px of the photo */
  marks: { mark: string; x: number; y: number }[];
  shotAt: string;
}

export const photoKind = defineKind<PhotoBody>({
  noun: 'photo of the set',
  tell: (b) => b.picture.name,
  fields: { setId: 'set', picture: 'picture', widthPx: 'width', heightPx: 'height', marks: 'marks', shotAt: 'time' },
  schema: ({ Joi, id, mark, at, file, sizePx, px }) =>
    Joi.object({
      setId: id.required(),
      picture: file.required(),
      widthPx: sizePx,
      heightPx: sizePx,
      marks: Joi.array()
        .items(Joi.object({ mark: mark.required(), x: px.required(), y: px.required() }))
        .unique('mark')
        .max(200)
        .required(),
      shotAt: at.required(),
    }),
  references: { setId: 'set' },
  merge: { lists: { marks: 'mark' } },
  // where both are pointed out, the one that stays is right
  renamed: (body, from, to) => ({
    ...body,
    marks: body.marks.some((m) => m.mark === to) ? body.marks.filter((m) => m.mark !== from) : body.marks.map((m) => ({ ...m, mark: renaming(from, to)(m.mark) })),
  }),
  writes: 'record',
  hides: 'record',
  leaves: 'sets/: the photo with its marks',
});
