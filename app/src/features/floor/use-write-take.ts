import { nextTake, touched, type StoredRecord, type TakeBody } from '@mesure/contract';
import { useRouter, type Href } from 'expo-router';
import { useMemo } from 'react';
import { newId, useAll, useData, useRecordsState } from '../../data';
import { byCamera, useFloor } from './use-floor';

/** Takes whose form is being opened while they are kept. */
const onTheirWay = new Set<string>();
export const isOnItsWay = (takeId: string): boolean => onTheirWay.has(takeId);

/** Logging the next take of a setup: one tap, and it is on this device before its form shows. */
export function useLogTake(setup: StoredRecord<'setup'> | null) {
  const router = useRouter();
  const write = useRecordsState((s) => s.write);
  const { records } = useData();
  const floor = useFloor();
  const takes = useAll('take');
  const packages = useAll('package');
  // clips are counted over all takes of the film: once for each change, not for each drawing
  const next = useMemo(() => (setup ? nextTake({ setup, takes, packages: [...packages].sort(byCamera), floor, now: new Date().toISOString() }) : null), [setup, takes, packages, floor]);
  return {
    next,
    async log(): Promise<void> {
      // two quick taps are one take
      if (!next || onTheirWay.size > 0) return;
      const id = newId();
      onTheirWay.add(id);
      const kept = write('take', id, { ...next, loggedAt: new Date().toISOString() }, `${next.slate} take ${next.take} logged`);
      try {
        // the way to the form is drawn while the device keeps the entry
        await new Promise((begun) => setTimeout(begun, 0));
        router.push(`/floor/take/${id}` as Href);
        await kept;
      } finally {
        onTheirWay.delete(id);
        if (!records.getState().records[id]) router.back();
      }
    },
  };
}

/** Keeps a change of a take; its fields are no longer carried over. A function changes what is there at its turn. */
export function useKeepTake(takeId: string, label: string) {
  const write = useRecordsState((s) => s.write);
  return (change: Partial<TakeBody>, what: string): void => void write('take', takeId, (now) => touched(now, change), `${label}: ${what} kept`);
}
