import { defineKind } from './define';

/** What a remark may be about. */
export const REMARKED = ['take', 'setup', 'plate', 'tie', 'fact'] as const;

/** What a solver or supervisor leaves on a take or reading; it stands until somebody answers. */
export interface RemarkBody {
  about: (typeof REMARKED)[number];
  aboutId: string;
  /** the field of it that is meant; null: the whole */
  field: string | null;
  text: string;
  by: string;
  at: string;
  answer: { text: string; by: string; at: string } | null;
}

export const remarkKind = defineKind<RemarkBody>({
  noun: 'remark',
  tell: (b) => (b.text.length > 40 ? `${b.text.slice(0, 39)}…` : b.text),
  fields: { about: 'what it is about', aboutId: 'which one', field: 'field', text: 'text', by: 'by', at: 'time', answer: 'answer' },
  schema: ({ Joi, id, at, name, oneOf }) => {
    const words = Joi.string().trim().min(1).max(1000).required();
    return Joi.object({
      about: oneOf(REMARKED),
      aboutId: id.required(),
      field: Joi.string().max(40).allow(null).required(),
      text: words,
      by: name.required(),
      at: at.required(),
      answer: Joi.object({ text: words, by: name.required(), at: at.required() }).allow(null).required(),
    });
  },
  references: { aboutId: REMARKED.join('|') },
  merge: {},
  signs: ['', 'answer'],
  writes: 'remark',
  hides: 'remark',
  leaves: 'remarks.csv',
});
