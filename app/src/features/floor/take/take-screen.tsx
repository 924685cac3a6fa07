import { differing, sameSlate, takeLacks, takesOf, type Lack, type StoredRecord } from '@mesure/contract';
import { useRouter, type Href } from 'expo-router';
import { useEffect, useRef, useState } from 'react';
import { View } from 'react-native';
import { useAll, useClock, useFind, useMayWrite, useRecord, useRecordsState } from '../../../data';
import { Action } from '../../../ui/controls';
import { useLater } from '../../../ui/folds';
import { Empty, Loading } from '../../../ui/states';
import { Words } from '../../../ui/text';
import { SPACE } from '../../../ui/theme';
import { usePlanOf } from '../../plan/use-plan';
import { MoveTakesSheet } from '../../setups/move-takes-sheet';
import { Page } from '../../shell/pane';
import { BulkSheet } from '../day/bulk-sheet';
import { FloorChoices } from '../floor-choices';
import { useFloor, useTakeWords } from '../use-floor';
import { isOnItsWay, useKeepTake, useLogTake } from '../use-write-take';
import { HeightSection } from './height-section';
import { goToField, RestOfTake, type TakeSheet } from './rest-of-take';
import { TakeHistory } from './take-history';

/** One take: every field is kept the moment it is left. Who came for one field (`to`), or for what is missing, lands on it. */
export function TakeScreen({ takeId, to = null }: { takeId: string; to?: string | null }) {
  const status = useRecordsState((s) => s.status);
  const take = useRecord('take', takeId);
  const router = useRouter();
  if (status === 'loading' || (!take && isOnItsWay(takeId))) return <Loading what="the take" />;
  if (!take)
    return (
      <Page>
        <Empty title="No such take" text="It is not on this device." action={{ title: 'Go to Floor', onPress: () => router.replace('/floor') }} />
      </Page>
    );
  return take.deleted ? <HiddenTake take={take} /> : <TakeForm key={takeId} take={take} to={to} />;
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

function TakeForm({ take, to }: { take: StoredRecord<'take'>; to: string | null }) {
  const clock = useClock();
  const router = useRouter();
  const body = take.body;
  const find = useFind();
  const floor = useFloor();
  const words = useTakeWords();
  const mayWrite = useMayWrite();
  const setup = useRecord('setup', body.setupId) ?? null;
  const takes = useAll('take');
  const plan = usePlanOf(body.setupId)?.body ?? null;
  const label = `${body.slate} take ${body.take}`;
  const keep = useKeepTake(take.id, label);
  const [sheet, setSheet] = useState<TakeSheet | null>(null);
  const later = useLater();

  // sorted over all takes of the film, which the first drawing does not wait for
  const mine = later ? takesOf(body.setupId, takes) : [];
  const before = mine[mine.findIndex((t) => t.id === take.id) - 1]?.body ?? null;
  const changed = before ? differing(body, before) : [];
  const twin = later ? sameSlate(body, take.id, takes) : null;
  const lacks = takeLacks(body, plan, floor);
  const landing = useRef(to === 'missing' ? (lacks[0]?.field ?? null) : to);
  useEffect(() => {
    if (later && landing.current) goToField(landing.current);
    if (later) landing.current = null;
  }, [later]);
  const pack = find('package', body.packageId);
  const lens = pack ? (find('lens', pack.body.lensId)?.body ?? null) : null;

  const planned = plan?.move.stations ?? [];
  const ticks = (which: 'height' | 'heightEnd') => [
    ...(before?.[which] ? [{ valueM: before[which].valueM + before[which].offsetM, label: 'last' }] : []),
    ...(planned.length > 0 ? [{ valueM: planned[which === 'height' ? 0 : planned.length - 1].heightM, label: 'plan' }] : []),
  ];
  return (
    <Page
      action={
        <View style={{ flexDirection: 'row', gap: SPACE.s }}>
          <Action title="Done" label="Done, back to the setup" icon="check" onPress={() => router.push(`/floor/${body.setupId}` as Href)} testID="take-done" />
          {mayWrite && later ? <LogNext setup={setup} /> : null}
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
        <Words look="small">{`▲ ${twin.body.slate} take ${twin.body.take} is on another take too, logged ${clock.time(twin.body.loggedAt)}. One of the two should be another number.`}</Words>
      ) : null}
      <Lacks lacks={lacks} />
      {before ? (
        <Words look="small" dim testID="changed-since">
          {changed.length === 0
            ? `As take ${before.take}.`
            : `Other than take ${before.take}: ${changed.map((f) => `${f.title.toLowerCase()} ${f.text(before, words) || '–'} → ${f.text(body, words) || '–'}`).join('; ')}`}
        </Words>
      ) : null}
      <HeightSection which="height" takeId={take.id} title="Camera height" take={body} words={words} disabled={!mayWrite} ticks={ticks('height')} keep={keep} whole={later} />
      {later ? <RestOfTake take={take} plan={plan} before={before} lens={lens} lacks={lacks} ticks={ticks('heightEnd')} words={words} disabled={!mayWrite} keep={keep} onSheet={setSheet} /> : null}
      {sheet === 'history' ? <TakeHistory take={take} words={words} onClose={() => setSheet(null)} /> : null}
      {sheet === 'move' ? <MoveTakesSheet takes={[take]} onClose={() => setSheet(null)} /> : null}
      {sheet === 'bulk' ? <BulkSheet from={take} onClose={() => setSheet(null)} /> : null}
      {sheet === 'fields' ? <FloorChoices onClose={() => setSheet(null)} /> : null}
    </Page>
  );
}

function LogNext({ setup }: { setup: StoredRecord<'setup'> | null }) {
  const { next, log } = useLogTake(setup);
  if (!next) return null;
  return (
    <View style={{ flex: 1 }}>
      <Action kind="main" icon="add" title={`Log ${next.slate} take ${next.take}`} onPress={() => void log()} testID="log-take" />
    </View>
  );
}

/** What is missing; a touch goes to the field. */
function Lacks({ lacks }: { lacks: readonly Lack[] }) {
  if (lacks.length === 0) return <Words dim>Nothing is missing.</Words>;
  return (
    <View style={{ flexDirection: 'row', flexWrap: 'wrap', alignItems: 'center' }} testID="take-lacks">
      <Words dim>{`Missing: ${lacks.map((l) => l.what).join(', ')}`}</Words>
      <View style={{ marginLeft: -SPACE.l }}>
        <Action kind="quiet" icon="arrow-downward" title={`Go to ${lacks[0].what}`} onPress={() => lacks[0].field && goToField(lacks[0].field)} />
      </View>
    </View>
  );
}
