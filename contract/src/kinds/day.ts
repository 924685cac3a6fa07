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
        .required()
        .custom((value: string, helpers) => (isDate(value) ? value : helpers.message({ custom: `there is no date ${value}` })))
        .messages({ 'string.pattern.base': 'write the date as 2026-11-24' }),
      unit: Joi.string().valid(...UNITS),
      closed: Joi.object({ by: name.required(), at: at.required() }).allow(null),
    }),
  references: {},
  merge: {},
  signs: ['closed'],
  writes: 'record',
  hides: 'direct',
  leaves: 'the name of the zip',
});

/** In the calendar: the 30th of February is in the pattern, and in no year. */
function isDate(text: string): boolean {
  const at = Date.parse(`${text}T00:00:00Z`);
  return !Number.isNaN(at) && new Date(at).toISOString().slice(0, 10) === text;
}
