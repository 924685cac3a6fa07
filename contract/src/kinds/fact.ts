import { renaming, type MeasuredLength } from './shared';
import { defineKind } from './define';

export const FACT_KINDS = ['height', 'level', 'plumb', 'wall', 'point'] as const;
/** What is known of marks beside their ties: a height over the floor, one level, one above the other, a distance from a wall, a place. */
export interface FactBody {
  setId: string;
  what: (typeof FACT_KINDS)[number];
  /** one mark of a height; two of a level or plumb line; of a wall the mark, and two that lie on the wall */
  marks: string[];
  /** of a height and of a distance from a wall */
  length: MeasuredLength | null;
  /** of a place: metres, Y up from the floor, in the axes of whatever measured it */
  at?: [number, number, number] | null;
  /** of a level, a plumb line or a place, two sigma */
  toleranceM: number;
  instrument?: string;
  measuredAt: string;
}

export const factKind = defineKind<FactBody>({
  noun: 'fact of the net',
  tell: (b) => `${b.what} of ${b.marks.join(', ')}`,
  fields: { setId: 'set', what: 'what', marks: 'marks', length: 'length', at: 'place', toleranceM: 'tolerance', instrument: 'instrument', measuredAt: 'time' },
  schema: ({ Joi, id, mark, at, length, oneOf, triple }) =>
    Joi.object({
      setId: id.required(),
      what: oneOf(FACT_KINDS),
      marks: Joi.array()
        .items(mark)
        .unique()
        .required()
        .when('what', {
          switch: [
            { is: Joi.valid('height', 'point'), then: Joi.array().length(1) },
            { is: 'wall', then: Joi.array().length(3) },
          ],
          otherwise: Joi.array().length(2),
        }),
      length: Joi.object(length).when('what', { is: Joi.valid('height', 'wall'), then: Joi.required(), otherwise: Joi.valid(null).required() }),
      at: triple.when('what', { is: 'point', then: Joi.required(), otherwise: Joi.valid(null) }),
      toleranceM: Joi.number().greater(0).max(10).required(),
      instrument: Joi.string().max(60),
      measuredAt: at.required(),
    }),
  references: { setId: 'set' },
  merge: {},
  renamed(body, from, to) {
    const marks = body.marks.map(renaming(from, to));
    return new Set(marks).size < marks.length ? null : { ...body, marks };
  },
  writes: 'record',
  hides: 'record',
  leaves: 'sets/: facts of the net, in net.json',
});
