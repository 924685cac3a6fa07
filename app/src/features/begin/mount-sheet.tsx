import { useRouter } from 'expo-router';
import { View } from 'react-native';
import { newId, useAll, useMounted, useRecordsState, type AnyOrder } from '../../data';
import { bodyProblems, ChoiceField, FormNotes, TextField, useKeptForm, type KeptForm } from '../../forms';
import { Action, Sheet } from '../../ui/controls';
import { Words } from '../../ui/text';
import { SPACE } from '../../ui/theme';
import { useProduction } from '../days/use-day';
import { lensWords, nextCamera } from '../kit/package-words';
import { BODY_FIELDS, LENS_FIELDS, NEW, number, partsOf, type MountText } from './mount-parts';

const byName = <R extends { body: { name: string } }>(parts: readonly R[]): R[] => [...parts].sort((a, b) => a.body.name.localeCompare(b.body.name, 'en', { numeric: true }));

/** A camera in one sheet: a body with the mode that is used and a lens, of the kit or new, and both together under a letter. */
export function MountSheet({ onClose }: { onClose: () => void }) {
  const router = useRouter();
  const { fps } = useProduction();
  const mounted = useMounted();
  const bodies = byName(useAll('body'));
  const lenses = byName(useAll('lens'));
  const writeMany = useRecordsState((s) => s.writeMany);
  const initial: MountText = {
    camera: nextCamera(mounted),
    bodyId: bodies[0]?.id ?? NEW,
    modeId: bodies[0]?.body.modes[0].id ?? '',
    body: '',
    widthPx: '',
    heightPx: '',
    sensorWidthMm: '',
    sensorHeightMm: '',
    lensId: lenses[0]?.id ?? NEW,
    lens: '',
    serial: '',
    kind: 'prime',
    minFocalMm: '',
    maxFocalMm: '',
    squeeze: '1',
    focalMm: '',
  };
  const form = useKeptForm<MountText>('mount', initial, async (v) => {
    const { body, lens, pack, optics } = partsOf(v, fps, bodies, lenses);
    const found = [
      ...(body ? await bodyProblems('body', body) : []).map((p) => ({ ...p, field: BODY_FIELDS[p.field] ?? p.field })),
      ...(lens ? await bodyProblems('lens', lens) : []).map((p) => ({ ...p, field: LENS_FIELDS[p.field] ?? p.field })),
    ];
    // of a new lens the numbers were judged above
    if (!lens && !(pack.focalMm >= optics.minFocalMm && pack.focalMm <= optics.maxFocalMm))
      found.push({ field: 'focalMm', message: `This lens is marked ${optics.minFocalMm} to ${optics.maxFocalMm} mm` });
    return [...found, ...(await bodyProblems('package', pack)).filter((p) => p.field === 'camera')];
  });
  const v = form.watch();
  const parts = partsOf(v, fps, bodies, lenses);
  const angle = (2 * Math.atan((parts.mode.sensorWidthMm * parts.optics.squeeze) / 2 / parts.pack.focalMm) * 180) / Math.PI;
  const mount = form.handleSubmit(async (values) => {
    const { body, lens, pack } = partsOf(values, fps, bodies, lenses);
    const id = newId();
    const orders: AnyOrder[] = [
      ...(body ? [{ kind: 'body' as const, id: pack.bodyId, change: body }] : []),
      ...(lens ? [{ kind: 'lens' as const, id: pack.lensId, change: lens }] : []),
      { kind: 'package', id, change: pack },
    ];
    await writeMany(orders, `${pack.camera}-cam mounted`);
    form.done();
    onClose();
    router.push(`/kit/${id}`);
  });
  const ownBody = bodies.find((b) => b.id === v.bodyId);
  const ownLens = lenses.find((l) => l.id === v.lensId);
  return (
    <Sheet title={`Mount ${v.camera || 'a'}-cam`} open onClose={onClose}>
      {bodies.length > 0 ? (
        <ChoiceField
          form={form}
          name="bodyId"
          label="Body"
          options={[...bodies.map((b) => ({ value: b.id, title: b.body.name })), { value: NEW, title: 'one that is not in the kit' }]}
          onChosen={(id) => form.setValue('modeId', bodies.find((b) => b.id === id)?.body.modes[0].id ?? '')}
        />
      ) : null}
      {ownBody ? (
        ownBody.body.modes.length > 1 ? (
          <ChoiceField form={form} name="modeId" label="Recording mode" options={ownBody.body.modes.map((m) => ({ value: m.id, title: m.name, detail: `${m.widthPx} × ${m.heightPx}` }))} />
        ) : null
      ) : (
        <NewBody form={form} />
      )}
      <View style={{ height: SPACE.m }} />
      {lenses.length > 0 ? (
        <ChoiceField
          form={form}
          name="lensId"
          label="Lens"
          options={[
            ...lenses.map((l) => ({ value: l.id, title: l.body.name, detail: [lensWords(l.body), l.body.serial].filter(Boolean).join(' · ') })),
            { value: NEW, title: 'one that is not in the kit' },
          ]}
        />
      ) : null}
      {!ownLens ? <NewLens form={form} /> : null}
      {ownLens?.body.kind === 'zoom' ? (
        <TextField form={form} name="focalMm" label="Focal length as marked" suffix="mm" hint={`Left empty: ${ownLens.body.minFocalMm}`} keyboard="decimal-pad" testID="mount-at" />
      ) : null}
      <TextField form={form} name="camera" label="Letter of the camera" testID="mount-camera" />
      {angle > 0 ? <Words testID="mount-angle">{`= ${angle.toFixed(1)}° wide`}</Words> : null}
      <FormNotes form={form} />
      <Action kind="main" icon="add" title={`Mount ${v.camera || 'the'}-cam`} onPress={() => void mount()} testID="mount" />
    </Sheet>
  );
}

function NewBody({ form }: { form: KeptForm<MountText> }) {
  const v = form.watch();
  const pitchUm = (number(v.sensorWidthMm) / number(v.widthPx)) * 1000;
  return (
    <>
      <TextField form={form} name="body" label="Body" hint="As the crew calls it" testID="mount-body" />
      <View style={{ flexDirection: 'row', gap: SPACE.m }}>
        <View style={{ flex: 1 }}>
          <TextField form={form} name="widthPx" label="Picture width" suffix="px" keyboard="number-pad" testID="mount-width" />
        </View>
        <View style={{ flex: 1 }}>
          <TextField form={form} name="heightPx" label="Picture height" suffix="px" keyboard="number-pad" testID="mount-height" />
        </View>
      </View>
      <View style={{ flexDirection: 'row', gap: SPACE.m }}>
        <View style={{ flex: 1 }}>
          <TextField form={form} name="sensorWidthMm" label="Sensor width" suffix="mm" keyboard="decimal-pad" testID="mount-sensor-width" />
        </View>
        <View style={{ flex: 1 }}>
          <TextField form={form} name="sensorHeightMm" label="Sensor height" suffix="mm" keyboard="decimal-pad" testID="mount-sensor-height" />
        </View>
      </View>
      <Words look="small" dim>
        {pitchUm > 0 ? `The area that this mode records, not the chip: one pixel would be ${pitchUm.toFixed(2)} µm.` : 'The area that the mode in use records, not the chip.'}
      </Words>
    </>
  );
}

function NewLens({ form }: { form: KeptForm<MountText> }) {
  const v = form.watch();
  return (
    <>
      <TextField form={form} name="lens" label="Lens" hint="As the crew calls it" testID="mount-lens" />
      <TextField form={form} name="serial" label="Serial number of the lens" hint="By it a lens that was measured is known again on the next film" testID="mount-serial" />
      <ChoiceField
        form={form}
        name="kind"
        label="Kind of lens"
        options={[
          { value: 'prime', title: 'prime' },
          { value: 'zoom', title: 'zoom' },
        ]}
      />
      <View style={{ flexDirection: 'row', gap: SPACE.m }}>
        <View style={{ flex: 1 }}>
          <TextField form={form} name="minFocalMm" label={v.kind === 'zoom' ? 'Shortest focal length' : 'Focal length'} suffix="mm" keyboard="decimal-pad" testID="mount-focal" />
        </View>
        {v.kind === 'zoom' ? (
          <View style={{ flex: 1 }}>
            <TextField form={form} name="maxFocalMm" label="Longest" suffix="mm" keyboard="decimal-pad" testID="mount-focal-max" />
          </View>
        ) : null}
        <View style={{ flex: 1 }}>
          <TextField form={form} name="squeeze" label="Squeeze" hint="1: spherical" keyboard="decimal-pad" testID="mount-squeeze" />
        </View>
      </View>
    </>
  );
}
