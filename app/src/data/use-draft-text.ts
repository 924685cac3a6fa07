import { useEffect, useState } from 'react';
import { useKept } from '.';
import { dropDraft, keepDraft, readDraft } from './drafts';

/** Text of a field while it is typed: `shown` until somebody types; what was left half typed when the page went away comes back. */
export function useDraftText(recordId: string, field: string, shown: string) {
  const [text, setText] = useState<string | null>(() => readDraft(recordId, field));
  const [error, setError] = useState<string | null>(null);
  const kept = useKept();
  useEffect(() => setError(null), [shown]);
  return {
    text: text ?? shown,
    /** typed and not kept */
    open: text !== null && text !== shown,
    error,
    type(next: string) {
      setText(next);
      setError(null);
      keepDraft(recordId, field, next === shown ? null : next);
    },
    /** the value is kept, or given up */
    done() {
      setText(null);
      setError(null);
      dropDraft(recordId, field, kept);
    },
    fail: setError,
  };
}
