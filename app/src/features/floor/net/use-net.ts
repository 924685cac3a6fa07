import { isMeasured, netInputOf, type StoredRecord } from '@mesure/contract';
import type { NetResult } from '@mesure/core';
import { useMemo } from 'react';
import { useAll } from '../../../data';
import { inWorker, useAnswer } from '../../../workers';

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
  const asked = input.facts.length > 0 || input.known;
  const answer = useAnswer(asked ? key : null, () => inWorker({ kind: 'net', input }));
  const state: NetState = !asked
    ? { status: 'empty' }
    : answer.now
      ? { status: 'done', result: answer.now }
      : answer.failed !== null
        ? { status: 'failed', message: answer.failed }
        : { status: 'pending', last: answer.last };
  return { ties, facts, places, input, state };
}
