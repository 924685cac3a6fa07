import { HANDOVER_PARTS, takeName, takeNameProblem, USUAL_TAKE_NAME, type ReceiverBody, type StoredRecord, type TakeNameWords } from '@mesure/contract';
import { View } from 'react-native';
import { newId, onto, useMay, useRecordsState } from '../../data';
import { bodyProblems, ChoiceField, FormNotes, LeaveForm, TextField, useKeptForm } from '../../forms';
import { Action, Section, Tick } from '../../ui/controls';
import { Words } from '../../ui/text';
import { SPACE } from '../../ui/theme';

const NEW: ReceiverBody = { name: '', without: [], maps: 'none', unit: 'm', up: 'Y', addFrames: 0, takeName: USUAL_TAKE_NAME, inFileNames: false, notes: '' };

interface Typed {
  name: string;
  without: string;
  maps: ReceiverBody['maps'];
  unit: ReceiverBody['unit'];
  up: ReceiverBody['up'];
  addFrames: string;
  takeName: string;
  inFileNames: 'no' | 'yes';
  notes: string;
}
const typedOf = (b: ReceiverBody): Typed => ({ ...b, without: b.without.join(' '), addFrames: String(b.addFrames), inFileNames: b.inFileNames ? 'yes' : 'no' });
const partsOf = (v: Pick<Typed, 'without'>): string[] => v.without.split(' ').filter((w) => w !== '');
/** Whole numbers, with a sign or none. */
const framesOf = (text: string): number => (/^[+\-−]?\s*\d+$/.test(text.trim()) ? Number(text.replace('−', '-').replace(/[\s+]/g, '')) : Number.NaN);
const bodyOf = (v: Typed): ReceiverBody => ({
  ...v,
  name: v.name.trim(),
  without: partsOf(v),
  addFrames: framesOf(v.addFrames),
  takeName: v.takeName.trim(),
  inFileNames: v.inFileNames === 'yes',
});

interface Props {
  /** null: a new one */
  receiver: StoredRecord<'receiver'> | null;
  /** of a take of the day, by which the names are shown */
  example: TakeNameWords;
  /** its id; null where it is gone, or nothing was kept */
  onDone: (id: string | null) => void;
}

/** How somebody who gets handovers wants them. */
export function ReceiverSheet({ receiver, example, onDone }: Props) {
  const write = useRecordsState((s) => s.write);
  const mayHide = useMay('record');
  const base = receiver?.body ?? NEW;
  const form = useKeptForm<Typed>(`receiver ${receiver?.id ?? 'new'}`, typedOf(base), async (v) => {
    const body = bodyOf(v);
    if (Number.isNaN(body.addFrames)) return [{ field: 'addFrames', message: `“${v.addFrames}” is no whole number` }];
    return bodyProblems<ReceiverBody>('receiver', body);
  });
  const now = form.watch();
  const without = partsOf(now);
  const problem = takeNameProblem(now.takeName);
  const add = framesOf(now.addFrames);
  const name = takeName(now.takeName, example);
  const keep = form.handleSubmit(async (v) => {
    const id = receiver?.id ?? newId();
    await write('receiver', id, receiver ? onto('receiver', base, bodyOf(v)) : bodyOf(v), `${v.name.trim()} kept`);
    form.done();
    onDone(id);
  });
  return (
    <View testID="receiver-sheet">
      <TextField form={form} name="name" label="Who gets it" hint="A house, a department, a name" testID="receiver-name" />
      <Section title="What leaves">
        <Words look="small" dim>
          The tables, the report, every solve and the list of what is missing always leave.
        </Words>
        {HANDOVER_PARTS.map((part) => {
          const on = !without.includes(part.id);
          return (
            <Tick
              key={part.id}
              title={part.title}
              detail={part.detail}
              on={on}
              testID={`leaves-${part.id}`}
              onPress={() => form.setValue('without', [...without.filter((w) => w !== part.id), ...(on ? [part.id] : [])].join(' '), { shouldDirty: true })}
            />
          );
        })}
      </Section>
      <Section title="How it counts">
        <ChoiceField
          form={form}
          name="unit"
          label="Places in"
          options={[
            { value: 'm', title: 'metres' },
            { value: 'cm', title: 'centimetres' },
            { value: 'mm', title: 'millimetres' },
          ]}
        />
        <ChoiceField
          form={form}
          name="up"
          label="Up is"
          options={[
            { value: 'Y', title: 'Y' },
            { value: 'Z', title: 'Z' },
          ]}
        />
        <Words look="small" dim style={{ marginBottom: SPACE.m }}>
          glTF and the open tracking metadata keep the metres and axes of their standards.
        </Words>
        <TextField
          form={form}
          name="addFrames"
          label="Added to frame numbers"
          keyboard="numbers-and-punctuation"
          hint={Number.isNaN(add) ? 'As 1000' : `Frame 1 of the tracks leaves as ${1 + add}`}
          testID="receiver-frames"
        />
        <ChoiceField
          form={form}
          name="maps"
          label="Distortion as ST maps"
          options={[
            { value: 'none', title: 'none' },
            { value: 'exr', title: 'OpenEXR' },
            { value: 'tiff', title: 'TIFF' },
          ]}
        />
      </Section>
      <Section title="Names">
        <TextField form={form} name="takeName" label="A take is called" hint={problem ?? `As ${name}`} testID="receiver-take-name" />
        <ChoiceField
          form={form}
          name="inFileNames"
          label="In the names of its files"
          options={[
            { value: 'no', title: 'no', detail: 'camera.usda' },
            { value: 'yes', title: 'yes', detail: problem ? undefined : `${name}_camera.usda` },
          ]}
        />
        <TextField form={form} name="notes" label="Notes" multiline testID="receiver-notes" />
      </Section>
      <FormNotes form={form} />
      <View style={{ gap: SPACE.s }}>
        <Action kind="main" title={`Keep ${now.name.trim() || 'the receiver'}`} onPress={() => void keep()} testID="keep-receiver" />
        <LeaveForm form={form} onLeave={() => onDone(receiver?.id ?? null)} />
      </View>
      {receiver && mayHide ? (
        <View style={{ marginTop: SPACE.xl, alignItems: 'flex-start' }}>
          <Action
            icon="visibility-off"
            title={`Hide ${receiver.body.name}`}
            testID="hide-receiver"
            onPress={() => {
              void write('receiver', receiver.id, (b) => b, `${receiver.body.name} hidden`, true);
              form.done();
              onDone(null);
            }}
          />
        </View>
      ) : null}
    </View>
  );
}
