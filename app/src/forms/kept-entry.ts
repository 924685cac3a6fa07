import { useEffect, useState } from 'react';
import { keepDraft, readDraftFields } from '../data/drafts';

export interface KeptEntry<T extends object> {
  entry: T;
  set(change: Partial<T>): void;
  /** what stood half entered when the page went away came back */
  cameBack: boolean;
  /** kept or given up: nothing half entered is left */
  done(): void;
}

/**
 * What is entered step by step (readings, marks, a sheet's choices), on the device with each change under `key` until it is kept or given
 * up. What is plain data only; of what nobody touched, what the caller gives next time is taken.
 */
export function useKeptEntry<T extends object>(key: string, initial: T): KeptEntry<T> {
  const [began] = useState(initial);
  const [before] = useState(() => readDraftFields<Partial<T>>('entry', key));
  const [entry, setEntry] = useState<T>({ ...initial, ...before });
  const [ended, setEnded] = useState(false);
  useEffect(() => {
    const touched = Object.fromEntries(Object.entries(entry).filter(([field, value]) => JSON.stringify(value) !== JSON.stringify(began[field as keyof T])));
    keepDraft('entry', key, ended || Object.keys(touched).length === 0 ? null : JSON.stringify(touched));
  }, [entry, ended, began, key]);
  return {
    entry,
    set: (change) => setEntry((now) => ({ ...now, ...change })),
    cameBack: before !== null,
    done: () => {
      // at once, and not again by what is still drawn: the sheet that held it is about to go
      keepDraft('entry', key, null);
      setEnded(true);
    },
  };
}
