import { differing, takeLacks, takesOf, type StoredRecord, type TakeBody } from '@mesure/contract';
import { formatLength, formatFocus } from '@mesure/core';
import { useRouter, type Href } from 'expo-router';
import { useState } from 'react';
import { View } from 'react-native';
import { useAll, useClock, useMayWrite, useRecordsState } from '../../../data';
import { Action, IconAction, Row, Section, useIsWide } from '../../../ui/controls';
import { focal } from '../../../ui/format';
import { Empty } from '../../../ui/states';
import { Words } from '../../../ui/text';
import { SPACE, usePalette } from '../../../ui/theme';
import { usePlanOf } from '../../plan/use-plan';
import { MountSheet } from '../../begin/mount-sheet';
import { SetupSheet } from '../../setups/setup-sheet';
import { Page } from '../../shell/pane';
import { NewTie } from '../net/new-tie';
import { PlanCautions } from '../plan-cautions';
import { useFloor, useTakeWords } from '../use-floor';
import { useLogTake } from '../use-write-take';
import { LackList } from './lack-list';
import { LightSection } from './light-section';
import { RigSection } from './rig-section';
import { useSetupLacks } from './setup-lacks';

/** One setup: what is missing, its takes with what changed from one to the next, its ties and witness cameras. */
export function SetupBoard({ setup }: { setup: StoredRecord<'setup'> }) {
  const p = usePalette();
  const router = useRouter();
  const wide = useIsWide();
  const mayWrite = useMayWrite();
  const plan = usePlanOf(setup.id)?.body ?? null;
  const lacks = useSetupLacks().lacksOf(setup);
  const ties = useAll('tie').filter((t) => t.body.setId === setup.body.setId);
  const { next, log } = useLogTake(setup);
  const [tieOpen, setTieOpen] = useState(false);
  const [editing, setEditing] = useState(false);
  const [mounting, setMounting] = useState(false);
  return (
    <Page action={next && mayWrite ? <Action kind="main" icon="add" title={`Log take ${next.take}`} onPress={() => void log()} testID="log-take" /> : undefined}>
      <View style={{ flexDirection: 'row', justifyContent: 'space-between', alignItems: 'center' }}>
        <Words look="title" level={1} style={{ flex: 1 }}>
          {setup.body.name}
        </Words>
        {mayWrite ? <IconAction icon="edit" label={`Change ${setup.body.name}`} onPress={() => setEditing(true)} /> : null}
        {wide ? <Action kind="quiet" icon="table-rows" title="As a table" onPress={() => router.push(`/floor/table?setup=${setup.id}` as Href)} testID="open-table" /> : null}
      </View>
      <Words dim>{`Scene ${setup.body.scene}${setup.body.slate ? ` · slate ${setup.body.slate}` : ''}${next ? ` · next: ${next.slate} take ${next.take}` : ''}`}</Words>
      {!next && mayWrite ? <Empty title="No camera is mounted" text="A take needs a camera: its body, mode and lens." action={{ title: 'Mount a camera', onPress: () => setMounting(true) }} /> : null}
      {mounting ? <MountSheet onClose={() => setMounting(false)} /> : null}
      {lacks.length > 0 ? (
        <Section title={`${lacks.length} still missing`}>
          <LackList setup={setup} lacks={lacks} />
        </Section>
      ) : null}
      <PlanCautions setup={setup} />
      <Takes setup={setup} plan={plan} />
      <RigSection setup={setup} planned={plan?.witnesses ?? []} />
      {plan ? <LightSection setup={setup} plan={plan} /> : null}
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
      {editing ? <SetupSheet setup={setup} place="floor" onClose={() => setEditing(false)} /> : null}
      {tieOpen ? <NewTie setId={setup.body.setId} onClose={() => setTieOpen(false)} /> : null}
    </Page>
  );
}

/** The newest of a setup; those before on request, since a phone draws hundreds of rows too slowly. */
const AT_ONCE = 25;

function Takes({ setup, plan }: { setup: StoredRecord<'setup'>; plan: Parameters<typeof takeLacks>[1] }) {
  const clock = useClock();
  const hidden = useRecordsState((s) => s.records);
  const floor = useFloor();
  const words = useTakeWords();
  const mine = takesOf(setup.id, useAll('take'));
  const gone = Object.values(hidden).filter((r): r is StoredRecord<'take'> => r.kind === 'take' && r.deleted && (r.body as TakeBody).setupId === setup.id);
  const [showHidden, setShowHidden] = useState(false);
  const [limit, setLimit] = useState(AT_ONCE);
  const router = useRouter();
  return (
    <Section title="Takes">
      {mine.length === 0 ? <Empty title="No takes yet" text="The first one takes its camera from Kit." /> : null}
      <View style={{ marginHorizontal: -SPACE.m }}>
        {[...mine]
          .reverse()
          .slice(0, limit)
          .map((t, i) => {
            const before = mine[mine.length - 2 - i]?.body ?? null;
            const changed = before ? differing(t.body, before).filter((f) => f.key !== 'packageId') : [];
            return (
              <Row
                key={t.id}
                testID={`take-${t.body.slate}-${t.body.take}`}
                title={`${t.body.slate} take ${t.body.take}${t.body.circled ? '  ◎ circled' : ''}`}
                detail={takeWords(
                  t.body,
                  words,
                  takeLacks(t.body, plan, floor).map((l) => l.what),
                  changed.map((f) => f.title.toLowerCase()),
                )}
                right={
                  <Words look="small" dim>
                    {clock.time(t.body.loggedAt)}
                  </Words>
                }
                onPress={() => router.push(`/floor/take/${t.id}` as Href)}
              />
            );
          })}
        {mine.length > limit ? <Action kind="quiet" icon="expand-more" title={`${mine.length - limit} earlier takes`} onPress={() => setLimit(limit + 4 * AT_ONCE)} testID="earlier-takes" /> : null}
        {gone.length > 0 ? (
          <View style={{ marginLeft: SPACE.m - SPACE.l, alignItems: 'flex-start' }}>
            <Action kind="quiet" icon={showHidden ? 'expand-less' : 'expand-more'} title={`${gone.length} hidden`} onPress={() => setShowHidden(!showHidden)} testID="show-hidden" />
          </View>
        ) : null}
        {showHidden
          ? gone.map((t) => (
              <Row
                key={t.id}
                testID={`hidden-${t.body.slate}-${t.body.take}`}
                title={`${t.body.slate} take ${t.body.take}, hidden`}
                detail="Open it to bring it back."
                onPress={() => router.push(`/floor/take/${t.id}` as Href)}
              />
            ))
          : null}
      </View>
    </Section>
  );
}

/** "A-cam · 32 mm · focus 3.20 m · height 1.402 m · changed: focus distance · missing: clip name" */
export function takeWords(t: TakeBody, words: ReturnType<typeof useTakeWords>, lacks: readonly string[], changed: readonly string[]): string {
  const camera = words.packages.find((q) => q.id === t.packageId)?.camera ?? '?';
  return [
    `${camera}-cam`,
    `${focal(t.focalMm)}${t.focalEndMm && t.focalEndMm !== t.focalMm ? `–${focal(t.focalEndMm)}` : ''} mm`,
    `focus ${t.focusM === null ? '–' : formatFocus(t.focusM, words.unit)}`,
    `height ${t.height?.typed ?? '–'}`,
    ...(changed.length > 0 ? [`changed: ${changed.join(', ')}`] : []),
    ...(lacks.length > 0 ? [`missing: ${lacks.join(', ')}`] : []),
  ].join(' · ');
}
