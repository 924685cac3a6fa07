import { AmbiguousInput, CoreError } from '@mesure/core';
import { useState } from 'react';
import { useDraftText } from '../data/use-draft-text';
import { askedWords, type Reading } from '../ui/readings';

export interface Asked {
  /** the text that was asked about: other text is not */
  of: string;
  readings: readonly Reading[];
}

/** One entry on one line, with what its field needs to show it (`InlineField` takes it whole). */
export interface LineEntry {
  value: string;
  onChangeText: (text: string) => void;
  onDone: () => void;
  error: string | null;
  asked: Asked | null;
  onReading: (write: string) => void;
  /** typed and not kept */
  open: boolean;
  /** the value is kept another way, or given up */
  drop: () => void;
}

/**
 * A line that is read when it is left: kept, refused with why, or asked about in place where it can be meant in two ways; what is asked
 * about is not kept until somebody chooses. `doubt` says what speaks against a value that can be; said again, it is kept.
 */
export function useLineEntry<T>(of: string, field: string, shown: string, read: (text: string) => T, keep: (value: T) => void, doubt?: (value: T) => string | null): LineEntry {
  const draft = useDraftText(of, field, shown);
  const [asked, setAsked] = useState<Asked | null>(null);
  const commit = (text: string) => {
    try {
      const value = read(text);
      const why = doubt?.(value) ?? null;
      if (why !== null && asked?.of !== text) {
        setAsked({ of: text, readings: [{ write: text, words: `Keep ${text.trim()} all the same` }] });
        draft.fail(why);
        return;
      }
      setAsked(null);
      draft.done();
      keep(value);
    } catch (e) {
      if (!(e instanceof CoreError)) throw e;
      setAsked(e instanceof AmbiguousInput ? { of: text, readings: e.readings } : null);
      draft.fail(e instanceof AmbiguousInput ? askedWords(e.why, e.readings) : e.message);
    }
  };
  return {
    value: draft.text,
    onChangeText: draft.type,
    onDone: () => (draft.open ? commit(draft.text) : draft.done()),
    error: draft.error,
    asked: asked?.of === draft.text ? asked : null,
    onReading: (write) => {
      draft.type(write);
      commit(write);
    },
    open: draft.open,
    drop: draft.done,
  };
}
