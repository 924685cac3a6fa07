import type { WitnessPlacement } from '@mesure/core';
import { defineKind } from './define';

/** How a witness camera is mounted from a moment on. Somebody touched it: a new one begins. */
export interface RigBody {
  setupId: string;
  /** the witness camera */
  packageId: string;
  since: string;
  placement: WitnessPlacement;
  /** of each of the three distances, two sigma */
  toleranceM: number;
  why: string;
}

export const rigKind = defineKind<RigBody>({
  noun: 'rig state',
  tell: (b) => b.why || b.placement.way,
  fields: { setupId: 'setup', packageId: 'witness camera', since: 'since', placement: 'placement', toleranceM: 'tolerance', why: 'why' },
  schema: ({ Joi, id, at, witnessPlacement }) =>
    Joi.object({
      setupId: id.required(),
      packageId: id.required(),
      since: at.required(),
      placement: witnessPlacement.required(),
      toleranceM: Joi.number().greater(0).max(1).required(),
      why: Joi.string().allow('').max(200).required(),
    }),
  references: { setupId: 'setup', packageId: 'package' },
  merge: {},
  writes: 'record',
  hides: 'record',
  leaves: 'witness-cameras.csv and .json',
});
