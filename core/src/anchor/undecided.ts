import { applySimilarity, distance, type Similarity } from '../math';
import type { ReadFacts } from './anchor-facts';
import type { AnchorInput, Undecided } from './anchor-solve';
import { placeOf } from './fact-spread';

/** A tape tells two lengths apart that differ by more. */
const TOLD_APART_M = 0.03;

export interface PossibleWorld {
  wrong: string[];
  similarity: Similarity;
  sigmaScale: number | null;
}

/** The worlds that the facts allow, and the measurement that would tell them apart: the largest difference between two marks, or the camera's height. */
export function undecidedOf(input: AnchorInput, read: ReadFacts, worlds: readonly PossibleWorld[]): Undecided {
  const heightIn = (w: PossibleWorld): number => applySimilarity(w.similarity, input.centers[0])[1];
  return {
    worlds: worlds.map((w) => ({ wrong: w.wrong, scale: w.similarity.scale, sigmaScale: w.sigmaScale, cameraHeightM: heightIn(w) })),
    decide: deciding(input, read, worlds, heightIn),
  };
}

function deciding(input: AnchorInput, read: ReadFacts, worlds: readonly PossibleWorld[], heightIn: (w: PossibleWorld) => number): string {
  const measured = new Set(
    read.list
      .filter((f) => f.kind === 'length')
      .map((f) =>
        f.places
          .map((p) => p.index)
          .sort()
          .join(' '),
      ),
  );
  const spread = (values: readonly number[]) => Math.max(...values) - Math.min(...values);
  let best: { words: string; values: number[] } | null = null;
  const offer = (words: string, values: number[]) => {
    if (!best || spread(values) > spread(best.values)) best = { words, values };
  };
  read.marks.forEach((a, i) =>
    read.marks.slice(i + 1).forEach((b) => {
      if (measured.has([a.place.index, b.place.index].sort().join(' '))) return;
      offer(
        `Measure ${a.id}–${b.id}`,
        worlds.map((w) => distance(applySimilarity(w.similarity, placeOf(input, a.place)), applySimilarity(w.similarity, placeOf(input, b.place)))),
      );
    }),
  );
  if (!read.list.some((f) => f.kind === 'cameraHeight' && f.places[0].index === 0) && read.list.some((f) => f.kind === 'level'))
    offer(`Measure the camera’s height at frame ${input.frames[0]}`, worlds.map(heightIn));
  const chosen = best as { words: string; values: number[] } | null;
  if (!chosen || spread(chosen.values) < TOLD_APART_M) return 'One more length between two tracked marks, read by somebody else, would decide.';
  return `${chosen.words}: ${worlds.map((w, i) => `${chosen.values[i].toFixed(3)} m if ${lower(w.wrong.join(' and '))} is wrong`).join(', ')}.`;
}

const lower = (words: string): string => words.charAt(0).toLowerCase() + words.slice(1);
