import { LENGTH_UNITS, type LengthUnit } from '@mesure/core';
import { defineKind } from './define';

/** How slates are numbered: by scene with a letter a setup (41A, 41B), or by one number that runs through the film (112, 113). */
export const SLATINGS = ['scene', 'running'] as const;
export type Slating = (typeof SLATINGS)[number];

/** What holds for the whole film. One to a production. */
export interface ProductionBody {
  name: string;
  fps: number;
  /** in which the crew measures, until a person chooses another one */
  lengthUnit: LengthUnit;
  /** IANA name, such as Europe/Lisbon */
  timeZone: string;
  slating: Slating;
  /** the demo film, which one action removes */
  demo?: boolean;
}

export const productionKind = defineKind<ProductionBody>({
  noun: 'production',
  tell: (b) => b.name,
  fields: { name: 'name', fps: 'frame rate', lengthUnit: 'unit of lengths', timeZone: 'time zone', slating: 'slate numbering', demo: 'demo film' },
  schema: ({ Joi, name }) =>
    Joi.object({
      name: name.required(),
      fps: Joi.number().min(1).max(1000).required(),
      lengthUnit: Joi.string()
        .valid(...LENGTH_UNITS)
        .required(),
      timeZone: Joi.string()
        .max(60)
        .required()
        .custom((value: string, helpers) => (isTimeZone(value) ? value : helpers.message({ custom: 'is no time zone; one is written Europe/Lisbon' }))),
      slating: Joi.string()
        .valid(...SLATINGS)
        .required(),
      demo: Joi.boolean(),
    }),
  references: {},
  merge: {},
  writes: 'direct',
  hides: 'people',
  leaves: 'its name and frame rate, in the report',
});

function isTimeZone(name: string): boolean {
  try {
    new Intl.DateTimeFormat('en', { timeZone: name });
    return true;
  } catch {
    return false;
  }
}
