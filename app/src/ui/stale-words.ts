import type { Analysis } from '@mesure/contract';
import type { Clock } from '../data';

/** Said wherever an answer stands that is of the record before a change. */
export const staleWords = (a: Pick<Analysis, 'stale'> | undefined, clock: Clock): string | null => (a?.stale ? `before the change of ${clock.time(a.stale.when)}` : null);

/** What is known of the answers while the server does not say; null while it does. */
export function knownWords(knownFrom: string | 'never' | null, clock: Clock): string | null {
  if (knownFrom === null) return null;
  return knownFrom === 'never' ? 'known here: the server was not reached' : `known from ${clock.timeOrStamp(knownFrom, clock.date(new Date().toISOString()))}`;
}

/** Of a computation that waits: how many are before it. */
export function waitingWords({ ahead }: Pick<Analysis, 'ahead'>): string {
  if (ahead === undefined) return 'waits for the server';
  return ahead === 0 ? 'is next on the server' : `waits for the server, ${ahead} before it`;
}
