import { CoreError } from '@mesure/core';
import equal from 'fast-deep-equal';
import { cameraOf } from './logging';
import type { StoredRecord, TakeBody } from './records';
import { takeField, touched, type TakeFieldKey, type TakeWords } from './take-fields';

type Take = Pick<StoredRecord<'take'>, 'id' | 'body'>;

export interface BulkOrder {
  field: TakeFieldKey;
  /** as it is typed into the field; empty takes the value back */
  text: string;
  /** takes from here on, this moment included */
  since: string;
  /** null: all cameras */
  camera: string | null;
  /** null: the whole production */
  setupId: string | null;
}
export interface BulkLine {
  take: Take;
  before: string;
  after: string;
  body: TakeBody;
}

/**
 * What a correction of several takes would change: "the reducer was on since 14:10". Takes that have the value already are not in it.
 * @throws CoreError when the value cannot be read for a take
 */
export function bulkLines(order: BulkOrder, takes: readonly Take[], words: TakeWords): BulkLine[] {
  const field = takeField(order.field);
  if (!field) throw new CoreError('INVALID_OPTION', `There is no field ${order.field}`, 'field');
  return takes
    .filter((t) => t.body.loggedAt >= order.since && (order.setupId === null || t.body.setupId === order.setupId) && (order.camera === null || cameraFor(t.body, words) === order.camera))
    .sort((a, b) => (a.body.loggedAt < b.body.loggedAt ? -1 : 1))
    .flatMap((take): BulkLine[] => {
      const change = field.read(order.text, take.body, words);
      const same = Object.entries(change).every(([key, value]) => equal(take.body[key as keyof TakeBody] ?? null, value ?? null));
      if (same) return [];
      const body = touched(take.body, change);
      return [{ take, before: field.text(take.body, words), after: field.text(body, words), body }];
    });
}

export const cameraFor = (take: TakeBody, words: TakeWords): string => cameraOf(take, words.packages.find((p) => p.id === take.packageId)?.camera ?? '');
