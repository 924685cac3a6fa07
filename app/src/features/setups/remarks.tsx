import type { RemarkBody, StoredRecord } from '@mesure/contract';
import { View } from 'react-native';
import { newId, useAll, useClock, useData, useMay, useRecordsState } from '../../data';
import { useDraftText } from '../../data/use-draft-text';
import { Action, Field, Section } from '../../ui/controls';
import { Words } from '../../ui/text';
import { SPACE, usePalette } from '../../ui/theme';

/** What a solver or supervisor asks or says about a record, and the answers; a remark stands until somebody answers it. */
export function Remarks({ about, aboutId }: { about: RemarkBody['about']; aboutId: string }) {
  const { session } = useData();
  const mayRemark = useMay('remark');
  const write = useRecordsState((s) => s.write);
  const mine = useAll('remark')
    .filter((r) => r.body.aboutId === aboutId)
    .sort((a, b) => a.body.at.localeCompare(b.body.at));
  const draft = useDraftText(aboutId, 'remark', '');
  if (mine.length === 0 && !mayRemark) return null;
  const leave = () => {
    const text = draft.text.trim();
    if (text === '') {
      draft.fail('Write what it is about');
      return;
    }
    draft.done();
    void write('remark', newId(), { about, aboutId, field: null, text, by: session.name, at: new Date().toISOString(), answer: null }, 'Remark left');
  };
  return (
    <Section title="Remarks">
      {mine.map((r) => (
        <OneRemark key={r.id} remark={r} mayAnswer={mayRemark} />
      ))}
      {mayRemark ? (
        <View style={{ marginTop: SPACE.s }}>
          <Field label="Leave a remark" value={draft.text} onChangeText={draft.type} error={draft.error} multiline testID="remark-text" />
          <View style={{ alignItems: 'flex-start' }}>
            <Action icon="comment" title="Leave it" onPress={leave} testID="leave-remark" />
          </View>
        </View>
      ) : null}
    </Section>
  );
}

function OneRemark({ remark, mayAnswer }: { remark: StoredRecord<'remark'>; mayAnswer: boolean }) {
  const clock = useClock();
  const p = usePalette();
  const { session } = useData();
  const write = useRecordsState((s) => s.write);
  const draft = useDraftText(remark.id, 'answer', '');
  const { text, by, at, answer } = remark.body;
  const give = () => {
    const said = draft.text.trim();
    if (said === '') {
      draft.fail('Write the answer');
      return;
    }
    draft.done();
    void write('remark', remark.id, (now) => ({ ...now, answer: { text: said, by: session.name, at: new Date().toISOString() } }), 'Remark answered');
  };
  return (
    <View style={{ borderLeftWidth: 4, borderColor: answer ? p.line : p.tape, paddingLeft: SPACE.m, marginVertical: SPACE.s, gap: SPACE.xs }} testID={`remark-${remark.id}`}>
      <Words>{text}</Words>
      <Words look="label" dim>{`${by}, ${clock.stamp(at)}`}</Words>
      {answer ? (
        <>
          <Words>{`↳ ${answer.text}`}</Words>
          <Words look="label" dim>{`${answer.by}, ${clock.stamp(answer.at)}`}</Words>
        </>
      ) : mayAnswer ? (
        <>
          <Field label="Answer" value={draft.text} onChangeText={draft.type} error={draft.error} testID={`answer-${remark.id}`} />
          <View style={{ alignItems: 'flex-start' }}>
            <Action title="Answer it" onPress={give} testID={`give-answer-${remark.id}`} />
          </View>
        </>
      ) : (
        <Words look="label" dim>
          not answered yet
        </Words>
      )}
    </View>
  );
}

/** Remarks of the chosen takes that nobody has answered. */
export const useOpenRemarks = (takeIds: ReadonlySet<string>): StoredRecord<'remark'>[] => useAll('remark').filter((r) => r.body.answer === null && takeIds.has(r.body.aboutId));
