import { bookPlates, lineUpQuestion, mountPackage, type StoredRecord } from '@mesure/contract';
import type { CheckedLineUp } from '@mesure/core';
import { useEffect, useMemo, useState } from 'react';
import { useAll, useFind } from '../../../data';
import { inWorker } from '../../../workers';
import { useNet } from '../../floor/net/use-net';
import { useMeasuredPlates } from '../../kit/lensbook/use-book';

export type LineUpState =
  { at: 'problem'; words: string } | { at: 'pending' } | { at: 'failed'; words: string } | { at: 'done'; answer: CheckedLineUp; places: ReadonlyMap<string, readonly [number, number, number]> };

/** The pictures of a take lined up with the places of its set's marks, by id, each made anew off the page's thread when something it rests on changes. */
export function useLineUps(take: StoredRecord<'take'>, set: StoredRecord<'set'>, pictures: readonly StoredRecord<'lineup'>[]): { of: (id: string) => LineUpState; placed: readonly string[] } {
  const find = useFind();
  const { input, state } = useNet(set);
  const net = state.status === 'done' ? state.result : null;
  const measured = useMeasuredPlates();
  const edges = useAll('edges');
  const setup = find('setup', take.body.setupId)?.body;
  const pack = find('package', take.body.packageId);
  const mounted = pack ? mountPackage(pack.body, find) : null;
  const asked = new Map(
    pictures.map((picture) => {
      if (!setup || !mounted || 'missing' in mounted) return [picture.id, { problem: 'Its camera package is not complete, or its setup is hidden.' }] as const;
      if (state.status === 'pending') return [picture.id, null] as const;
      const { lensId } = mounted.pack;
      const known = { plates: measured.filter((m) => m.plate.lensId === lensId), book: bookPlates(measured, mounted), edges: edges.map((e) => e.body).filter((e) => e.lensId === lensId) };
      return [picture.id, lineUpQuestion({ picture: picture.body, take: take.body, setup, mounted, net: net && { input, result: net }, measured: input, ...known })] as const;
    }),
  );
  const key = JSON.stringify([...asked]);
  const [answers, setAnswers] = useState<{ key: string; by: Map<string, CheckedLineUp | Error> }>({ key: '', by: new Map() });
  useEffect(() => {
    let gone = false;
    for (const [id, question] of asked) {
      if (!question || 'problem' in question) continue;
      const keep = (answer: CheckedLineUp | Error) => !gone && setAnswers((now) => ({ key, by: new Map([...(now.key === key ? now.by : []), [id, answer]]) }));
      inWorker({ kind: 'line up', ...question.question }).then(keep, keep);
    }
    return () => {
      gone = true;
    };
    // eslint-disable-next-line react-hooks/exhaustive-deps -- the key holds all that is asked
  }, [key]);
  const placed = useMemo(() => (net ? net.points.map((p) => p.id) : []), [net]);
  return {
    placed,
    of(id) {
      const question = asked.get(id);
      if (question && 'problem' in question) return { at: 'problem', words: question.problem };
      const answer = question && answers.key === key ? answers.by.get(id) : undefined;
      if (!question || !answer) return { at: 'pending' };
      if (answer instanceof Error) return { at: 'failed', words: answer.message };
      return { at: 'done', answer, places: new Map(answer.lineUp.places.map((p) => [p.id, p.position])) };
    },
  };
}

/** How far two pictures say their cameras stood apart, m, and how well that is known; null where one is not lined up, or has a frame of its own. */
export function apartM(a: CheckedLineUp, b: CheckedLineUp): { m: number; sigmaM: number } | null {
  if (a.lineUp.frame !== 'places' || b.lineUp.frame !== 'places') return null;
  const [p, q] = [a.lineUp.position, b.lineUp.position];
  if (!p || !q) return null;
  const d = p.map((v, k) => v - q[k]);
  const m = Math.hypot(...d);
  // along the line between them
  const variance = d.reduce((s, v, k) => s + (m > 0 ? (v / m) ** 2 : 1 / 3) * (a.lineUp.sigmaPositionM![k] ** 2 + b.lineUp.sigmaPositionM![k] ** 2), 0);
  return { m, sigmaM: Math.sqrt(variance) };
}
