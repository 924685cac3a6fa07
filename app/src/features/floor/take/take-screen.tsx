import { differing, isShown, noted, sameSlate, shownFields, takeLacks, takesOf, TAKE_FIELD_GROUPS, TAKE_FIELDS, type Lack, type StoredRecord, type TakeBody, type TakeField } from '@mesure/contract';
import { useRouter, type Href } from 'expo-router';
import { useState } from 'react';
import { View } from 'react-native';
import { useAll, useFind, useMayWrite, useRecord, useRecordsState } from '../../../data';
import { Action, Choice, Section } from '../../../ui/controls';
import { timeOfDay } from '../../../ui/format';
import { Empty, Loading } from '../../../ui/states';
import { Words } from '../../../ui/text';
import { SPACE } from '../../../ui/theme';
import { AttachedPictures } from '../../pictures/attached-pictures';
import { packageParts, viewPackage } from '../../kit/package-words';
import { usePlanOf } from '../../plan/use-plan';
import { MoveTakesSheet } from '../../setups/move-takes-sheet';
import { Remarks } from '../../setups/remarks';
import { Page } from '../../shell/pane';
import { BulkSheet } from '../day/bulk-sheet';
import { FloorChoices } from '../floor-choices';
import { byCamera, useFloor, useTakeWords } from '../use-floor';
import { useKeepTake, useLogTake } from '../use-write-take';
import { AngleEntry, DistanceEntry, TimecodeEntry } from './pulled-entries';
import { FeedSection } from './feed-section';
import { HeightSection } from './height-section';
import { SwapPackage } from './swap-package';
import { TakeEntry } from './take-entry';
import { TakeHistory } from './take-history';
import { WitnessClips } from './witness-clips';

/** One take: every field is kept the moment it is left. */
export function TakeScreen({ takeId }: { takeId: string }) {
  const status = useRecordsState((s) => s.status);
  const take = useRecord('take', takeId);
  const router = useRouter();
  if (status === 'loading') return <Loading what="the take" />;
  if (!take)
    return (
      <Page>
        <Empty title="No such take" text="It is not on this device." action={{ title: 'Go to Floor', onPress: () => router.replace('/floor') }} />
      </Page>
    );
  return take.deleted ? <HiddenTake take={take} /> : <TakeForm key={takeId} take={take} />;
}

function HiddenTake({ take }: { take: StoredRecord<'take'> }) {
  const router = useRouter();
  const mayWrite = useMayWrite();
  const write = useRecordsState((s) => s.write);
  return (
    <Page action={mayWrite ? <Action kind="main" icon="undo" title="Bring it back" onPress={() => void write('take', take.id, (now) => now, 'Take brought back')} testID="bring-back" /> : undefined}>
      <Empty
        title={`${take.body.slate} take ${take.body.take} is hidden`}
        text="It was undone or hidden; everything in it is kept."
        action={{ title: 'Go to the setup', onPress: () => router.replace(`/floor/${take.body.setupId}` as Href) }}
      />
    </Page>
  );
}

function TakeForm({ take }: { take: StoredRecord<'take'> }) {
  const router = useRouter();
  const body = take.body;
  const find = useFind();
  const floor = useFloor();
  const words = useTakeWords();
  const mayWrite = useMayWrite();
  const write = useRecordsState((s) => s.write);
  const setup = useRecord('setup', body.setupId) ?? null;
  const takes = useAll('take');
  const plan = usePlanOf(body.setupId)?.body ?? null;
  const { next, log } = useLogTake(setup);
  const label = `${body.slate} take ${body.take}`;
  const keep = useKeepTake(take.id, label);
  const [sheet, setSheet] = useState<'history' | 'bulk' | 'fields' | 'move' | null>(null);
  const [atEnd, setAtEnd] = useState(false);

  const mine = takesOf(body.setupId, takes);
  const before = mine[mine.findIndex((t) => t.id === take.id) - 1]?.body ?? null;
  const changed = before ? differing(body, before) : [];
  const was = (f: TakeField) => (before && changed.includes(f) ? f.text(before, words) || 'not noted' : null);
  const twin = sameSlate(body, take.id, takes);
  const lacks = takeLacks(body, plan, floor);
  const shown = shownFields(floor);
  const pack = find('package', body.packageId);
  const lens = pack ? (find('lens', pack.body.lensId)?.body ?? null) : null;

  const planned = plan?.move.stations ?? [];
  const ticks = (which: 'height' | 'heightEnd') => [
    ...(before?.[which] ? [{ valueM: before[which].valueM + before[which].offsetM, label: 'last' }] : []),
    ...(planned.length > 0 ? [{ valueM: planned[which === 'height' ? 0 : planned.length - 1].heightM, label: 'plan' }] : []),
  ];
  const fields = (group: TakeField['group']) =>
    TAKE_FIELDS.filter(
      (f) =>
        f.group === group &&
        (isShown(f, shown) || lacks.some((l) => l.field === f.key) || noted(body, f.key)) &&
        !['packageId', 'circled', 'height', 'heightEnd', 'tilt', 'roll', 'distance'].includes(f.key),
    );
  const entry = (f: TakeField) =>
    f.key === 'timecodeIn' || f.key === 'timecodeOut' ? (
      <TimecodeEntry key={f.key} which={f.key} takeId={take.id} take={body} words={words} disabled={!mayWrite} before={before} keep={keep} />
    ) : (
      <TakeEntry key={f.key} field={f} takeId={take.id} take={body} words={words} lens={lens} disabled={!mayWrite} before={was(f)} keep={keep} />
    );
  const has = (key: string) => shown.includes(key) || (body[key as keyof TakeBody] ?? null) !== null || lacks.some((l) => l.field === key);

  return (
    <Page
      action={
        <View style={{ flexDirection: 'row', gap: SPACE.s }}>
          <Action title="Done" label="Done, back to the setup" icon="check" onPress={() => router.push(`/floor/${body.setupId}` as Href)} testID="take-done" />
          {mayWrite && next ? (
            <View style={{ flex: 1 }}>
              <Action kind="main" icon="add" title={`Log ${next.slate} take ${next.take}`} onPress={() => void log()} testID="log-take" />
            </View>
          ) : null}
        </View>
      }
    >
      <View style={{ flexDirection: 'row', justifyContent: 'space-between', alignItems: 'center' }}>
        <Words look="title" level={1}>
          {label}
        </Words>
        <Action
          kind="quiet"
          disabled={!mayWrite}
          icon={body.circled ? 'radio-button-checked' : 'radio-button-unchecked'}
          title={body.circled ? 'Circled' : 'Circle'}
          onPress={() => keep({ circled: !body.circled }, body.circled ? 'not circled' : 'circled')}
        />
      </View>
      {twin ? (
        <Words look="small">{`▲ ${twin.body.slate} take ${twin.body.take} is on another take too, logged ${timeOfDay(twin.body.loggedAt)}. One of the two should be another number.`}</Words>
      ) : null}
      <Lacks lacks={lacks} />
      {before ? (
        <Words look="small" dim testID="changed-since">
          {changed.length === 0
            ? `As take ${before.take}.`
            : `Other than take ${before.take}: ${changed.map((f) => `${f.title.toLowerCase()} ${f.text(before, words) || '–'} → ${f.text(body, words) || '–'}`).join('; ')}`}
        </Words>
      ) : null}
      <HeightSection which="height" takeId={take.id} title="Camera height" take={body} words={words} disabled={!mayWrite} ticks={ticks('height')} keep={keep} />
      {has('heightEnd') || atEnd ? (
        <HeightSection which="heightEnd" takeId={take.id} title="Camera height at the end" take={body} words={words} disabled={!mayWrite} ticks={ticks('heightEnd')} keep={keep} />
      ) : mayWrite ? (
        <View style={{ flexDirection: 'row', marginLeft: -SPACE.l }}>
          <Action kind="quiet" icon="height" title="Another height at the end" onPress={() => setAtEnd(true)} testID="height-at-end" />
        </View>
      ) : null}
      <Section title={`Lens${body.carried.includes('packageId') ? ' ↷ carried over' : ''}`}>
        <MountedPackage take={take} words={words} disabled={!mayWrite} keep={keep} />
        {fields('Lens').map(entry)}
      </Section>
      {has('tilt') || has('roll') || has('distance') ? (
        <Section title="Where it pointed">
          {has('tilt') ? <AngleEntry which="tilt" takeId={take.id} take={body} words={words} disabled={!mayWrite} before={before} keep={keep} /> : null}
          {has('roll') ? <AngleEntry which="roll" takeId={take.id} take={body} words={words} disabled={!mayWrite} before={before} keep={keep} /> : null}
          {has('distance') ? <DistanceEntry takeId={take.id} take={body} words={words} disabled={!mayWrite} before={before} keep={keep} /> : null}
        </Section>
      ) : null}
      {TAKE_FIELD_GROUPS.filter((g) => g === 'Exposure' || g === 'Slate' || g === 'Shot').map((g) => {
        const list = fields(g);
        return list.length > 0 ? (
          <Section key={g} title={g}>
            {list.map(entry)}
          </Section>
        ) : null;
      })}
      {mayWrite ? <FeedSection take={body} words={words} lens={lens} keep={keep} /> : null}
      <WitnessClips take={take} plan={plan} disabled={!mayWrite} />
      <Section title="Pictures">
        <AttachedPictures owner={{ kind: 'take', id: take.id }} pictures={body.pictures ?? []} title="Add pictures of this take" testID="take-pictures" />
      </Section>
      <Remarks about="take" aboutId={take.id} />
      <Section title="This take">
        <View style={{ gap: SPACE.s }}>
          <Action icon="history" title="History of every field" onPress={() => setSheet('history')} testID="open-take-history" />
          {mayWrite ? (
            <>
              <Action icon="playlist-add-check" title="Correct this and later takes" onPress={() => setSheet('bulk')} testID="open-bulk" />
              <Action icon="drive-file-move" title="Move to another setup or day" onPress={() => setSheet('move')} testID="move-take" />
              <Action icon="tune" title="Which fields are noted" onPress={() => setSheet('fields')} testID="open-fields" />
              <Action icon="visibility-off" title="Hide this take" onPress={() => void write('take', take.id, (now) => now, `${label} hidden`, true)} testID="hide-take" />
            </>
          ) : null}
        </View>
      </Section>
      {sheet === 'history' ? <TakeHistory take={take} words={words} onClose={() => setSheet(null)} /> : null}
      {sheet === 'move' ? <MoveTakesSheet takes={[take]} onClose={() => setSheet(null)} /> : null}
      {sheet === 'bulk' ? <BulkSheet from={take} onClose={() => setSheet(null)} /> : null}
      {sheet === 'fields' ? <FloorChoices onClose={() => setSheet(null)} /> : null}
    </Page>
  );
}

/** What is missing; a touch goes to the field. */
function Lacks({ lacks }: { lacks: readonly Lack[] }) {
  if (lacks.length === 0) return <Words dim>Nothing is missing.</Words>;
  const go = (field: string) => {
    const place = typeof document === 'undefined' ? null : document.getElementById(`field-${field}`);
    place?.scrollIntoView({ block: 'center' });
    place?.querySelector<HTMLElement>('input')?.focus();
  };
  return (
    <View style={{ flexDirection: 'row', flexWrap: 'wrap', alignItems: 'center' }} testID="take-lacks">
      <Words dim>{`Missing: ${lacks.map((l) => l.what).join(', ')}`}</Words>
      <View style={{ marginLeft: -SPACE.l }}>
        <Action kind="quiet" icon="arrow-downward" title={`Go to ${lacks[0].what}`} onPress={() => lacks[0].field && go(lacks[0].field)} />
      </View>
    </View>
  );
}

function MountedPackage({ take, words, disabled, keep }: { take: StoredRecord<'take'>; words: ReturnType<typeof useTakeWords>; disabled: boolean; keep: ReturnType<typeof useKeepTake> }) {
  const find = useFind();
  const packages = useAll('package').sort(byCamera);
  const pack = find('package', take.body.packageId);
  const view = pack ? viewPackage({ ...pack.body, focalMm: take.body.focalMm }, find) : null;
  return (
    <View nativeID="field-packageId">
      <Choice
        label="Package"
        value={take.body.packageId}
        options={packages
          .filter((q) => !q.body.until || q.id === take.body.packageId || packages.filter((o) => o.body.camera === q.body.camera).length > 1)
          .map((q) => ({ value: q.id, title: `${q.body.camera}-cam`, ...(q.body.until ? { detail: `until ${q.body.until.slice(11, 16)}` } : {}) }))}
        onChange={(packageId) => (disabled ? undefined : keep({ packageId, focalMm: words.packages.find((p) => p.id === packageId)!.focalMm }, 'package'))}
      />
      {view?.status === 'complete' ? <Words dim>{packageParts(view.mounted)}</Words> : <Words>{view?.why ?? 'The package is gone.'}</Words>}
      {pack && !disabled ? <SwapPackage pack={pack} onMounted={(packageId, focalMm) => keep({ packageId, focalMm }, 'package')} /> : null}
    </View>
  );
}
