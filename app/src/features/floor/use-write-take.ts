import { nextTake, touched, type StoredRecord, type TakeBody } from '@mesure/contract';
import { useRouter, type Href } from 'expo-router';
import { newId, useAll, useRecordsState } from '../../data';
import { byCamera, useFloor } from './use-floor';

/** Logging the next take of a setup: one tap, and it is on this device before the screen shows it. */
export function useLogTake(setup: StoredRecord<'setup'> | null) {
  const router = useRouter();
  const write = useRecordsState((s) => s.write);
  const floor = useFloor();
  const takes = useAll('take');
  const packages = useAll('package').sort(byCamera);
  const bodyNow = () => (setup ? nextTake({ setup, takes, packages, floor, now: new Date().toISOString() }) : null);
  const next = bodyNow();
  return {
    next,
    async log(): Promise<void> {
      const body = bodyNow();
      if (!body) return;
      const id = newId();
      await write('take', id, body, `${body.slate} take ${body.take} logged`);
      router.push(`/floor/take/${id}` as Href);
    },
  };
}

/** Keeps a change of a take; its fields are no longer carried over. A function changes what is there at its turn. */
export function useKeepTake(takeId: string, label: string) {
  const write = useRecordsState((s) => s.write);
  return (change: Partial<TakeBody>, what: string): void => void write('take', takeId, (now) => touched(now, change), `${label}: ${what} kept`);
}
