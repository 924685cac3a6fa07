import { takesOf, type SetupLack, type StoredRecord } from '@mesure/contract';
import { useRouter, type Href } from 'expo-router';
import { useState } from 'react';
import { View } from 'react-native';
import { useAll, useMayWrite } from '../../../data';
import { Action, IconAction, Row, useIsWide } from '../../../ui/controls';
import { Empty } from '../../../ui/states';
import { Words } from '../../../ui/text';
import { SPACE, usePalette } from '../../../ui/theme';
import { DeviceSheet } from '../../devices/device-sheet';
import { FirstSteps, useSetupIsFirst } from '../../begin/first-steps';
import { useDay, useDayTakes } from '../../days/use-day';
import { useOpenRemarks } from '../../setups/remarks';
import { NewSetupSheet } from '../../setups/new-setup-sheet';
import { OrderSheet } from '../../setups/order-sheet';
import { StrayTakes } from '../../setups/stray-takes';
import { Page } from '../../shell/pane';
import { FloorChoices } from '../floor-choices';
import { useLogTake } from '../use-write-take';
import { LackList } from './lack-list';
import { useSetupLacks } from './setup-lacks';

type Setup = StoredRecord<'setup'>;

/** The setups of the day in order, the running one on top with all that is missing for it; the others with how much. */
export function DayBoard({ setups, running, selectedId }: { setups: Setup[]; running: Setup | null; selectedId: string | null }) {
  const router = useRouter();
  const wide = useIsWide();
  const mayWrite = useMayWrite();
  const { lacksOf, whole } = useSetupLacks();
  const { next, log } = useLogTake(running);
  const day = useDay();
  const setupIsFirst = useSetupIsFirst();
  const remarks = useOpenRemarks(new Set(useDayTakes().map((t) => t.id)));
  const [sheet, setSheet] = useState<'fields' | 'devices' | 'setup' | 'order' | null>(null);
  const others = setups.filter((s) => s.id !== running?.id);
  return (
    <Page action={!wide && next && mayWrite ? <Action kind="main" icon="add" title={`Log ${next.slate} take ${next.take}`} onPress={() => void log()} testID="log-next" /> : undefined}>
      <View style={{ flexDirection: 'row', alignItems: 'center', justifyContent: 'space-between' }}>
        <Words look="title" level={1}>
          Setups of the day
        </Words>
        <View style={{ flexDirection: 'row' }}>
          <IconAction icon="search" label="Find takes" onPress={() => router.push('/floor/takes' as Href)} />
          {wide ? <IconAction icon="table-rows" label="The day as a table" onPress={() => router.push('/floor/table' as Href)} /> : null}
          <IconAction icon="sensors" label="Instruments" onPress={() => setSheet('devices')} />
          {mayWrite ? <IconAction icon="tune" label="What is noted" onPress={() => setSheet('fields')} /> : null}
        </View>
      </View>
      <FirstSteps place="floor" />
      {setups.length === 0 && mayWrite && !setupIsFirst ? (
        <Empty
          title={day ? `No setups on ${day.body.name} yet` : 'No shooting day yet'}
          text={day ? 'A setup is one camera position with its move: open it, and log its takes.' : 'The first setup begins the day too.'}
          action={{ title: 'Open a setup', onPress: () => setSheet('setup') }}
        />
      ) : null}
      {setups.length === 0 && !mayWrite ? <Empty title="No setups yet" text="As soon as somebody opens one it stands here." /> : null}
      <StrayTakes />
      {remarks.length > 0 ? (
        <Action
          icon="comment"
          title={`${remarks.length} remark${remarks.length === 1 ? ' waits' : 's wait'} for an answer`}
          onPress={() => router.push(`/floor/take/${remarks[0].body.aboutId}` as Href)}
          testID="open-remarks"
        />
      ) : null}
      {running ? <Running setup={running} lacks={lacksOf(running)} whole={whole} selected={running.id === selectedId} /> : null}
      <View style={{ marginTop: SPACE.l, marginHorizontal: -SPACE.m }}>
        {others.map((s) => (
          <SetupRow key={s.id} setup={s} lacks={lacksOf(s)} whole={whole} selected={s.id === selectedId} />
        ))}
      </View>
      {setups.length > 0 && mayWrite ? (
        <View style={{ marginTop: SPACE.m, alignItems: 'flex-start' }}>
          <Action icon="add" title="New setup" onPress={() => setSheet('setup')} testID="new-setup" />
          {setups.length > 1 ? <Action kind="quiet" icon="swap-vert" title="Put them in order" onPress={() => setSheet('order')} testID="order-setups" /> : null}
        </View>
      ) : null}
      {sheet === 'setup' ? <NewSetupSheet place="floor" onClose={() => setSheet(null)} /> : null}
      {sheet === 'order' ? <OrderSheet onClose={() => setSheet(null)} /> : null}
      {sheet === 'fields' ? <FloorChoices onClose={() => setSheet(null)} /> : null}
      {sheet === 'devices' ? <DeviceSheet open onClose={() => setSheet(null)} /> : null}
    </Page>
  );
}

const things = (n: number): string => (n === 0 ? 'nothing missing' : `${n} missing`);
const takesWords = (n: number): string => `${n} take${n === 1 ? '' : 's'}`;

function Running({ setup, lacks, whole, selected }: { setup: Setup; lacks: SetupLack[]; whole: boolean; selected: boolean }) {
  const p = usePalette();
  const router = useRouter();
  const mine = takesOf(setup.id, useAll('take'));
  return (
    <View style={{ marginTop: SPACE.s, borderTopWidth: 4, borderColor: p.tape, backgroundColor: p.raised, padding: SPACE.m, marginHorizontal: -SPACE.m }} testID="running-setup">
      <View style={{ flexDirection: 'row', alignItems: 'flex-end', justifyContent: 'space-between', gap: SPACE.m }}>
        <View style={{ flex: 1, minWidth: 0 }}>
          <Words look="label" dim>
            Running now
          </Words>
          <Words look="heading" level={2}>
            {setup.body.name}
          </Words>
          <Words look="small" dim>{`scene ${setup.body.scene} · ${takesWords(mine.length)}`}</Words>
        </View>
        <View style={{ alignItems: 'flex-end' }} testID="missing-count">
          <Words look="big">{!whole ? '…' : lacks.length === 0 ? '✓' : String(lacks.length)}</Words>
          <Words look="label" dim>
            {whole && lacks.length === 0 ? 'nothing missing' : 'still missing'}
          </Words>
        </View>
      </View>
      <View style={{ marginVertical: SPACE.s }}>
        <LackList setup={setup} lacks={lacks} />
      </View>
      <Action title="Open the setup" onPress={() => router.push(`/floor/${setup.id}` as Href)} testID={`setup-${setup.body.scene}`} kind={selected ? 'quiet' : 'plain'} />
    </View>
  );
}

function SetupRow({ setup, lacks, whole, selected }: { setup: Setup; lacks: SetupLack[]; whole: boolean; selected: boolean }) {
  const router = useRouter();
  const mine = takesOf(setup.id, useAll('take'));
  const first = lacks.filter((l) => l.kind !== 'takes').map((l) => l.what);
  return (
    <Row
      testID={`setup-${setup.body.scene}`}
      selected={selected}
      title={setup.body.name}
      detail={`scene ${setup.body.scene} · ${takesWords(mine.length)} · ${whole ? things(lacks.length) : '…'}${first.length > 0 ? `: ${first[0]}${first.length > 1 ? ' …' : ''}` : ''}`}
      onPress={() => router.push(`/floor/${setup.id}` as Href)}
    />
  );
}
