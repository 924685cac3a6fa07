import { defineKind } from './define';
import { renaming } from './shared';

export interface SetupBody {
  dayId: string;
  setId: string;
  name: string;
  scene: string;
  /** what the first take's slate says; missing: the scene */
  slate?: string | null;
  description?: string;
  order: number;
  levelMarks: string[];
  originMark: string | null;
  headingMarks: [string, string] | null;
}

export const setupKind = defineKind<SetupBody>({
  noun: 'setup',
  tell: (b) => b.name,
  fields: {
    dayId: 'day',
    setId: 'set',
    name: 'name',
    scene: 'scene',
    slate: 'slate',
    description: 'description',
    order: 'order',
    levelMarks: 'level marks',
    originMark: 'origin',
    headingMarks: 'heading',
  },
  schema: ({ Joi, id, name, mark }) =>
    Joi.object({
      dayId: id.required(),
      setId: id.required(),
      name: name.required(),
      scene: Joi.string().trim().min(1).max(20).required(),
      slate: Joi.string().trim().min(1).max(20).allow(null),
      description: Joi.string().allow('').max(2000),
      order: Joi.number().integer().min(0).max(10_000).required(),
      levelMarks: Joi.array().items(mark).max(100).required(),
      originMark: mark.allow(null).required(),
      headingMarks: Joi.array().ordered(mark.required(), mark.required()).allow(null).required(),
    }),
  references: { dayId: 'day', setId: 'set' },
  merge: { sets: ['levelMarks'] },
  renamed(body, from, to) {
    const now = renaming(from, to);
    const heading = body.headingMarks ? ([now(body.headingMarks[0]), now(body.headingMarks[1])] as [string, string]) : null;
    return {
      ...body,
      levelMarks: [...new Set(body.levelMarks.map(now))],
      originMark: body.originMark && now(body.originMark),
      // a direction needs two marks
      headingMarks: heading && heading[0] !== heading[1] ? heading : null,
    };
  },
  writes: 'record',
  hides: 'record',
  leaves: 'setups/: one folder each',
});
