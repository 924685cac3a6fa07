import type { SolveResult } from '@mesure/core';
import { Tick } from '../../ui/controls';
import { fixed } from '../../ui/format';

/** Whether the worst places take part in the next solve, with what leaving them out would do, or did. */
export function TrimTick({ solve, on, onChange }: { solve: SolveResult; on: boolean; onChange: (on: boolean) => void }) {
  const words = trimWords(solve);
  return words === null ? null : <Tick title="Leave the worst places out" detail={words} on={on} onPress={() => onChange(!on)} testID="trim" />;
}

const counted = (n: number, noun: string): string => `${n} ${noun}${n === 1 ? '' : 's'}`;

/** Null for a solve of before it was asked, and for one that failed. */
export function trimWords(solve: SolveResult): string | null {
  const left = solve.trimmed.filter((t) => t.reason === 'trim');
  if (left.length > 0)
    return `In this solve ${counted(left.length, 'place')} of ${counted(new Set(left.map((t) => t.track)).size, 'track')} ${left.length === 1 ? 'was' : 'were'} left out, the worst ${fixed(Math.max(...left.map((t) => t.residualPx)), 1)} px off. Without the tick they take part again; both solves are kept, and can be laid over each other.`;
  const would = solve.trimWould;
  if (!would || solve.rmsPx === null) return null;
  if (would.places === 0) return `None of its ${would.of} places is farther off than ${fixed(would.limitPx, 1)} px, three times the noise: there is nothing to leave out.`;
  return `${would.places} of ${counted(would.of, 'place')}, of ${counted(would.tracks, 'track')}, ${would.places === 1 ? 'is' : 'are'} farther off than ${fixed(would.limitPx, 1)} px, three times the noise. Without them the error would be ${fixed(would.restRmsPx, 2)} px instead of ${fixed(solve.rmsPx, 2)} px; that alone makes no solve truer.`;
}
