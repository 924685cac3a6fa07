import { isMeasured, netInputOf, type StoredRecord } from '@mesure/contract';
import type { NetResult } from '@mesure/core';
import { useEffect, useMemo, useState } from 'react';
import { useAll } from '../../../data';
import { inWorker } from '../../../workers';

export type NetState = { status: 'empty' } | { status: 'pending'; last: NetResult | null } | { status: 'done'; result: NetResult } | { status: 'failed'; message: string };

/** The ties and facts of a set in the order in which the net counts them, and their adjustment, made again off the page's thread after each entry. */
export function useNet(set: StoredRecord<'set'>) {
  const byTime = <T extends { id: string; body: { measuredAt: string } }>(list: T[]) =>
    list.sort((a, b) => (a.body.measuredAt === b.body.measuredAt ? (a.id < b.id ? -1 : 1) : a.body.measuredAt < b.body.measuredAt ? -1 : 1));
  const ties = byTime(useAll('tie').filter((t) => t.body.setId === set.id));
  const all = byTime(useAll('fact').filter((f) => f.body.setId === set.id));
  const facts = all.filter((f) => isMeasured(f.body));
  const places = all.filter((f) => !isMeasured(f.body));
  const key = JSON.stringify([ties.map((t) => [t.id, t.body]), all.map((f) => [f.id, f.body]), set.body.sheet, set.body.turn, set.body.sides]);
  const input = useMemo(
    () =>
      netInputOf(
        set.body,
        ties.map((t) => t.body),
        all.map((f) => f.body),
      ),
    // eslint-disable-next-line react-hooks/exhaustive-deps -- the key holds all of it
    [key],
  );
  const [answer, setAnswer] = useState<{ key: string; result: NetResult | null; message: string | null } | null>(null);
  useEffect(() => {
    if (input.facts.length === 0 && !input.known) return undefined;
    let gone = false;
    inWorker({ kind: 'net', input }).then(
      (result) => !gone && setAnswer({ key, result, message: null }),
      (e: Error) => !gone && setAnswer({ key, result: null, message: e.message }),
    );
    return () => {
      gone = true;
    };
  }, [input, key]);
  const state: NetState =
    input.facts.length === 0 && !input.known
      ? { status: 'empty' }
      : answer?.key === key
        ? answer.result
          ? { status: 'done', result: answer.result }
          : { status: 'failed', message: answer.message ?? '' }
        : { status: 'pending', last: answer?.result ?? null };
  return { ties, facts, places, input, state };
}
