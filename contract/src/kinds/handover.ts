import type { FileRef } from './shared';
import { defineKind } from './define';

/** That a day was handed over: to whom, by whom, when, and exactly what. The server writes it when the last byte has left. */
export interface HandoverBody {
  dayId: string;
  to: string;
  /** how it was made; missing or null: as everything is kept */
  receiverId?: string | null;
  by: string;
  at: string;
  /** the handover that this one adds to; null: the whole day */
  supplementTo: string | null;
  /** path and SHA-256 of every file that left */
  manifest: FileRef;
  files: number;
  sizeBytes: number;
  /** the zip itself, where it was kept on the server */
  zip?: FileRef | null;
  /** how much was missing, and not answered, when it left */
  missing: number;
}

export const handoverKind = defineKind<HandoverBody>({
  noun: 'handover',
  tell: (b) => `to ${b.to}, ${b.at.slice(0, 16).replace('T', ' ')} UTC`,
  fields: {
    dayId: 'day',
    to: 'to whom',
    receiverId: 'receiver',
    by: 'by',
    at: 'time',
    supplementTo: 'adds to',
    manifest: 'list of files',
    files: 'files',
    sizeBytes: 'size',
    zip: 'zip on the server',
    missing: 'missing',
  },
  schema: ({ Joi, id, at, name, file }) =>
    Joi.object({
      dayId: id.required(),
      to: name.required(),
      receiverId: id.allow(null),
      by: name.required(),
      at: at.required(),
      supplementTo: id.allow(null).required(),
      manifest: file.required(),
      files: Joi.number().integer().min(0).required(),
      sizeBytes: Joi.number().integer().min(0).required(),
      zip: file.allow(null),
      missing: Joi.number().integer().min(0).required(),
    }),
  // what it adds to is proven by the route that writes it
  references: { dayId: 'day', receiverId: 'receiver' },
  merge: {},
  writes: 'record',
  hides: 'direct',
  byServer: true,
  leaves: 'CONTENTS.txt of a supplement: what it adds to',
});
