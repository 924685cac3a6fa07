import { defineKind } from './define';

export const UNITS = ['main', 'second'] as const;
/** One shooting day of one unit. */
export interface DayBody {
  name: string;
  date: string;
  /** missing: the main unit */
  unit?: (typeof UNITS)[number];
  /** signed as complete; what changes later is marked */
  closed?: { by: string; at: string } | null;
}

export const dayKind = defineKind<DayBody>({
  noun: 'day',
  tell: (b) => b.name,
  fields: { name: 'name', date: 'date', unit: 'unit', closed: 'closed' },
  schema: ({ Joi, name, at }) =>
    Joi.object({
      name: name.required(),
      date: Joi.string()
        .pattern(/^\d{4}-\d{2}-\d{2}$/)
        .required(),
      unit: Joi.string().valid(...UNITS),
      closed: Joi.object({ by: name.required(), at: at.required() }).allow(null),
    }),
  references: {},
  merge: {},
  writes: 'record',
  hides: 'direct',
  leaves: 'the name of the zip',
});
