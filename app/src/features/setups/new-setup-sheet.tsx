import { KIND_WORDS, lastOrder, newSetup, nextDay, nextSlate, slatesOf, type SetBody, type StoredRecord } from '@mesure/contract';
import { MOVE_KINDS, type MoveKind } from '@mesure/core';
import { useRouter, type Href } from 'expo-router';
import { newId, useAll, useMounted, useRecordsState, type AnyOrder } from '../../data';
import { ChoiceField, FormNotes, TextField, useKeptForm } from '../../forms';
import { Action, Sheet } from '../../ui/controls';
import { useChooseDay, useDay, useDays, useProduction, useToday } from '../days/use-day';

const NEW_SET = 'new';

/** A setup of the chosen day: scene and kind are enough; everything else is proposed. Where there is no day yet, today's is begun with it. */
export function NewSetupSheet({ onClose, place }: { onClose: () => void; place: 'floor' | 'plan' }) {
  const router = useRouter();
  const writeMany = useRecordsState((s) => s.writeMany);
  const production = useProduction();
  const days = useDays();
  const today = useToday();
  const day = useDay();
  const choose = useChooseDay();
  const setups = useAll('setup');
  const takes = useAll('take');
  const sets = [...useAll('set')].sort((a, b) => a.body.name.localeCompare(b.body.name));
  const packages = useMounted();
  const mine = setups.filter((s) => s.body.dayId === day?.id).sort((a, b) => a.body.order - b.body.order);
  const last = mine[mine.length - 1];
  const initial = {
    scene: last?.body.scene ?? '',
    slate: '',
    name: '',
    kind: 'dolly' as MoveKind,
    packageId: packages[0]?.id ?? '',
    setId: last?.body.setId ?? sets[0]?.id ?? NEW_SET,
    setName: '',
    description: '',
  };
  const form = useKeptForm(`new setup ${day?.id ?? 'first'}`, initial, (v) => [
    ...(v.scene.trim() === ''
      ? [{ field: 'scene', message: 'A setup belongs to a scene, such as 41' }]
      : v.scene.trim().length > 20
        ? [{ field: 'scene', message: 'is longer than 20 characters' }]
        : []),
    ...(v.slate.trim().length > 20 ? [{ field: 'slate', message: 'is longer than 20 characters' }] : []),
    ...(v.setId === NEW_SET && v.setName.trim() === '' ? [{ field: 'setName', message: 'The set needs a name, such as Galley' }] : []),
  ]);
  const v = form.watch();
  const slates = slatesOf(setups, takes);
  const proposed = nextSlate(production.slating, v.scene || '…', slates);
  const slate = v.slate.trim() || proposed;
  const taken = v.slate.trim() !== '' && slates.some((s) => s.toUpperCase() === slate.toUpperCase());
  const set = sets.find((q) => q.id === v.setId);
  const setName = set?.body.name ?? v.setName.trim();
  const usualName = [setName, KIND_WORDS[v.kind]].filter(Boolean).join(', ');

  const open = form.handleSubmit(async (values) => {
    const id = newId();
    const newDayId = newId();
    const firstDay = nextDay(days, today);
    const setId = set?.id ?? newId();
    const setBody: SetBody = set?.body ?? { name: values.setName.trim(), marks: [] };
    const pack = packages.find((q) => q.id === values.packageId) ?? packages[0];
    const made = newSetup(
      {
        dayId: day?.id ?? newDayId,
        setId,
        scene: values.scene.trim(),
        slate,
        name: values.name.trim() || usualName,
        description: values.description.trim(),
        kind: values.kind,
        pack: pack ? { id: pack.id, focalMm: pack.body.focalMm } : null,
        order: day ? lastOrder(setups, day.id) : 1,
      },
      id,
      setBody,
    );
    const orders: AnyOrder[] = [
      ...(day ? [] : [{ kind: 'day' as const, id: newDayId, change: firstDay }]),
      ...(set ? [] : [{ kind: 'set' as const, id: setId, change: setBody }]),
      { kind: 'setup', id, change: made.setup },
      ...(made.plan ? [{ kind: 'plan' as const, id: newId(), change: made.plan }] : []),
    ];
    await writeMany(orders, `Setup ${slate} opened`);
    if (!day) choose(newDayId);
    form.done();
    onClose();
    router.push(`/${place}/${id}` as Href);
  });

  return (
    <Sheet title={day ? `New setup, ${day.body.name}` : `New setup, ${nextDay(days, today).name}`} open onClose={onClose}>
      <TextField form={form} name="scene" label="Scene" testID="setup-scene" />
      <TextField
        form={form}
        name="slate"
        label="Slate"
        hint={taken ? `${slate} is on another setup already` : `Left empty: ${v.scene.trim() === '' ? 'counted up by the scene' : proposed}`}
        testID="setup-slate"
      />
      <ChoiceField form={form} name="kind" label="Kind of move" options={MOVE_KINDS.map((k) => ({ value: k, title: KIND_WORDS[k] }))} />
      {packages.length > 1 ? <ChoiceField form={form} name="packageId" label="Camera" options={packages.map((q) => ({ value: q.id, title: `${q.body.camera}-cam` }))} /> : null}
      {sets.length > 0 ? (
        <ChoiceField form={form} name="setId" label="On the set" options={[...sets.map((q: StoredRecord<'set'>) => ({ value: q.id, title: q.body.name })), { value: NEW_SET, title: 'a new set' }]} />
      ) : null}
      {v.setId === NEW_SET || !set ? <TextField form={form} name="setName" label="Name of the set" testID="setup-set-name" /> : null}
      <TextField form={form} name="name" label="Name of the setup" hint={usualName ? `Left empty: ${usualName}` : undefined} testID="setup-name" />
      <TextField form={form} name="description" label="What happens in it" multiline testID="setup-description" />
      <FormNotes form={form} />
      <Action kind="main" icon="add" title={`Open setup ${v.scene.trim() === '' ? '' : slate}`.trim()} onPress={() => void open()} testID="open-new-setup" />
    </Sheet>
  );
}
