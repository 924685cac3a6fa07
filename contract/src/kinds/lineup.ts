import { renamedInPicture, type FileRef, type PointedMark } from './shared';
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
  marks: PointedMark[];
  focal: (typeof LINEUP_FOCAL)[number];
  stood: (typeof LINEUP_STOOD)[number];
  shotAt: string;
}

export const lineupKind = defineKind<LineupBody>({
  noun: 'lined-up picture',
  tell: (b) => b.picture.name,
  fields: { takeId: 'take', picture: 'picture', widthPx: 'width', heightPx: 'height', marks: 'marks', focal: 'focal length', stood: 'where the camera stood', shotAt: 'time' },
  schema: ({ Joi, id, at, file, sizePx, pointedMarks }) =>
    Joi.object({
      takeId: id.required(),
      picture: file.required(),
      widthPx: sizePx,
      heightPx: sizePx,
      marks: pointedMarks.required(),
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
  renamed: renamedInPicture,
  writes: 'give',
  hides: 'give',
  leaves: 'takes/: the picture, its marks, and where the camera stood by it',
});
