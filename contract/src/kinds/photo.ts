import { renamedInPicture, type FileRef, type PointedMark } from './shared';
import { defineKind } from './define';

/** A photo of a set on which marks are pointed out, so that others find them again. */
export interface PhotoBody {
  setId: string;
  picture: FileRef;
  widthPx: number;
  heightPx: number;
  /** px of the photo */
  marks: PointedMark[];
  shotAt: string;
}

export const photoKind = defineKind<PhotoBody>({
  noun: 'photo of the set',
  tell: (b) => b.picture.name,
  fields: { setId: 'set', picture: 'picture', widthPx: 'width', heightPx: 'height', marks: 'marks', shotAt: 'time' },
  schema: ({ Joi, id, at, file, sizePx, pointedMarks }) =>
    Joi.object({
      setId: id.required(),
      picture: file.required(),
      widthPx: sizePx,
      heightPx: sizePx,
      marks: pointedMarks.required(),
      shotAt: at.required(),
    }),
  references: { setId: 'set' },
  merge: { lists: { marks: 'mark' } },
  renamed: renamedInPicture,
  writes: 'record',
  hides: 'record',
  leaves: 'marks/: the photo with its marks',
});
