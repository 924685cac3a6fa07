import { renaming, type FileRef } from './shared';
import { defineKind } from './define';

export const LINEUP_FOCAL = ['free', 'guided', 'held'] as const;
/** Where the camera stood while the picture was shot: where the take's height was taken, where the take ends, or somewhere that nothing was read at. */
export const LINEUP_STOOD = ['height', 'end', 'elsewhere'] as const;

/** One picture of a take, as its camera recorded it, in which marks of the set are pointed out: where the camera stood follows from their places. */
export interface LineupBody {
  takeId: string;
  picture: FileRef;
  widthPx: number;
  heightPx: number;
  /** px of the picture */
  marks: { mark: string; x: number; y: number }[];
  focal: (typeof LINEUP_FOCAL)[number];
  stood: (typeof LINEUP_STOOD)[number];
  shotAt: string;
}

export const lineupKind = defineKind<LineupBody>({
  noun: 'lined-up picture',
  tell: (b) => b.picture.name,
  fields: { takeId: 'take', picture: 'picture', widthPx: 'width', heightPx: 'height', marks: 'marks', focal: 'focal length', stood: 'where the camera stood', shotAt: 'time' },
  schema: ({ Joi, id, mark, at, file, sizePx, px }) =>
    Joi.object({
      takeId: id.required(),
      picture: file.required(),
      widthPx: sizePx,
      heightPx: sizePx,
      marks: Joi.array()
        .items(Joi.object({ mark: mark.required(), x: px.required(), y: px.required() }))
        .unique('mark')
        .max(200)
        .required(),
      focal: Joi.string()
        .valid(...LINEUP_FOCAL)
        .required(),
      stood: Joi.string()
        .valid(...LINEUP_STOOD)
        .required(),
      shotAt: at.required(),
    }),
  references: { takeId: 'take' },
  merge: { lists: { marks: 'mark' } },
  // where both are pointed out, the one that stays is right
  renamed: (body, from, to) => ({
    ...body,
    marks: body.marks.some((m) => m.mark === to) ? body.marks.filter((m) => m.mark !== from) : body.marks.map((m) => ({ ...m, mark: renaming(from, to)(m.mark) })),
  }),
  writes: 'give',
  hides: 'give',
  leaves: 'takes/: the picture, its marks, and where the camera stood by it',
});
