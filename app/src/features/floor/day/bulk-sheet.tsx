import { bulkLines, cameraFor, takeField, type TakeBody, TAKE_FIELDS, touched, type BulkLine, type StoredRecord, type TakeFieldKey } from '@mesure/contract';
import { CoreError } from '@mesure/core';
import { useState } from 'react';
import { View } from 'react-native';
import { useAll, useClock, useRecordsState } from '../../../data';
import { CameBack, useKeptEntry } from '../../../forms';
import { Action, Choice, Field, Sheet } from '../../../ui/controls';
import { Words } from '../../../ui/text';
import { SPACE, usePalette } from '../../../ui/theme';
import { useTakeWords } from '../use-floor';

/** What belongs to one take alone is not corrected for many. */
const ALONE: readonly TakeFieldKey[] = ['take', 'clip', 'timecodeIn', 'timecodeOut', 'circled', 'notes', 'zoomFrom', 'zoomTo'];
const FIELDS = TAKE_FIELDS.filter((f) => !ALONE.includes(f.key));

/** "The reducer was on since 14:10": a value for this take and those after it, seen before it is done, taken back with one undo. */
export function BulkSheet({ from, onClose }: { from: StoredRecord<'take'>; onClose: () => void }) {
  const clock = useClock();
  const p = usePalette();
  const words = useTakeWords();
  const takes = useAll('take');
  const writeMany = useRecordsState((s) => s.writeMany);
  const kept = useKeptEntry<{ key: TakeFieldKey; text: string }>(`correct ${from.id}`, { key: 'packageId', text: takeField('packageId')!.text(from.body, words) });
  const { key, text } = kept.entry;
  const [range, setRange] = useState<'setup' | 'day'>('day');
  const [everyCamera, setEveryCamera] = useState(false);
  const field = takeField(key)!;
  const camera = cameraFor(from.body, words);
  const choices = key === 'packageId' ? words.packages.map((q) => q.camera) : field.choices;
  const lines = linesOf();
  function linesOf(): BulkLine[] | string {
    try {
      return bulkLines({ field: key, text, since: from.body.loggedAt, camera: everyCamera ? null : camera, setupId: range === 'setup' ? from.body.setupId : null }, takes, words);
    } catch (e) {
      return e instanceof CoreError ? e.message : String(e);
    }
  }
  const pick = (next: TakeFieldKey) => {
    kept.set({ key: next, text: takeField(next)!.text(from.body, words) });
  };
  async function apply(all: BulkLine[]) {
    await writeMany(
      all.map((l) => ({ kind: 'take' as const, id: l.take.id, change: (now: TakeBody) => touched(now, field.read(text, now, words)) })),
      `${field.title} of ${all.length} takes corrected`,
    );
    kept.done();
    onClose();
  }
  return (
    <Sheet title={`Correct from ${from.body.slate} take ${from.body.take} on`} open onClose={onClose}>
      {kept.cameBack ? <CameBack /> : null}
      <Choice<TakeFieldKey> label="Field" value={key} options={FIELDS.map((f) => ({ value: f.key, title: f.title }))} onChange={pick} />
      {choices ? (
        <Choice label={field.title} value={text} options={choices.map((c) => ({ value: c, title: key === 'packageId' ? `${c}-cam` : c }))} onChange={(v) => kept.set({ text: v })} />
      ) : (
        <Field label={field.title} suffix={field.unit} value={text} onChangeText={(v) => kept.set({ text: v })} error={typeof lines === 'string' ? lines : null} testID="bulk-value" />
      )}
      <Choice
        label="Of which takes"
        value={range}
        options={[
          { value: 'day', title: `all since ${clock.time(from.body.loggedAt)}` },
          { value: 'setup', title: 'of this setup only' },
        ]}
        onChange={setRange}
      />
      <Choice
        label="Of which camera"
        value={everyCamera ? 'all' : 'one'}
        options={[
          { value: 'one', title: `${camera}-cam` },
          { value: 'all', title: 'every camera' },
        ]}
        onChange={(v) => setEveryCamera(v === 'all')}
      />
      {typeof lines === 'string' ? null : (
        <View testID="bulk-preview">
          <Words look="heading">{lines.length === 0 ? 'Nothing would change' : `${lines.length} ${lines.length === 1 ? 'take changes' : 'takes change'}`}</Words>
          {lines.slice(0, 40).map((l) => (
            <View key={l.take.id} style={{ paddingVertical: SPACE.xs, borderBottomWidth: 1, borderColor: p.line }}>
              <Words look="small">{`${clock.time(l.take.body.loggedAt)} · ${l.take.body.slate} take ${l.take.body.take}: ${l.before || '–'} → ${l.after || '–'}`}</Words>
            </View>
          ))}
          {lines.length > 40 ? <Words look="small" dim>{`and ${lines.length - 40} more`}</Words> : null}
          <View style={{ marginTop: SPACE.m }}>
            <Action kind="main" title={`Correct ${lines.length} ${lines.length === 1 ? 'take' : 'takes'}`} disabled={lines.length === 0} onPress={() => void apply(lines)} testID="apply-bulk" />
          </View>
        </View>
      )}
    </Sheet>
  );
}
