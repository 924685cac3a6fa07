import type { Analysis } from '@mesure/contract';
import { compareSolves, type SolveComparison, type SolveResult } from '@mesure/core';
import { useState } from 'react';
import { View } from 'react-native';
import { api, useClock, useData } from '../../data';
import { Action, Row, Section } from '../../ui/controls';
import { fixed } from '../../ui/format';
import { Failing, Loading } from '../../ui/states';
import { Words } from '../../ui/text';

const length = (m: number, scaled: boolean): string => (scaled ? `${fixed(1000 * m, m < 0.1 ? 1 : 0)} mm` : `${fixed(m, 4)} units`);

/** What two solves of a take say of each other, in a few sentences; `now` is the one that is shown. */
export function comparisonWords(c: SolveComparison, now: SolveResult, earlier: SolveResult): string[] {
  const scaled = now.anchoring.scale !== null;
  const mm = now.focalMm !== null && earlier.focalMm !== null ? `Focal length ${fixed(earlier.focalMm, 2)} mm then, ${fixed(now.focalMm, 2)} mm now. ` : '';
  const place = c.anchored
    ? `As each is anchored the cameras are ${length(c.anchored.medianM, true)} apart, at most ${length(c.anchored.worstM, true)} at frame ${c.anchored.worstFrame}.`
    : 'One of the two has no scale: the earlier one was laid onto this one.';
  const shape = `Laid onto this one by its shape, ${length(c.shape.medianM, scaled)} are left, at most ${length(c.shape.worstM, scaled)} at frame ${c.shape.worstFrame}, and ${fixed(c.worstTurnDeg, 2)}° of turn.`;
  // of two that are anchored, what had to be done to lay them over each other is what the anchors disagree about
  const anchors = c.anchored
    ? Math.abs(c.scaledBy - 1) > 0.002 || c.turnedDeg > 0.1
      ? `The anchors differ: in size by ${fixed(100 * (1 / c.scaledBy - 1), 2)} %, in direction by ${fixed(c.turnedDeg, 2)}°.`
      : 'Size and direction are the same.'
    : '';
  return [`${mm}${place}`, shape, ...(anchors ? [anchors] : [])];
}

/** One line of the list, of what lists are told. */
export function solveLine(solve: SolveResult): string {
  const focal = solve.focalMm === null ? solve.focalMode : `${fixed(solve.focalMm, 2)} mm ${solve.focalMode}`;
  return `${fixed(solve.rmsPx, 2)} px, ${focal}${solve.distortion.mode === 'none' ? ', no distortion' : ''}${solve.status === 'partial' ? ', in part' : ''}`;
}

type Earlier = { at: 'closed' } | { at: 'loading' } | { at: 'failed'; why: string } | { at: 'list'; list: Analysis[] };

/** Every solve of a take is kept; one of them is laid over the one that is shown. */
export function EarlierSolves({ takeId, shownId, solve, onOver }: { takeId: string; shownId: string; solve: SolveResult; onOver: (path: SolveComparison['path']) => void }) {
  const clock = useClock();
  const { session } = useData();
  const [earlier, setEarlier] = useState<Earlier>({ at: 'closed' });
  const [laid, setLaid] = useState<{ id: string; words: string[] } | null>(null);
  const [error, setError] = useState<string | null>(null);
  const open = () => {
    setEarlier({ at: 'loading' });
    api.analysesOf(session.production.id, takeId).then(
      ({ analyses }) => setEarlier({ at: 'list', list: analyses.filter((a) => a.kind === 'solve' && a.id !== shownId) }),
      (e: Error) => setEarlier({ at: 'failed', why: e.message }),
    );
  };
  const takeOff = () => {
    setLaid(null);
    onOver([]);
  };
  async function lay(a: Analysis) {
    setError(null);
    if (laid?.id === a.id) {
      takeOff();
      return;
    }
    try {
      const whole = await api.analysis(session.production.id, a.id);
      const other = whole.outcome?.kind === 'solve' ? whole.outcome.solve : null;
      const comparison = other ? compareSolves(solve, other) : null;
      onOver(comparison?.path ?? []);
      setLaid({
        id: a.id,
        words: comparison ? comparisonWords(comparison, solve, other!) : ['These two cannot be laid over each other: they share no path with width, or one of them is of a camera that only turns.'],
      });
    } catch (e) {
      setError(e instanceof Error ? e.message : String(e));
    }
  }
  return (
    <Section title="Earlier solves">
      {earlier.at === 'closed' ? (
        <View style={{ alignItems: 'flex-start' }}>
          <Action kind="quiet" icon="layers" title="Lay an earlier one over it" onPress={open} testID="earlier-solves" />
        </View>
      ) : earlier.at === 'loading' ? (
        <Loading what="the earlier solves" />
      ) : earlier.at === 'failed' ? (
        <Failing title="They are on the server" text={earlier.why} />
      ) : earlier.list.length === 0 ? (
        <Words dim>This is the only one of the take.</Words>
      ) : (
        <View testID="earlier-list">
          {earlier.list.map((a) => (
            <Row
              key={a.id}
              testID={`earlier-${a.id}`}
              title={clock.stamp(a.createdAt)}
              detail={a.outcome?.kind === 'solve' ? solveLine(a.outcome.solve) : ''}
              selected={laid?.id === a.id}
              onPress={() => void lay(a)}
            />
          ))}
        </View>
      )}
      {error ? <Failing title="It was not laid over" text={error} /> : null}
      {laid ? (
        <View testID="comparison" role="status">
          {laid.words.map((w) => (
            <Words key={w}>{w}</Words>
          ))}
          <Words look="small" dim>
            Dashed in both drawings. A tap on it takes it off again.
          </Words>
        </View>
      ) : null}
    </Section>
  );
}
