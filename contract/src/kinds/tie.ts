import { renaming, type MeasuredLength } from './shared';
import { defineKind } from './define';

export interface TieBody {
  setId: string;
  from: string;
  to: string;
  length: MeasuredLength;
  instrument: string;
  measuredAt: string;
}

export const tieKind = defineKind<TieBody>({
  noun: 'tie',
  tell: (b) => `${b.from} – ${b.to}`,
  fields: { setId: 'set', from: 'from', to: 'to', length: 'length', instrument: 'instrument', measuredAt: 'time' },
  schema: ({ Joi, id, mark, at, length }) =>
    Joi.object({
      setId: id.required(),
      from: mark.required(),
      to: mark.invalid(Joi.ref('from')).required().messages({ 'any.invalid': 'a tie needs two different marks' }),
      length: Joi.object(length).required(),
      instrument: Joi.string().max(60).required(),
      measuredAt: at.required(),
    }),
  references: { setId: 'set' },
  merge: {},
  renamed(body, from, to) {
    const now = renaming(from, to);
    const tie = { ...body, from: now(body.from), to: now(body.to) };
    return tie.from === tie.to ? null : tie;
  },
  writes: 'record',
  hides: 'record',
  leaves: 'sets/: ties.csv',
});
