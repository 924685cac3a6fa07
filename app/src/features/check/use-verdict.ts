import type { Analysis } from '@mesure/contract';
import { useAnalysesState, useClock } from '../../data';
import { staleWords, waitingWords } from '../../ui/stale-words';
import type { VerdictName } from '../../ui/verdict-mark';

export interface Verdict {
  verdict: VerdictName;
  detail: string;
}

/** What is said of a take's newest solve. From when it is where the server does not answer stands once beside it, so that no row grows or shrinks when it does. */
export function useVerdict(): (a: Analysis | undefined) => Verdict {
  const clock = useClock();
  const knownFrom = useAnalysesState((s) => s.knownFrom);
  return (a) => {
    if (!a && knownFrom !== null) return { verdict: 'not checked', detail: 'no test solve known' };
    const said = verdictAlone(a);
    return { ...said, detail: [staleWords(a, clock) && `↺ ${staleWords(a, clock)}`, said.detail].filter(Boolean).join(' · ') };
  };
}

function verdictAlone(a: Analysis | undefined): Verdict {
  if (!a) return { verdict: 'not checked', detail: 'no test solve yet' };
  if (a.status === 'queued' || a.status === 'running') return { verdict: 'not checked', detail: a.status === 'queued' ? waitingWords(a) : a.stage };
  if (a.status === 'failed') return { verdict: 'not checked', detail: a.error ?? 'failed' };
  if (a.status === 'stopped' || a.outcome?.kind !== 'solve') return { verdict: 'not checked', detail: 'stopped' };
  const { solve, reconcile } = a.outcome;
  if (solve.question) return { verdict: 'not checked', detail: solve.question.words };
  if (solve.status === 'failed') return { verdict: 'not observable', detail: solve.reason ?? 'the solve failed' };
  return { verdict: reconcile?.verdict ?? 'not checked', detail: reconcile?.sentence ?? '' };
}
