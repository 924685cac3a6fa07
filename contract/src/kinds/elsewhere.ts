import { FOREIGN_LOOKS, FOREIGN_UNITS, SPACE_UPS, TURN_ORDERS, type ForeignReading, type TurnOrder } from '@mesure/core';
import type { FileRef } from './shared';
import { defineKind } from './define';

/** A camera move of a take that another program solved, with how its file is to be read. */
export interface ElsewhereBody {
  takeId: string;
  file: FileRef;
  /** its points, where they are in a file of their own */
  points: FileRef | null;
  /** null: as the file says, and as usual where it is silent */
  reading: ForeignReading | null;
  /** in which order the angles of a table are applied; null: nobody said */
  order: TurnOrder | null;
  givenAt: string;
}

export const elsewhereKind = defineKind<ElsewhereBody>({
  noun: 'solve made elsewhere',
  tell: (b) => b.file.name,
  fields: { takeId: 'take', file: 'file', points: 'points', reading: 'how it is read', order: 'order of its turns', givenAt: 'time' },
  schema: ({ Joi, id, at, file, oneOf }) =>
    Joi.object({
      takeId: id.required(),
      file: file.required(),
      points: file.allow(null).required(),
      reading: Joi.object({
        unit: oneOf(FOREIGN_UNITS),
        up: oneOf(SPACE_UPS),
        looks: oneOf(FOREIGN_LOOKS),
        addFrames: Joi.number().integer().min(-10_000_000).max(10_000_000).required(),
        world: oneOf(['own', 'set'] as const),
      })
        .allow(null)
        .required(),
      order: Joi.string()
        .valid(...TURN_ORDERS)
        .allow(null)
        .required(),
      givenAt: at.required(),
    }),
  references: { takeId: 'take' },
  merge: {},
  writes: 'give',
  hides: 'give',
  leaves: 'takes/: the file as it was given, and its points',
});
