import { MARK_PX } from '@mesure/core';
import { Section } from '../../ui/controls';
import { fixed } from '../../ui/format';
import { Trace } from '../../ui/trace';
import type { PlanNumbers } from './use-plan';

/** What a tracker has over the move: sizes of marks, spread over the frame, and how far it is from lying on one plane. */
export function MarksOverTime({ numbers, share }: { numbers: PlanNumbers; share: number }) {
  const { moments } = numbers.watch;
  if (moments.length < 2) return null;
  const now = moments[Math.round(share * (moments.length - 1))];
  const sizes = moments.map((m) => (m.smallestPx === null || m.largestPx === null ? null : ([m.smallestPx, m.largestPx] as const)));
  const mostPx = Math.max(2 * MARK_PX.most, ...sizes.flatMap((s) => (s ? [s[1]] : [])));
  return (
    <Section title="Over the move">
      <Trace
        title={`Marks in the picture, px; ${MARK_PX.least} and ${MARK_PX.most} broken`}
        values={sizes}
        share={share}
        limits={[MARK_PX.least, MARK_PX.most]}
        top={mostPx}
        say={now.smallestPx === null ? 'no mark is seen now' : `${fixed(now.smallestPx, 0)} to ${fixed(now.largestPx, 0)} px now`}
      />
      <Trace
        title="Spread: share of the frame's cells that hold something to track"
        values={moments.map((m) => m.spread)}
        share={share}
        limits={[0.5]}
        top={1}
        say={`${fixed(100 * now.spread, 0)} % of the cells now`}
      />
      <Trace
        title="Depth of what is seen: its thinnest extent over its widest; 0 is a plane"
        values={moments.map((m) => m.thirdShare)}
        share={share}
        limits={[]}
        top={0.5}
        say={
          now.thirdShare === null
            ? 'fewer than four points are seen now'
            : now.secondShare! < 0.02
              ? 'all on one line now'
              : now.thirdShare < 0.02
                ? 'all on one plane now'
                : `${fixed(now.thirdShare, 2)} now`
        }
      />
    </Section>
  );
}
