import { defineKind } from './define';

/** Why something that a day lacks cannot be had; it leaves in the handover, so that nobody has to ask. */
export interface AbsenceBody {
  dayId: string;
  /** null where it is not a take's */
  takeId: string | null;
  /** which lack it answers, as the plan of the handover names it */
  code: string;
  /** the lack in the words of the moment when it was answered */
  what: string;
  reason: string;
  by: string;
  at: string;
}

export const absenceKind = defineKind<AbsenceBody>({
  noun: 'reason',
  tell: (b) => `${b.what}: ${b.reason}`,
  fields: { dayId: 'day', takeId: 'take', code: 'which lack', what: 'what is missing', reason: 'reason', by: 'by', at: 'time' },
  schema: ({ Joi, id, at, name }) =>
    Joi.object({
      dayId: id.required(),
      takeId: id.allow(null).required(),
      code: Joi.string().trim().min(1).max(400).required(),
      what: Joi.string().trim().min(1).max(400).required(),
      reason: Joi.string().trim().min(1).max(500).required(),
      by: name.required(),
      at: at.required(),
    }),
  references: { dayId: 'day', takeId: 'take' },
  merge: {},
  signs: [''],
  writes: 'record',
  hides: 'record',
  leaves: 'missing.csv',
});
