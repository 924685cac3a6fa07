import { clipPatternProblem } from '@mesure/core';
import { defineKind } from './define';

/** What a production notes of each take, and how its clips are named. One to a production, under its id. */
export interface FloorBody {
  /** keys of take fields */
  shown: string[];
  clips: { camera: string; pattern: string }[];
}

export const floorKind = defineKind<FloorBody>({
  noun: 'what is noted of takes',
  tell: () => 'of the production',
  fields: { shown: 'fields', clips: 'clip names' },
  schema: ({ Joi }) =>
    Joi.object({
      shown: Joi.array().items(Joi.string().max(40)).unique().max(60).required(),
      clips: Joi.array()
        .items(
          Joi.object({
            camera: Joi.string().trim().min(1).max(8).required(),
            pattern: Joi.string()
              .trim()
              .max(80)
              .required()
              .custom((value: string, helpers) => {
                const problem = clipPatternProblem(value);
                return problem ? helpers.message({ custom: problem }) : value;
              }),
          }),
        )
        .unique('camera')
        .max(26)
        .required(),
    }),
  references: {},
  merge: { sets: ['shown'], lists: { clips: 'camera' } },
  writes: 'record',
  hides: 'record',
  leaves: 'nothing',
});
