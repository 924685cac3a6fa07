import { SPACE_UNITS, SPACE_UPS, type Space } from '@mesure/core';
import { takeNameProblem } from '../handover-parts';
import { defineKind } from './define';

/** How somebody who gets handovers wants them: kept with the production, chosen when a day leaves. */
export interface ReceiverBody {
  name: string;
  /** parts of a handover, by id, that do not leave; an id that is not known here is kept */
  without: string[];
  /** ST maps of the takes' lenses */
  maps: 'none' | 'exr' | 'tiff';
  /** in what places are counted, where a format leaves that open */
  unit: Space['unit'];
  up: Space['up'];
  /** added to the frame numbers of the tracks */
  addFrames: number;
  /** of each take: `{slate}-take-{take}` */
  takeName: string;
  /** the take's name also begins the name of each of its files */
  inFileNames: boolean;
  notes: string;
}

export const RECEIVER_MAPS = ['none', 'exr', 'tiff'] as const satisfies readonly ReceiverBody['maps'][];

export const receiverKind = defineKind<ReceiverBody>({
  noun: 'receiver',
  tell: (b) => b.name,
  fields: {
    name: 'name',
    without: 'left out',
    maps: 'ST maps',
    unit: 'unit',
    up: 'which way is up',
    addFrames: 'added to frame numbers',
    takeName: 'name of takes',
    inFileNames: 'name in file names',
    notes: 'notes',
  },
  schema: ({ Joi, name, oneOf }) =>
    Joi.object({
      name: name.required(),
      without: Joi.array().items(Joi.string().trim().min(1).max(60)).unique().max(60).required(),
      maps: oneOf(RECEIVER_MAPS),
      unit: oneOf(SPACE_UNITS),
      up: oneOf(SPACE_UPS),
      addFrames: Joi.number().integer().min(-10_000_000).max(10_000_000).required(),
      takeName: Joi.string()
        .trim()
        .max(120)
        .required()
        .custom((value: string, helpers) => {
          const problem = takeNameProblem(value);
          return problem ? helpers.message({ custom: problem }) : value;
        }),
      inFileNames: Joi.boolean().required(),
      notes: Joi.string().allow('').max(2000).required(),
    }),
  references: {},
  merge: { sets: ['without'] },
  writes: 'record',
  hides: 'record',
  leaves: 'CONTENTS.txt: for whom this was made, and how',
});
