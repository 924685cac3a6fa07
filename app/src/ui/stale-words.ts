import type { Analysis } from '@mesure/contract';
import { timeOfDay } from './format';

/** Said wherever an answer stands that is of the record before a change. */
export const staleWords = (a: Pick<Analysis, 'stale'> | undefined): string | null => (a?.stale ? `before the change of ${timeOfDay(a.stale.when)}` : null);
