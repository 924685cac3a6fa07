import { newPlan, type StoredRecord } from '@mesure/contract';
import { useRouter, type Href } from 'expo-router';
import { useState } from 'react';
import { View } from 'react-native';
import { newId, useAll, useMayWrite, useMounted, useRecordsState } from '../../data';
import { Action, Choice, Row, useIsWide } from '../../ui/controls';
import { Empty } from '../../ui/states';
import { Words } from '../../ui/text';
import { SPACE } from '../../ui/theme';
import { Page, Split } from '../shell/pane';
import { FirstSteps, useSetupIsFirst } from '../begin/first-steps';
import { MountSheet } from '../begin/mount-sheet';
import { useDays, useDaySetups } from '../days/use-day';
import { NewSetupSheet } from '../setups/new-setup-sheet';
import { OrderSheet } from '../setups/order-sheet';
import { RecordsGate } from '../shell/records-gate';
import { PlanBoard } from './plan-board';
import { openCautions, usePlanNumbers, usePlanOf } from './use-plan';

/** Plan: each setup of the day with what speaks against it, and the setup that is being drawn. */
export function PlanScreen({ setupId }: { setupId: string | null }) {
  const router = useRouter();
  const wide = useIsWide();
  const all = useAll('setup');
  const today = useDaySetups();
  const days = useDays();
  const [whole, setWhole] = useState(false);
  const dayOrder = (s: StoredRecord<'setup'>) => days.findIndex((d) => d.id === s.body.dayId);
  const setups = whole ? all.filter((s) => dayOrder(s) >= 0).sort((a, b) => dayOrder(a) - dayOrder(b) || a.body.order - b.body.order) : today;
  const open = all.find((s) => s.id === (setupId ?? (wide ? setups[0]?.id : null)));
  return (
    <RecordsGate what="the plans">
      <Split
        showDetail={setupId !== null}
        list={<SetupsToPlan setups={setups} selectedId={open?.id ?? null} whole={whole} onWhole={days.length > 1 ? setWhole : null} />}
        detail={
          open ? (
            <PlanOfSetup key={open.id} setup={open} />
          ) : (
            <Page>
              <Empty title="No such setup" text="Choose another one from the day." action={{ title: 'Go to the day', onPress: () => router.replace('/plan') }} />
            </Page>
          )
        }
      />
    </RecordsGate>
  );
}

interface ListProps {
  setups: StoredRecord<'setup'>[];
  selectedId: string | null;
  /** all days instead of the chosen one */
  whole: boolean;
  onWhole: ((whole: boolean) => void) | null;
}

function SetupsToPlan({ setups, selectedId, whole, onWhole }: ListProps) {
  const mayWrite = useMayWrite();
  const router = useRouter();
  const [adding, setAdding] = useState(false);
  const [ordering, setOrdering] = useState(false);
  const setupIsFirst = useSetupIsFirst();
  const days = useDays();
  return (
    <Page>
      <Words look="title" level={1}>
        Setups to plan
      </Words>
      {onWhole ? (
        <Choice
          label="Of"
          value={whole ? 'all' : 'day'}
          options={[
            { value: 'day', title: 'this day' },
            { value: 'all', title: 'all days' },
          ]}
          onChange={(v) => onWhole(v === 'all')}
        />
      ) : null}
      <FirstSteps place="plan" />
      {setups.length === 0 && !setupIsFirst ? (
        <Empty
          title="No setups yet"
          text="A setup is one camera position with its move. Plan it here: what speaks against a later solve shows at once."
          {...(mayWrite ? { action: { title: 'Open a setup', onPress: () => setAdding(true) } } : {})}
        />
      ) : null}
      <View style={{ marginTop: SPACE.s, marginHorizontal: -SPACE.m }}>
        {setups.map((s, i) => (
          <View key={s.id}>
            {whole && s.body.dayId !== setups[i - 1]?.body.dayId ? (
              <Words look="label" dim style={{ paddingHorizontal: SPACE.m, paddingTop: SPACE.m }}>
                {days.find((d) => d.id === s.body.dayId)?.body.name}
              </Words>
            ) : null}
            <SetupRow setup={s} selected={s.id === selectedId} />
          </View>
        ))}
      </View>
      {mayWrite ? (
        <View style={{ marginTop: SPACE.m, gap: SPACE.s, alignItems: 'flex-start' }}>
          {setups.length > 0 ? <Action icon="add" title="New setup" onPress={() => setAdding(true)} testID="new-setup" /> : null}
          {setups.length > 1 && !whole ? <Action kind="quiet" icon="swap-vert" title="Put them in order" onPress={() => setOrdering(true)} testID="order-setups" /> : null}
          <Action kind="quiet" icon="upload-file" title="Shot list in" onPress={() => router.push('/plan/shot-list' as Href)} testID="open-shot-list" />
        </View>
      ) : null}
      {ordering ? <OrderSheet onClose={() => setOrdering(false)} /> : null}
      {adding ? <NewSetupSheet place="plan" onClose={() => setAdding(false)} /> : null}
    </Page>
  );
}

function SetupRow({ setup, selected }: { setup: StoredRecord<'setup'>; selected: boolean }) {
  const router = useRouter();
  const plan = usePlanOf(setup.id);
  const set = useAll('set').find((q) => q.id === setup.body.setId);
  const press = () => router.push(`/plan/${setup.id}` as Href);
  if (!plan || !set) return <Row testID={`plan-${setup.body.scene}`} selected={selected} title={setup.body.name} detail={`scene ${setup.body.scene} · not planned yet`} onPress={press} />;
  return <PlannedRow setup={setup} plan={plan} set={set} selected={selected} onPress={press} />;
}

function PlannedRow({ setup, plan, set, selected, onPress }: { setup: StoredRecord<'setup'>; plan: StoredRecord<'plan'>; set: StoredRecord<'set'>; selected: boolean; onPress: () => void }) {
  const numbers = usePlanNumbers(plan.body, set.body, true);
  const open = 'problem' in numbers ? [] : openCautions(numbers.cautions, plan.body);
  const grave = open.filter((c) => c.severity === 'grave').length;
  const said = 'problem' in numbers ? numbers.problem : open.length === 0 ? 'no caution remains' : `${open.length} caution${open.length === 1 ? '' : 's'}${grave > 0 ? `, ${grave} grave` : ''}`;
  return <Row testID={`plan-${setup.body.scene}`} selected={selected} title={setup.body.name} detail={`scene ${setup.body.scene} · ${plan.body.move.kind} · ${said}`} onPress={onPress} />;
}

function PlanOfSetup({ setup }: { setup: StoredRecord<'setup'> }) {
  const plan = usePlanOf(setup.id);
  const set = useAll('set').find((q) => q.id === setup.body.setId);
  const pack = useMounted()[0];
  const write = useRecordsState((s) => s.write);
  const mayWrite = useMayWrite();
  const router = useRouter();
  const [mounting, setMounting] = useState(false);
  if (plan && set) return <PlanBoard setup={setup} plan={plan} set={set} />;
  const begin = () => pack && set && void write('plan', newId(), newPlan(setup.id, pack.id, pack.body.focalMm, set.body), `Plan of ${setup.body.name} begun`);
  return (
    <Page action={mayWrite && pack && set ? <Begin onBegin={begin} onPhoto={() => router.push(`/plan/recce/${setup.id}` as Href)} /> : undefined}>
      <Words look="title" level={1}>
        {setup.body.name}
      </Words>
      <Empty
        title="Not planned yet"
        text={
          pack
            ? `It begins with ${pack.body.camera}-cam on a short dolly before the set. Drag everything into place; cautions and forecast follow.`
            : 'A plan needs a camera: what it sees follows from body, mode and lens.'
        }
        {...(!pack && mayWrite ? { action: { title: 'Mount a camera', onPress: () => setMounting(true) } } : {})}
      />
      {mounting ? <MountSheet onClose={() => setMounting(false)} /> : null}
    </Page>
  );
}

function Begin({ onBegin, onPhoto }: { onBegin: () => void; onPhoto: () => void }) {
  return (
    <View style={{ gap: SPACE.s }}>
      <Action icon="photo-camera" title="Begin from a photo of the set" onPress={onPhoto} testID="begin-photo" />
      <Action kind="main" icon="add" title="Begin the plan" onPress={onBegin} testID="begin-plan" />
    </View>
  );
}
