import { lastOrder, nextSlate, reordered, slatesOf, type PlanBody, type SetupBody, type StoredRecord } from '@mesure/contract';
import { useRouter, type Href } from 'expo-router';
import { useState } from 'react';
import { View } from 'react-native';
import { newId, onto, useAll, useRecordsState, type AnyOrder } from '../../data';
import { bodyProblems, ChoiceField, FormNotes, TextField, useKeptForm } from '../../forms';
import { Action, Row, Section, Sheet } from '../../ui/controls';
import { Words } from '../../ui/text';
import { SPACE } from '../../ui/theme';
import { dateWords, useDays, useProduction } from '../days/use-day';
import { SetupMarks } from './setup-marks';

/** What a setup is called, where it stands in the day, its marks; copied, moved to another day, hidden. */
export function SetupSheet({ setup, place, onClose }: { setup: StoredRecord<'setup'>; place: 'floor' | 'plan'; onClose: () => void }) {
  const router = useRouter();
  const write = useRecordsState((s) => s.write);
  const writeMany = useRecordsState((s) => s.writeMany);
  const production = useProduction();
  const days = useDays();
  const setups = useAll('setup');
  const takes = useAll('take');
  const plans = useAll('plan').filter((q) => q.body.setupId === setup.id);
  const sets = [...useAll('set')].sort((a, b) => a.body.name.localeCompare(b.body.name));
  const [moving, setMoving] = useState(false);
  // what the form began with: only what differs from it was changed here
  const [base] = useState(setup.body);
  const mine = setups.filter((s) => s.body.dayId === setup.body.dayId).sort((a, b) => a.body.order - b.body.order);
  const at = mine.findIndex((s) => s.id === setup.id);
  const initial = { name: base.name, scene: base.scene, slate: base.slate ?? '', description: base.description ?? '', setId: base.setId };
  const bodyOf = (v: typeof initial, now: SetupBody): SetupBody => ({
    ...now,
    name: v.name.trim(),
    scene: v.scene.trim(),
    slate: v.slate.trim() || null,
    ...(v.description.trim() !== '' || now.description !== undefined ? { description: v.description.trim() } : {}),
    setId: v.setId,
  });
  const form = useKeptForm(`setup ${setup.id}`, initial, (v) => bodyProblems('setup', bodyOf(v, setup.body)));
  const close = () => {
    form.done();
    onClose();
  };
  const keep = form.handleSubmit(async (v) => {
    await write('setup', setup.id, onto('setup', base, bodyOf(v, base)), `${v.name.trim()} kept`);
    close();
  });
  const move = (to: number) =>
    void writeMany(
      reordered(mine, setup.id, to).map(({ id, order }) => ({ kind: 'setup' as const, id, change: (now: SetupBody) => ({ ...now, order }) })),
      `${setup.body.name} moved`,
    );
  const toDay = async (dayId: string) => {
    await write('setup', setup.id, (now) => ({ ...now, dayId, order: lastOrder(setups, dayId) }), `${setup.body.name} moved to ${days.find((d) => d.id === dayId)?.body.name}`);
    close();
  };
  const copy = async () => {
    const id = newId();
    const slate = nextSlate(production.slating, setup.body.scene, slatesOf(setups, takes));
    const plan = plans[0]?.body;
    const orders: AnyOrder[] = [
      { kind: 'setup', id, change: { ...setup.body, slate: slate === setup.body.scene ? null : slate, name: `${setup.body.name}, again`, order: lastOrder(setups, setup.body.dayId) } },
      // what was answered was answered for the other one
      ...(plan ? [{ kind: 'plan' as const, id: newId(), change: { ...plan, setupId: id, answered: [] } satisfies PlanBody }] : []),
    ];
    await writeMany(orders, `${setup.body.name} copied to ${slate}`);
    close();
    router.push(`/${place}/${id}` as Href);
  };
  const hide = async () => {
    await write('setup', setup.id, (now) => now, `${setup.body.name} hidden`, true);
    close();
    router.replace(`/${place}` as Href);
  };
  const others = days.filter((d) => d.id !== setup.body.dayId);
  return (
    <Sheet title={`Setup ${setup.body.slate ?? setup.body.scene}`} open onClose={onClose}>
      <TextField form={form} name="name" label="Name" testID="setup-name" />
      <TextField form={form} name="scene" label="Scene" testID="setup-scene" />
      <TextField form={form} name="slate" label="Slate" hint="Left empty: as the scene" testID="setup-slate" />
      <TextField form={form} name="description" label="What happens in it" multiline testID="setup-description" />
      {sets.length > 1 ? <ChoiceField form={form} name="setId" label="On the set" options={sets.map((q) => ({ value: q.id, title: q.body.name }))} /> : null}
      <FormNotes form={form} />
      <Action kind="main" title="Keep the setup" onPress={() => void keep()} testID="keep-setup" />
      <SetupMarks setup={setup} />
      <Section title="In the day">
        <Words look="small" dim>{`${at + 1} of ${mine.length}`}</Words>
        <View style={{ flexDirection: 'row', flexWrap: 'wrap', gap: SPACE.s, marginVertical: SPACE.s }}>
          <Action icon="arrow-upward" title="Earlier" disabled={at <= 0} onPress={() => move(at - 1)} testID="setup-earlier" />
          <Action icon="arrow-downward" title="Later" disabled={at >= mine.length - 1} onPress={() => move(at + 1)} testID="setup-later" />
          <Action icon="event" title="To another day" disabled={others.length === 0} onPress={() => setMoving(!moving)} testID="setup-to-day" />
        </View>
        {moving ? (
          <View style={{ marginHorizontal: -SPACE.m }}>
            {others.map((d) => (
              <Row key={d.id} testID={`to-${d.body.name}`} title={d.body.name} detail={dateWords(d.body.date)} onPress={() => void toDay(d.id)} />
            ))}
          </View>
        ) : null}
        <View style={{ flexDirection: 'row', flexWrap: 'wrap', gap: SPACE.s }}>
          <Action icon="content-copy" title="Copy with plan and marks" onPress={() => void copy()} testID="copy-setup" />
          <Action icon="visibility-off" title="Hide it" onPress={() => void hide()} testID="hide-setup" />
        </View>
      </Section>
    </Sheet>
  );
}
