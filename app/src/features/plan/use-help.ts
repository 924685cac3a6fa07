import type { NextBest, OtherLens, PlannedSetup } from '@mesure/core';
import { useEffect, useRef, useState } from 'react';
import { longInWorker, Stopped } from '../../workers';

export type Help = { status: 'open' } | { status: 'working'; share: number } | { status: 'done'; list: NextBest[] } | { status: 'failed'; message: string };

/** What would help most, worked out when asked, with progress and a stop. A change of the setup makes the answer void. */
export function useHelp(setup: PlannedSetup | null, others: readonly OtherLens[]) {
  const [state, setState] = useState<{ help: Help; key: string }>({ help: { status: 'open' }, key: '' });
  const stop = useRef<() => void>(() => undefined);
  const key = setup ? JSON.stringify(setup) : '';
  useEffect(() => () => stop.current(), [key]);
  const ask = () => {
    if (!setup) return;
    const say = (help: Help) => setState({ help, key });
    say({ status: 'working', share: 0 });
    const run = longInWorker({ kind: 'next best', setup, others: [...others] }, (share) => say({ status: 'working', share }));
    stop.current = run.stop;
    run.answer.then(
      (list) => say({ status: 'done', list: list.slice(0, MOST_SHOWN) }),
      (error: Error) => say(error instanceof Stopped ? { status: 'open' } : { status: 'failed', message: error.message }),
    );
  };
  const help: Help = state.key === key ? state.help : { status: 'open' };
  return { help, ask, stop: () => stop.current() };
}
/** More than these help little, and crowd the drawing. */
const MOST_SHOWN = 6;
export type HelpDesk = ReturnType<typeof useHelp>;
