import type { HandoverPlan, StoredRecord } from '@mesure/contract';
import { useState } from 'react';
import { View } from 'react-native';
import { api, newId, useClock, useData } from '../../data';
import { ChoiceField, FormNotes, TextField, useKeptForm } from '../../forms';
import { Action } from '../../ui/controls';
import { saveFile } from '../../ui/save-file';
import { Failing } from '../../ui/states';
import { Words } from '../../ui/text';

interface Props {
  dayId: string;
  dayName: string;
  plan: HandoverPlan;
  /** as whom the plan was asked for; null: everything, as it is kept */
  receiver: StoredRecord<'receiver'> | null;
  /** of everything that is missing, what nobody answered */
  open: number;
  onDone: (said: string) => void;
}

const mapWords = ({ count, maxBytes }: HandoverPlan['maps']): string => `${count} maps, up to ${maxBytes < 1e9 ? `${(maxBytes / 1e6).toFixed(0)} MB` : `${(maxBytes / 1e9).toFixed(1)} GB`}`;

const megabytes = (bytes: number): string => `${(bytes / 1e6).toFixed(2)} MB`;

/** To whom, and how much of it: the last question before a day leaves. */
export function HandOverSheet({ dayId, dayName, plan, receiver, open, onDone }: Props) {
  const clock = useClock();
  const { session } = useData();
  // a supplement adds to what left in the same way: under other names or units everything would be new
  const [before] = useState(plan.handedOver.find((h) => h.receiverId === (receiver?.id ?? null)));
  const [state, setState] = useState<{ busy: boolean; bytes: number; error: string | null }>({ busy: false, bytes: 0, error: null });
  const form = useKeptForm(`hand over ${dayId} ${receiver?.id ?? ''}`, { to: before?.to ?? receiver?.body.name ?? '', what: before ? 'new' : 'all', maps: 'none', target: 'download' }, (v) =>
    v.to.trim() === '' ? [{ field: 'to', message: 'Say who gets it' }] : [],
  );
  const handOver = form.handleSubmit(async (v) => {
    setState({ busy: true, bytes: 0, error: null });
    try {
      const asked = {
        id: newId(),
        to: v.to.trim(),
        supplementTo: v.what === 'new' && before ? before.id : null,
        maps: receiver?.body.maps ?? (v.maps as 'none' | 'exr' | 'tiff'),
        receiverId: receiver?.id ?? null,
      };
      if (v.target === 'server') {
        const kept = await api.keepHandOver(session.production.id, dayId, asked);
        form.done();
        onDone(`Handed over to ${asked.to}: ${kept.name}, ${megabytes(kept.sizeBytes)}, is on the server${kept.copiedTo ? `, and at ${kept.copiedTo}` : ''}`);
        return;
      }
      const { name, blob } = await api.handOver(session.production.id, dayId, asked, (bytes) => setState((s) => ({ ...s, bytes })));
      saveFile(name, new Uint8Array(await blob.arrayBuffer()), 'application/zip');
      form.done();
      onDone(`Handed over to ${asked.to}: ${name}, ${megabytes(blob.size)}`);
    } catch (e) {
      setState({ busy: false, bytes: 0, error: e instanceof Error ? e.message : String(e) });
    }
  });
  return (
    <View testID="hand-over-sheet">
      {open > 0 ? <Words>{`${open} ${open === 1 ? 'thing is' : 'things are'} missing and not answered; the handover says so.`}</Words> : null}
      <TextField form={form} name="to" label="To whom" hint="A house, a department, a name" testID="hand-over-to" />
      {before ? (
        <ChoiceField
          form={form}
          name="what"
          label="What leaves"
          options={[
            { value: 'new', title: 'What is new', detail: `since ${clock.stamp(before.at)}, to ${before.to}` },
            { value: 'all', title: 'All of it', detail: `${plan.files.length} files` },
          ]}
        />
      ) : null}
      {receiver ? (
        <Words
          look="small"
          dim
        >{`As ${receiver.body.name} wants it: ${plan.files.length} files${plan.leftOut > 0 ? `, ${plan.leftOut} left out` : ''}${receiver.body.maps !== 'none' && plan.maps.count > 0 ? `, and ${mapWords(plan.maps)}` : ''}.`}</Words>
      ) : null}
      {plan.maps.count > 0 && !receiver ? (
        <ChoiceField
          form={form}
          name="maps"
          label="Distortion as ST maps"
          options={[
            { value: 'none', title: 'none', detail: 'formulas leave all the same' },
            { value: 'exr', title: 'OpenEXR', detail: mapWords(plan.maps) },
            { value: 'tiff', title: 'TIFF', detail: mapWords(plan.maps) },
          ]}
        />
      ) : null}
      <ChoiceField
        form={form}
        name="target"
        label="Where to"
        options={[
          { value: 'download', title: 'this device', detail: 'at once' },
          { value: 'server', title: 'the server', detail: 'fetched from there, goes on where it was cut' },
        ]}
      />
      <FormNotes form={form} />
      {state.error ? <Failing title="The handover was not made" text={`${state.error} Nothing was changed.`} /> : null}
      {state.busy ? <Words role="status">{state.bytes === 0 ? 'The server makes the files …' : `${(state.bytes / 1e6).toFixed(1)} MB are here`}</Words> : null}
      <Action kind="main" icon="archive" title={`Hand ${dayName} over`} busy={state.busy} onPress={() => void handOver()} testID="hand-over-now" />
    </View>
  );
}
