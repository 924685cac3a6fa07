import { KINDS, type RecordKind, type StoredRecord } from '@mesure/contract';
import { createStore } from 'zustand/vanilla';

interface Change {
  kind: RecordKind;
  id: string;
  change: unknown;
}
type Records = Record<string, StoredRecord>;

/** The closed day that a change would touch: the day of the record itself, or of the setup or take that it belongs to; null when none is. */
export function closedDayOf(orders: readonly Change[], records: Records): StoredRecord<'day'> | null {
  for (const { kind, id, change } of orders) {
    // opening a day again, or its name, is no change of what was signed; new ones belong where their body says
    if (kind === 'day' || kind === 'person' || kind === 'remark') continue;
    const body = records[id]?.body ?? (typeof change === 'object' ? change : null);
    const day = body ? dayOf(kind, body as unknown as Record<string, unknown>, records) : null;
    if (day?.body.closed) return day;
  }
  return null;
}

/** Follows what a record names until a day is reached. Sets and kit belong to no day. */
function dayOf(kind: RecordKind, body: Record<string, unknown>, records: Records): StoredRecord<'day'> | null {
  for (const [field, target] of Object.entries(KINDS[kind].references)) {
    if (!['day', 'setup', 'take'].includes(target) || typeof body[field] !== 'string') continue;
    const named = records[body[field]];
    if (!named) continue;
    return named.kind === 'day' ? (named as StoredRecord<'day'>) : dayOf(named.kind, named.body as unknown as Record<string, unknown>, records);
  }
  return null;
}

/** A yes holds for so long: who corrects ten takes is asked once. */
const HOLDS_MS = 15 * 60_000;

export interface ClosedDayQuestion {
  day: StoredRecord<'day'>;
  answer(yes: boolean): void;
}

/** Asks before a closed day is changed; the shell shows the question. */
export function createClosedDays(now: () => number = Date.now) {
  const saidYes = new Map<string, number>();
  const store = createStore<{ question: ClosedDayQuestion | null }>()(() => ({ question: null }));
  return {
    store,
    async mayChange(orders: readonly Change[], records: Records): Promise<boolean> {
      const day = closedDayOf(orders, records);
      if (!day || now() - (saidYes.get(day.id) ?? -Infinity) < HOLDS_MS) return true;
      // one question at a time: a second change waits for the same answer
      const before = store.getState().question;
      if (before) return new Promise((resolve) => store.setState({ question: { day, answer: (yes) => (before.answer(yes), resolve(yes)) } }));
      return new Promise((resolve) =>
        store.setState({
          question: {
            day,
            answer(yes) {
              if (yes) saidYes.set(day.id, now());
              store.setState({ question: null });
              resolve(yes);
            },
          },
        }),
      );
    },
  };
}
export type ClosedDays = ReturnType<typeof createClosedDays>;
