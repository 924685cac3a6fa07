import { nextDay, takeLacks, type DayBody, type StoredRecord } from '@mesure/contract';
import { useRouter, type Href } from 'expo-router';
import { useState } from 'react';
import { View } from 'react-native';
import { newId, onto, useAll, useAnalysesState, useClock, useData, useMay, useMayWrite, useRecordsState } from '../../data';
import { bodyProblems, ChoiceField, FormNotes, TextField, useKeptForm } from '../../forms';
import { Action, IconAction, Row, Section, Sheet } from '../../ui/controls';
import { Words } from '../../ui/text';
import { SPACE } from '../../ui/theme';
import { useFloor } from '../floor/use-floor';
import { ProductionsSection } from './productions-section';
import { dateWords, useChooseDay, useDay, useDays, useToday } from './use-day';

/** Where I am: the days of the production with their state, one of them chosen for every place; below, other productions. */
export function DaySheet({ open, onClose }: { open: boolean; onClose: () => void }) {
  const router = useRouter();
  const { session } = useData();
  const days = useDays();
  const day = useDay();
  const today = useToday();
  const choose = useChooseDay();
  const mayWrite = useMayWrite();
  const write = useRecordsState((s) => s.write);
  const [editing, setEditing] = useState<string | null>(null);
  const stateOf = useDayStates();
  const next = nextDay(days, today);
  const edited = days.find((d) => d.id === editing);
  const add = async () => {
    const id = newId();
    await write('day', id, next, `${next.name} begun`);
    choose(id);
    onClose();
  };
  return (
    <Sheet title={session.production.name} open={open} onClose={onClose}>
      {edited ? (
        <EditDay key={edited.id} day={edited} onDone={() => setEditing(null)} />
      ) : (
        <>
          {days.length === 0 ? <Words dim>No shooting day yet. Begin the first one; every place is on the day that you choose here.</Words> : null}
          <View style={{ marginHorizontal: -SPACE.m }}>
            {days.map((d) => (
              <View key={d.id} style={{ flexDirection: 'row', alignItems: 'center' }}>
                <View style={{ flex: 1 }}>
                  <Row
                    testID={`day-${d.body.name}`}
                    title={`${d.body.name}${d.body.date === today ? '  · today' : ''}`}
                    detail={`${dateWords(d.body.date)}${d.body.unit === 'second' ? ' · second unit' : ''} · ${stateOf(d)}`}
                    selected={d.id === day?.id}
                    onPress={() => {
                      choose(d.id);
                      onClose();
                    }}
                  />
                </View>
                {mayWrite ? <IconAction icon="edit" label={`Change ${d.body.name}`} onPress={() => setEditing(d.id)} /> : null}
              </View>
            ))}
          </View>
          {mayWrite ? (
            <View style={{ marginTop: SPACE.m }}>
              <Action kind="main" icon="add" title={`Begin ${next.name}, ${dateWords(next.date)}`} onPress={() => void add()} testID="new-day" />
            </View>
          ) : null}
          <View style={{ marginTop: SPACE.s, marginLeft: -SPACE.l, alignItems: 'flex-start' }}>
            <Action
              kind="quiet"
              icon="visibility-off"
              title="What is hidden"
              testID="open-hidden"
              onPress={() => {
                onClose();
                router.push('/hidden' as Href);
              }}
            />
          </View>
          <ProductionsSection onGone={onClose} />
        </>
      )}
    </Sheet>
  );
}

/** "8 takes, 3 missing, 1 contradicts, closed by Odalys 18:40" */
function useDayStates(): (day: StoredRecord<'day'>) => string {
  const clock = useClock();
  const setups = useAll('setup');
  const takes = useAll('take');
  const plans = useAll('plan');
  const floor = useFloor();
  const bySubject = useAnalysesState((s) => s.bySubject);
  return ({ id, body }) => {
    const mine = setups.filter((s) => s.body.dayId === id);
    const its = takes.filter((t) => mine.some((s) => s.id === t.body.setupId));
    const missing = its.reduce((n, t) => n + takeLacks(t.body, plans.find((p) => p.body.setupId === t.body.setupId)?.body ?? null, floor).length, 0);
    const against = its.filter((t) => {
      const outcome = bySubject[t.id]?.outcome;
      return outcome?.kind === 'solve' && outcome.reconcile?.verdict === 'contradicts';
    }).length;
    return [
      its.length === 0 ? `${mine.length} setup${mine.length === 1 ? '' : 's'}, no take` : `${its.length} take${its.length === 1 ? '' : 's'}`,
      ...(missing > 0 ? [`${missing} missing`] : []),
      ...(against > 0 ? [`◆ ${against} contradict${against === 1 ? 's' : ''}`] : []),
      ...(body.closed ? [`■ closed by ${body.closed.by} ${clock.time(body.closed.at)}`] : []),
    ].join(', ');
  };
}

/** Name, date and unit of a day; closing it and opening it again; hiding it. */
function EditDay({ day, onDone }: { day: StoredRecord<'day'>; onDone: () => void }) {
  const clock = useClock();
  const { session } = useData();
  const write = useRecordsState((s) => s.write);
  const mayHide = useMay('direct');
  // what the form began with: only what differs from it was changed here
  const [base] = useState(day.body);
  const initial = { name: base.name, date: base.date, unit: base.unit ?? 'main' };
  const form = useKeptForm(`day ${day.id}`, initial, (v) => bodyProblems<DayBody>('day', { ...day.body, ...v, name: v.name.trim() }));
  const finish = () => {
    form.done();
    onDone();
  };
  const keep = form.handleSubmit(async (v) => {
    await write('day', day.id, onto('day', base, { ...base, ...v, name: v.name.trim() }), `${v.name.trim()} kept`);
    finish();
  });
  const { closed } = day.body;
  const here = useDay();
  const choose = useChooseDay();
  const sign = async () => {
    // a night's day that is closed is no longer the one that opens by itself; who closes it stays on it
    if (here?.id === day.id) choose(day.id);
    const at = new Date().toISOString();
    await write('day', day.id, (now) => ({ ...now, closed: closed ? null : { by: session.name, at } }), closed ? `${day.body.name} open again` : `${day.body.name} closed`);
    finish();
  };
  return (
    <View testID="edit-day">
      <TextField form={form} name="name" label="Name" testID="day-name" />
      <TextField form={form} name="date" label="Date" hint="As 2026-11-24" testID="day-date" />
      <ChoiceField
        form={form}
        name="unit"
        label="Unit"
        options={[
          { value: 'main', title: 'main' },
          { value: 'second', title: 'second' },
        ]}
      />
      <FormNotes form={form} />
      <View style={{ gap: SPACE.s }}>
        <Action kind="main" title={`Keep ${day.body.name}`} onPress={() => void keep()} testID="keep-day" />
        <Action title="Back to the days" icon="arrow-back" onPress={finish} />
      </View>
      <Section title={closed ? 'Closed' : 'Closing'}>
        <Words look="small" dim>
          {closed
            ? `Signed as complete by ${closed.by}, ${clock.stamp(closed.at)}. What changes later is marked in the handover.`
            : 'Closing signs the day with your name and the time. A later change is asked about, and marked.'}
        </Words>
        <View style={{ marginTop: SPACE.s, alignItems: 'flex-start' }}>
          <Action icon={closed ? 'lock-open' : 'lock'} title={closed ? `Open ${day.body.name} again` : `Close ${day.body.name}`} onPress={() => void sign()} testID="close-day" />
        </View>
      </Section>
      {mayHide ? (
        <View style={{ marginTop: SPACE.xl, alignItems: 'flex-start' }}>
          <Action
            icon="visibility-off"
            title={`Hide ${day.body.name}`}
            testID="hide-day"
            onPress={() => {
              void write('day', day.id, (now) => now, `${day.body.name} hidden`, true);
              finish();
            }}
          />
        </View>
      ) : null}
    </View>
  );
}
