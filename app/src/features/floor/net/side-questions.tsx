import type { SetBody, StoredRecord } from '@mesure/contract';
import type { NetResult, SideSaid, TwinQuestion } from '@mesure/core';
import { View } from 'react-native';
import { useRecordsState } from '../../../data';
import { Action, type IconName } from '../../../ui/controls';
import { Words } from '../../../ui/text';
import { SPACE, usePalette } from '../../../ui/theme';

const ANSWERS: Record<SideSaid['answer'], { title: string; icon: IconName }> = {
  left: { title: 'Left', icon: 'turn-left' },
  right: { title: 'Right', icon: 'turn-right' },
  above: { title: 'Above', icon: 'arrow-upward' },
  below: { title: 'Below', icon: 'arrow-downward' },
};

/** What was said, in words, and the fields of the set without it. */
export function saidOf({ turn, sides = [] }: SetBody): { words: string; without: Partial<SetBody> }[] {
  return [
    ...(turn ? [{ words: `The way from ${turn.a} over ${turn.b} to ${turn.c} turns ${turn.left ? 'left' : 'right'}`, without: { turn: null } }] : []),
    ...sides.map((s) => ({
      words: s.c ? `${s.id} stands where the way from ${s.a} over it to ${s.c} turns ${s.answer}` : `${s.id} stands ${s.answer} ${s.a}`,
      without: { sides: sides.filter((q) => q.id !== s.id) },
    })),
  ];
}

/** What lengths cannot tell and a person on the set sees at once: the net's left and right, and the side on which single marks stand. */
export function SideQuestions({ set, result, mayWrite }: { set: StoredRecord<'set'>; result: NetResult; mayWrite: boolean }) {
  const write = useRecordsState((s) => s.write);
  const { mirror } = result;
  const ask = mirror.status === 'open' ? mirror.ask : undefined;
  const say = (answer: SideSaid['answer'], { id, a, c }: NonNullable<TwinQuestion['ask']>) => {
    void write('set', set.id, (now) => ({ ...now, sides: [...(now.sides ?? []).filter((s) => s.id !== id), { id, a, c, answer }] }), `${id} stands on the ${answer} side`);
  };
  return (
    <>
      {ask ? (
        <Question
          words={`Lengths say nothing of left and right. Walk from ${ask.a} over ${ask.b} to ${ask.c}: at ${ask.b}, do you turn left or right?`}
          answers={['left', 'right']}
          onAnswer={mayWrite ? (said) => void write('set', set.id, (now) => ({ ...now, turn: { a: ask.a, b: ask.b, c: ask.c, left: said === 'left' } }), `Turns ${said} at ${ask.b}`) : null}
          testID="mirror-question"
        />
      ) : null}
      {result.twins.map(
        ({ ids, ask: side }) =>
          side && (
            <Question
              key={ids.join()}
              words={
                side.c
                  ? `The lengths to ${ids.join(', ')} fit on both sides of the marks at their other ends. Walk from ${side.a} over ${side.id} to ${side.c}: at ${side.id}, do you turn left or right?`
                  : `The lengths to ${ids.join(', ')} fit over and under the marks at their other ends. Does ${side.id} stand above or below ${side.a}?`
              }
              answers={side.c ? ['left', 'right'] : ['above', 'below']}
              onAnswer={mayWrite ? (said) => say(said, side) : null}
              testID={`side-question-${side.id}`}
            />
          ),
      )}
    </>
  );
}

function Question({ words, answers, onAnswer, testID }: { words: string; answers: SideSaid['answer'][]; onAnswer: ((said: SideSaid['answer']) => void) | null; testID: string }) {
  const p = usePalette();
  return (
    <View style={{ borderLeftWidth: 4, borderLeftColor: p.tape, paddingLeft: SPACE.m, marginVertical: SPACE.m }} testID={testID}>
      <Words>{words}</Words>
      {onAnswer ? (
        <View style={{ flexDirection: 'row', gap: SPACE.m, marginTop: SPACE.s }}>
          {answers.map((a) => (
            <Action key={a} {...ANSWERS[a]} onPress={() => onAnswer(a)} testID={`turn-${a}`} />
          ))}
        </View>
      ) : null}
    </View>
  );
}
