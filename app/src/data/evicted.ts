import { useStore } from 'zustand';
import { createStore } from 'zustand/vanilla';
import type { PicturesStore } from './pictures-store';
import type { RecordsStore } from './records-store';

/** What a browser took away from this device: so many things that were entered here and not sent, last counted then. */
export interface Evicted {
  count: number;
  at: string;
}
export const evictedStore = createStore<{ evicted: Evicted | null }>()(() => ({ evicted: null }));
export const useEvicted = (): Evicted | null => useStore(evictedStore, (s) => s.evicted);

/** As long as a session may be idle; one that is older says nothing any more. */
const KEPT_S = 7 * 24 * 3600;
const GONE = 'gone';
/** Two people on one device have a copy each. */
export interface OwnCopy {
  productionId: string;
  userId: string;
}
const nameOf = (own: OwnCopy): string => `mesure-waits-${own.productionId.slice(0, 8)}-${own.userId.slice(0, 8)}`;

/**
 * A browser that needs room takes everything that a page keeps at once, without a word: records, what waits, half-typed text. Cookies it
 * leaves. So the number of what waits stands in one, and a copy that begins empty beside such a number was taken away.
 */
function write(own: OwnCopy, { count, at }: Evicted, gone: boolean): void {
  const secure = globalThis.location?.protocol === 'https:' ? '; Secure' : '';
  const value = count > 0 ? [count, encodeURIComponent(at), ...(gone ? [GONE] : [])].join('_') : '';
  document.cookie = `${nameOf(own)}=${value}; Path=/; SameSite=Strict; Max-Age=${count > 0 ? KEPT_S : 0}${secure}`;
}
/** `gone`: it was found out, and nobody has seen it yet. */
function read(own: OwnCopy): (Evicted & { gone: boolean }) | null {
  const text = document.cookie
    .split('; ')
    .find((c) => c.startsWith(`${nameOf(own)}=`))
    ?.split('=')[1];
  const [count, at, gone] = text?.split('_') ?? [];
  return Number(count) > 0 && at ? { count: Number(count), at: decodeURIComponent(at), gone: gone === GONE } : null;
}

/** Compares what the copy begins with and what was counted, then counts on. Ends with the answer. */
export function watchForEviction(own: OwnCopy, records: RecordsStore, pictures: PicturesStore, now: () => string): () => void {
  // outside of a browser nobody takes anything away
  if (typeof document === 'undefined' || typeof document.cookie !== 'string') return () => undefined;
  const before = read(own);
  let counted = before?.count ?? 0;
  let told = false;
  const look = () => {
    const r = records.getState();
    if (r.status === 'loading' && !r.begunEmpty) return;
    if (before && !told && (r.begunEmpty || before.gone)) {
      told = true;
      write(own, before, true);
      evictedStore.setState({ evicted: { count: before.count, at: before.at } });
    }
    // what was taken away stays counted until a person has seen it
    if (evictedStore.getState().evicted) return;
    const count = r.outbox.length + r.onlyHere.length + pictures.getState().pictures.length;
    if (count === counted) return;
    counted = count;
    write(own, { count, at: now() }, false);
  };
  const ends = [records.subscribe(look), pictures.subscribe(look), evictedStore.subscribe(look)];
  return () => {
    ends.forEach((end) => end());
    evictedStore.setState({ evicted: null });
  };
}

/** A person has seen it. */
export const dismissEvicted = (): void => evictedStore.setState({ evicted: null });
