import type { FileRef } from './shared';
import { defineKind } from './define';

/** What is known of when a witness camera's clip ran against the main camera's. */
export interface SyncBody {
  takeId: string;
  /** the witness camera */
  packageId: string;
  /** sound or clip of each camera */
  main: FileRef | null;
  witness: FileRef | null;
  /** frames, from 0, in which the clap is closed first */
  clap: { mainFrame: number; witnessFrame: number } | null;
}

export const syncKind = defineKind<SyncBody>({
  noun: 'sync',
  tell: (b) => (b.clap ? 'by a clap' : 'by sound'),
  fields: { takeId: 'take', packageId: 'witness camera', main: 'clip of the main camera', witness: 'clip of the witness camera', clap: 'clap' },
  schema: ({ Joi, id, file, frame }) =>
    Joi.object({
      takeId: id.required(),
      packageId: id.required(),
      main: file.allow(null).required(),
      witness: file.allow(null).required(),
      clap: Joi.object({ mainFrame: frame.disallow(null).required(), witnessFrame: frame.disallow(null).required() })
        .allow(null)
        .required(),
    }),
  references: { takeId: 'take', packageId: 'package' },
  merge: {},
  writes: 'record',
  hides: 'record',
  leaves: 'syncs.csv',
});
