import { LENGTH_UNITS, type LengthUnit } from '@mesure/core';
import { defineKind } from './define';

/** What one person prefers. Under the person's id. */
export interface PersonBody {
  lengthUnit: LengthUnit;
}

export const personKind = defineKind<PersonBody>({
  noun: 'preferences',
  tell: () => 'of a person',
  fields: { lengthUnit: 'unit of lengths' },
  schema: ({ Joi }) =>
    Joi.object({
      lengthUnit: Joi.string()
        .valid(...LENGTH_UNITS)
        .required(),
    }),
  references: {},
  merge: {},
  writes: 'own',
  hides: 'own',
  leaves: 'nothing: it is the person’s own',
});
