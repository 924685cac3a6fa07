import type { RecordBodies } from '@mesure/contract';
import { useRouter } from 'expo-router';
import { View } from 'react-native';
import { newId, useAll, useRecordsState, type AnyOrder } from '../../data';
import { bodyProblems, ChoiceField, FormNotes, TextField, useKeptForm } from '../../forms';
import { Action, Sheet } from '../../ui/controls';
import { readNumber } from '../../ui/format';
import { Words } from '../../ui/text';
import { SPACE } from '../../ui/theme';
import { useProduction } from '../days/use-day';

interface MountText {
  camera: string;
  body: string;
  widthPx: string;
  heightPx: string;
  sensorWidthMm: string;
  sensorHeightMm: string;
  lens: string;
  serial: string;
  kind: 'prime' | 'zoom';
  minFocalMm: string;
  maxFocalMm: string;
  squeeze: string;
}
const number = (text: string): number => readNumber(text.replace(/\s*(mm|px)$/i, '')) ?? Number.NaN;

/** The first camera of a film in one sheet: body with the mode that is used, lens, and both together on a camera. More of each follow in Kit. */
export function MountSheet({ onClose }: { onClose: () => void }) {
  const router = useRouter();
  const { fps } = useProduction();
  const cameras = useAll('package').map((q) => q.body.camera);
  const writeMany = useRecordsState((s) => s.writeMany);
  const letter = [...'ABCDEFGHIJKLMNOPQRSTUVWXYZ'].find((l) => !cameras.includes(l)) ?? 'A';
  const initial: MountText = {
    camera: letter,
    body: '',
    widthPx: '',
    heightPx: '',
    sensorWidthMm: '',
    sensorHeightMm: '',
    lens: '',
    serial: '',
    kind: 'prime',
    minFocalMm: '',
    maxFocalMm: '',
    squeeze: '1',
  };
  const form = useKeptForm<MountText>('mount', initial, async (v) => {
    const { body, lens, pack } = partsOf(v, fps);
    const found = [
      ...(await bodyProblems('body', body)).map((p) => ({ ...p, field: BODY_FIELDS[p.field] ?? p.field })),
      ...(await bodyProblems('lens', lens)).map((p) => ({ ...p, field: LENS_FIELDS[p.field] ?? p.field })),
    ];
    return [...found, ...(await bodyProblems('package', pack)).filter((p) => p.field === 'camera')];
  });
  const v = form.watch();
  const pitchUm = (number(v.sensorWidthMm) / number(v.widthPx)) * 1000;
  const angle = (2 * Math.atan((number(v.sensorWidthMm) * number(v.squeeze)) / 2 / number(v.minFocalMm)) * 180) / Math.PI;
  const mount = form.handleSubmit(async (values) => {
    const { body, lens, pack } = partsOf(values, fps);
    const orders: AnyOrder[] = [
      { kind: 'body', id: pack.bodyId, change: body },
      { kind: 'lens', id: pack.lensId, change: lens },
      { kind: 'package', id: newId(), change: { ...pack, modeId: body.modes[0].id } },
    ];
    await writeMany(orders, `${pack.camera}-cam mounted`);
    form.done();
    onClose();
    router.push(`/kit/${orders[2].id}`);
  });
  return (
    <Sheet title={`Mount ${v.camera || 'a'}-cam`} open onClose={onClose}>
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
      <View style={{ height: SPACE.m }} />
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
      <TextField form={form} name="camera" label="Letter of the camera" testID="mount-camera" />
      {angle > 0 ? <Words testID="mount-angle">{`= ${angle.toFixed(1)}° wide`}</Words> : null}
      <FormNotes form={form} />
      <Action kind="main" icon="add" title={`Mount ${v.camera || 'the'}-cam`} onPress={() => void mount()} testID="mount" />
    </Sheet>
  );
}

const BODY_FIELDS: Record<string, string> = {
  name: 'body',
  'modes.0.widthPx': 'widthPx',
  'modes.0.heightPx': 'heightPx',
  'modes.0.sensorWidthMm': 'sensorWidthMm',
  'modes.0.sensorHeightMm': 'sensorHeightMm',
  'modes.0': 'sensorWidthMm',
};
const LENS_FIELDS: Record<string, string> = { name: 'lens' };

/** What was typed as records; what is no number becomes one that no schema takes. */
function partsOf(v: MountText, fps: number): { body: RecordBodies['body']; lens: RecordBodies['lens']; pack: RecordBodies['package'] } {
  const modeId = newId();
  const minFocalMm = number(v.minFocalMm);
  return {
    body: {
      name: v.body.trim(),
      modes: [{ id: modeId, name: 'as used', widthPx: number(v.widthPx), heightPx: number(v.heightPx), sensorWidthMm: number(v.sensorWidthMm), sensorHeightMm: number(v.sensorHeightMm), fps }],
    },
    lens: { name: v.lens.trim(), kind: v.kind, minFocalMm, maxFocalMm: v.kind === 'zoom' ? number(v.maxFocalMm) : minFocalMm, squeeze: number(v.squeeze), serial: v.serial.trim() },
    pack: { camera: v.camera.trim().toUpperCase(), bodyId: newId(), modeId, lensId: newId(), adapterId: null, focalMm: minFocalMm },
  };
}
