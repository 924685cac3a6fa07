import type { StoredRecord, TakeBody } from '@mesure/contract';
import { asRecorded, countingWords, type CountingQuestion, type PictureSize, type TrackCounting } from '@mesure/core';
import { useState } from 'react';
import { View } from 'react-native';
import { useMay, useRecordsState } from '../../data';
import { ChoiceField, FormNotes, TextField, useKeptForm } from '../../forms';
import { Action, Sheet } from '../../ui/controls';
import { Words } from '../../ui/text';
import { SPACE, usePalette } from '../../ui/theme';

/** The tracks seem to count otherwise than they were read: which way is for a person to say. */
export function CountingAsked({ take, question, picture, onSaid }: { take: StoredRecord<'take'>; question: CountingQuestion; picture: PictureSize; onSaid: () => Promise<void> }) {
  const p = usePalette();
  const may = useMay('compute');
  const write = useRecordsState((s) => s.write);
  const say = async (counting: TrackCounting) => {
    await write('take', take.id, (now) => ({ ...now, tracksCounted: counting }), `Tracks of ${take.body.slate} take ${take.body.take}: ${countingWords(counting, picture)}`);
    await onSaid();
  };
  const now = take.body.tracksCounted ?? asRecorded(picture);
  return (
    <View style={{ borderLeftWidth: 4, borderColor: p.tape, paddingLeft: SPACE.m, marginVertical: SPACE.m, gap: SPACE.s }} testID="counting-question">
      <Words look="heading" level={2}>
        How do these tracks count?
      </Words>
      <Words>{question.words}</Words>
      {may ? (
        <View style={{ gap: SPACE.s, alignItems: 'flex-start' }}>
          {question.choices.map((c) => (
            <Action key={countingWords(c, picture)} title={`Read them ${countingWords(c, picture)}`} onPress={() => void say(c)} testID={`count-${c.from}-${c.yUp ? 'up' : 'down'}-${c.widthPx}`} />
          ))}
          <Action kind="quiet" title={`They are right: ${countingWords(now, picture)}`} onPress={() => void say(now)} testID="count-as-is" />
        </View>
      ) : null}
    </View>
  );
}

interface Typed {
  from: 'corner' | 'middle';
  y: 'down' | 'up';
  width: string;
  height: string;
  addFrames: string;
}

/** How the file counts, in a line; it can be said otherwise. */
export function CountingLine({ take, picture, onSaid }: { take: StoredRecord<'take'>; picture: PictureSize; onSaid: () => Promise<void> }) {
  const may = useMay('compute');
  const [open, setOpen] = useState(false);
  const counting = take.body.tracksCounted ?? null;
  return (
    <View style={{ flexDirection: 'row', alignItems: 'center', justifyContent: 'space-between' }}>
      <Words look="small" dim style={{ flex: 1 }} testID="counting">
        {`read ${countingWords(counting ?? asRecorded(picture), picture)}`}
      </Words>
      {may ? <Action kind="quiet" title="They count otherwise" onPress={() => setOpen(true)} testID="count-otherwise" /> : null}
      <Sheet title="How the tracks count" open={open} onClose={() => setOpen(false)}>
        {open ? (
          <CountingForm
            take={take}
            picture={picture}
            onDone={() => {
              setOpen(false);
              void onSaid();
            }}
          />
        ) : null}
      </Sheet>
    </View>
  );
}

function CountingForm({ take, picture, onDone }: { take: StoredRecord<'take'>; picture: PictureSize; onDone: () => void }) {
  const write = useRecordsState((s) => s.write);
  const [base] = useState(take.body.tracksCounted ?? asRecorded(picture));
  const initial: Typed = { from: base.from, y: base.yUp ? 'up' : 'down', width: String(base.widthPx), height: String(base.heightPx), addFrames: String(base.addFrames) };
  const form = useKeptForm<Typed>(`counting ${take.id}`, initial, (v) => [
    ...sizeProblem('width', v.width),
    ...sizeProblem('height', v.height),
    ...(/^-?\d{1,7}$/.test(v.addFrames.trim()) ? [] : [{ field: 'addFrames', message: 'A whole number; 0 leaves them as they are' }]),
  ]);
  const keep = form.handleSubmit(async (v) => {
    const counting: TakeBody['tracksCounted'] = { from: v.from, yUp: v.y === 'up', widthPx: Number(v.width), heightPx: Number(v.height), addFrames: Number(v.addFrames) };
    await write('take', take.id, (now) => ({ ...now, tracksCounted: counting }), `Tracks of ${take.body.slate} take ${take.body.take}: ${countingWords(counting, picture)}`);
    form.done();
    onDone();
  });
  return (
    <View testID="counting-form">
      <ChoiceField
        form={form}
        name="from"
        label="They count from"
        options={[
          { value: 'corner', title: 'a corner' },
          { value: 'middle', title: 'the middle' },
        ]}
      />
      <ChoiceField
        form={form}
        name="y"
        label="y grows"
        options={[
          { value: 'down', title: 'downwards' },
          { value: 'up', title: 'upwards' },
        ]}
      />
      <TextField
        form={form}
        name="width"
        label="Width of the picture that was tracked"
        hint={`Recorded: ${picture.widthPx}. 1 where they count in shares of it`}
        keyboard="decimal-pad"
        suffix="px"
        testID="counting-width"
      />
      <TextField form={form} name="height" label="Its height" hint={`Recorded: ${picture.heightPx}`} keyboard="decimal-pad" suffix="px" testID="counting-height" />
      <TextField form={form} name="addFrames" label="Added to frame numbers" hint="So that frame 1 is the take's first" testID="counting-frames" />
      <FormNotes form={form} />
      <Action kind="main" title="Read them so and solve" onPress={() => void keep()} testID="keep-counting" />
    </View>
  );
}

const sizeProblem = (field: 'width' | 'height', text: string) => (Number(text) > 0 && Number(text) <= 100_000 ? [] : [{ field, message: 'A number above 0' }]);
