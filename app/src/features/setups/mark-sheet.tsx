import { marksOf, renamedMark, type StoredRecord } from '@mesure/contract';
import { View } from 'react-native';
import { useRecordsState, type AnyOrder } from '../../data';
import { useKeptEntry } from '../../forms';
import { Action, Choice, Field, Section, Sheet } from '../../ui/controls';
import { Words } from '../../ui/text';
import { SPACE } from '../../ui/theme';

/** More marks than this are typed, not chosen. */
const CHOSEN_OF = 40;
/** So many of what changes are named; the others are counted. */
const NAMED = 12;

/** A mark gets another name, or turns out to be a mark that is there already; what changes with it stands there before. */
export function MarkSheet({ set, mark, onClose }: { set: StoredRecord<'set'>; mark: string; onClose: () => void }) {
  const byId = useRecordsState((s) => s.records);
  const writeMany = useRecordsState((s) => s.writeMany);
  const kept = useKeptEntry(`mark ${set.id} ${mark}`, { to: '' });
  const { to } = kept.entry;
  const records = Object.values(byId);
  const others = marksOf(set, records).filter((m) => m !== mark);
  const name = to.trim();
  const merges = others.includes(name);
  const changes = renamedMark(set.id, mark, name, records);
  const hidden = changes.filter((c) => c.hides);
  const renamed = changes.filter((c) => !c.hides);
  const keep = async () => {
    await writeMany(
      changes.map((c) => ({ kind: c.kind, id: c.id, change: c.change, deleted: c.hides }) as AnyOrder),
      merges ? `${mark} is ${name}` : `${mark} is called ${name}`,
    );
    kept.done();
    onClose();
  };
  return (
    <Sheet title={`Mark ${mark}`} open onClose={onClose}>
      <Field label="Its name" value={to} onChangeText={(v) => kept.set({ to: v })} hint="Type another name, or that of the mark which it is." testID="mark-new-name" />
      {others.length > 0 && others.length <= CHOSEN_OF ? (
        <Choice<string> label="It is the same as" value={merges ? name : ''} options={others.map((m) => ({ value: m, title: m }))} onChange={(v) => kept.set({ to: v })} />
      ) : null}
      {name && name !== mark ? (
        <Section title={merges ? `${mark} and ${name} become one` : `${mark} becomes ${name}`}>
          {merges ? <Words>{`What was measured of ${mark} then counts as measured of ${name}. If the two are not one mark, the tape net will say that they contradict.`}</Words> : null}
          <Listed title={`From now on with ${name}`} words={renamed.map((c) => c.words)} />
          <Listed title={`Hidden, because it would be between ${name} and itself`} words={hidden.map((c) => c.words)} />
          <Words look="small" dim style={{ marginVertical: SPACE.s }}>
            Tracks keep the names with which they were made.
          </Words>
          <Action kind="main" title={merges ? `They are one: ${name}` : `Call it ${name}`} disabled={name.length > 40 || changes.length === 0} onPress={() => void keep()} testID="keep-mark-name" />
        </Section>
      ) : null}
    </Sheet>
  );
}

function Listed({ title, words }: { title: string; words: readonly string[] }) {
  if (words.length === 0) return null;
  return (
    <View style={{ marginTop: SPACE.s }}>
      <Words look="label" dim>
        {title}
      </Words>
      {words.slice(0, NAMED).map((w, i) => (
        <Words key={`${w} ${i}`} look="small">
          {w}
        </Words>
      ))}
      {words.length > NAMED ? <Words look="small" dim>{`and ${words.length - NAMED} more`}</Words> : null}
    </View>
  );
}
