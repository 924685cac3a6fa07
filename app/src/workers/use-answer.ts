import { useEffect, useState } from 'react';

/** What is known of a question that is asked again with each change of what it rests on. */
export interface Answered<T> {
  /** the answer to the question as it stands; null while it is asked, and when it failed */
  now: T | null;
  /** why the question as it stands has no answer, in words; null else */
  failed: string | null;
  /** the answer before that, of a question that has changed since: whoever shows it says so. `now` where there is one. */
  last: T | null;
}

/**
 * Asks off the page's thread whenever the key changes, a moment after the last change where a pause is given.
 * An answer never passes for one to another question: the key it was asked with goes along with it.
 * A key of null asks nothing.
 */
export function useAnswer<T>(key: string | null, ask: () => Promise<T>, pauseMs = 0): Answered<T> {
  const [kept, setKept] = useState<{ key: string; answer: T | null; failed: string | null; last: T | null } | null>(null);
  useEffect(() => {
    if (key === null) return undefined;
    let gone = false;
    const put = (): void =>
      void ask().then(
        (answer) => !gone && setKept({ key, answer, failed: null, last: answer }),
        (error: Error) => !gone && setKept((before) => ({ key, answer: null, failed: error.message, last: before?.last ?? null })),
      );
    // without a pause in the same turn: no needless frame with nothing
    const timer = pauseMs > 0 ? setTimeout(put, pauseMs) : (put(), undefined);
    return () => {
      gone = true;
      clearTimeout(timer);
    };
    // eslint-disable-next-line react-hooks/exhaustive-deps -- the key holds all that is asked
  }, [key]);
  const current = kept !== null && kept.key === key;
  return { now: current ? kept.answer : null, failed: current ? kept.failed : null, last: kept?.last ?? null };
}
