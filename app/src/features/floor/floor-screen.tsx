import type { StoredRecord } from '@mesure/contract';
import { formatLength } from '@mesure/core';
import { useRouter, type Href } from 'expo-router';
import { useState } from 'react';
import { View } from 'react-native';
import { newId, useAll, useMayWrite, useRecordsState } from '../../data';
import { Action, Row, Section, useIsWide } from '../../ui/controls';
import { fixed, focal, timeOfDay } from '../../ui/format';
import { Empty } from '../../ui/states';
import { Words } from '../../ui/text';
import { SPACE, usePalette } from '../../ui/theme';
import { Page, Split } from '../shell/pane';
import { RecordsGate } from '../shell/records-gate';
import { NewTie } from './net/new-tie';
import { nextTake, takeLacks } from './next-take';
import { PlanCautions } from './plan-cautions';

/** Floor: the day's setups, and the takes of the running one. */
export function FloorScreen({ setupId }: { setupId: string | null }) {
  const wide = useIsWide();
  const setups = useAll('setup').sort((a, b) => a.body.order - b.body.order);
  const open = setups.find((s) => s.id === (setupId ?? (wide ? setups[0]?.id : null)));
  return (
    <RecordsGate what="the day">
      <Split
        showDetail={setupId !== null}
        list={<SetupList setups={setups} selectedId={open?.id ?? null} />}
        detail={
          open ? (
            <SetupBoard key={open.id} setup={open} />
          ) : (
            <Page>
              <Empty title="No such setup" text="Choose another one from the day." />
            </Page>
          )
        }
      />
    </RecordsGate>
  );
}

function SetupList({ setups, selectedId }: { setups: StoredRecord<'setup'>[]; selectedId: string | null }) {
  const router = useRouter();
  const takes = useAll('take');
  return (
    <Page>
      <Words look="title" level={1}>
        Setups of the day
      </Words>
      {setups.length === 0 ? <Empty title="No setups yet" text="The day has no setups." /> : null}
      <View style={{ marginTop: SPACE.s, marginHorizontal: -SPACE.m }}>
        {setups.map((s) => {
          const mine = takes.filter((t) => t.body.setupId === s.id);
          const open = mine.reduce((n, t) => n + takeLacks(t.body).length, 0);
          return (
            <Row
              key={s.id}
              testID={`setup-${s.body.scene}`}
              selected={s.id === selectedId}
              title={s.body.name}
              detail={`scene ${s.body.scene} · ${mine.length} take${mine.length === 1 ? '' : 's'}${open > 0 ? ` · ${open} missing` : ' · nothing missing'}`}
              onPress={() => router.push(`/floor/${s.id}`)}
            />
          );
        })}
      </View>
    </Page>
  );
}

function SetupBoard({ setup }: { setup: StoredRecord<'setup'> }) {
  const p = usePalette();
  const router = useRouter();
  const write = useRecordsState((s) => s.write);
  const packages = useAll('package').sort((a, b) => (a.body.camera < b.body.camera ? -1 : 1));
  const takes = useAll('take');
  const ties = useAll('tie').filter((t) => t.body.setId === setup.body.setId);
  const mine = takes.filter((t) => t.body.setupId === setup.id).sort((a, b) => b.body.take - a.body.take);
  const mayWrite = useMayWrite();
  const [tieOpen, setTieOpen] = useState(false);
  const next = nextTake(setup, takes, packages[0], new Date().toISOString());
  const log = async () => {
    const body = nextTake(setup, takes, packages[0], new Date().toISOString());
    if (!body) return;
    const id = newId();
    await write('take', id, body, `Take ${body.take} of ${body.slate} logged`);
    router.push(`/floor/take/${id}`);
  };
  return (
    <Page action={next && mayWrite ? <Action kind="main" icon="add" title={`Log take ${next.take}`} onPress={() => void log()} testID="log-take" /> : undefined}>
      <Words look="title" level={1}>
        {setup.body.name}
      </Words>
      <Words dim>{`Scene ${setup.body.scene}${next ? ` · next: ${next.slate} take ${next.take}` : ''}`}</Words>
      {!next ? <Empty title="No camera is mounted" text="A take needs a package. Put one together in Kit first." /> : null}
      <PlanCautions setup={setup} />
      <Section title="Takes">
        {mine.length === 0 ? <Empty title="No takes yet" text="The first one takes its camera from Kit." /> : null}
        <View style={{ marginHorizontal: -SPACE.m }}>
          {mine.map((t) => {
            const camera = packages.find((q) => q.id === t.body.packageId)?.body.camera ?? '?';
            const lacks = takeLacks(t.body);
            return (
              <Row
                key={t.id}
                testID={`take-${t.body.slate}-${t.body.take}`}
                title={`${t.body.slate} take ${t.body.take}${t.body.circled ? '  ◎ circled' : ''}`}
                detail={`${camera}-cam · ${focal(t.body.focalMm)} mm · focus ${t.body.focusM === null ? '–' : `${fixed(t.body.focusM, 2)} m`} · height ${t.body.height?.typed ?? '–'}${lacks.length > 0 ? ` · missing: ${lacks.join(', ')}` : ''}`}
                right={
                  <Words look="small" dim>
                    {timeOfDay(t.body.loggedAt)}
                  </Words>
                }
                onPress={() => router.push(`/floor/take/${t.id}`)}
              />
            );
          })}
        </View>
      </Section>
      <Section title="Ties on this set" right={mayWrite ? <Action kind="quiet" title="Measure a tie" icon="straighten" onPress={() => setTieOpen(true)} testID="add-tie" /> : undefined}>
        <View style={{ alignItems: 'flex-start', marginLeft: -SPACE.l }}>
          <Action kind="quiet" icon="hub" title="Tape net: places from all ties" onPress={() => router.push(`/floor/net/${setup.id}` as Href)} testID="open-net" />
        </View>
        {ties.length === 0 ? <Empty title="No ties yet" text="Measure the distance between two marks while the set stands: it gives the later solve its scale." /> : null}
        {ties.map((t) => (
          <View
            key={t.id}
            style={{ flexDirection: 'row', justifyContent: 'space-between', paddingVertical: SPACE.s, borderBottomWidth: 1, borderColor: p.line }}
            testID={`tie-${t.body.from}-${t.body.to}`}
          >
            <Words>{`${t.body.from} – ${t.body.to}`}</Words>
            <Words look="figure">
              {`${t.body.length.typed} `}
              <Words look="small" dim>{`± ${formatLength(t.body.length.toleranceM, 'mm')}`}</Words>
            </Words>
          </View>
        ))}
      </Section>
      {tieOpen ? <NewTie setId={setup.body.setId} onClose={() => setTieOpen(false)} /> : null}
    </Page>
  );
}
