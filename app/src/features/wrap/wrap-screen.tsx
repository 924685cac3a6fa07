import type { HandoverBody, HandoverPlan } from '@mesure/contract';
import { useFocusEffect, useRouter, type Href } from 'expo-router';
import { useCallback, useEffect, useRef, useState } from 'react';
import { View } from 'react-native';
import { api, useAll, useClock, useData, useMayWrite, useRecordsState } from '../../data';
import { Action, Sheet } from '../../ui/controls';
import { Empty, Failing, Loading } from '../../ui/states';
import { Figure, Words } from '../../ui/text';
import { SPACE, usePalette } from '../../ui/theme';
import { Page } from '../shell/pane';
import { useDay } from '../days/use-day';
import { RecordsGate } from '../shell/records-gate';
import { ForWhom } from './for-whom';
import { HandOverSheet } from './hand-over-sheet';
import { KeptZip } from './kept-zip';
import { LeavingList } from './leaving-list';
import { MissingList } from './missing-list';

/** Changes come in bursts; so long after the last one the plan is asked for anew. */
const SETTLED_MS = 700;

type State = { status: 'loading' } | { status: 'failed'; error: string } | { status: 'ready'; plan: HandoverPlan; of: string };

/** Wrap: what is missing, what will leave, and the one action. */
export function WrapScreen() {
  return (
    <RecordsGate what="the day">
      <DayWrap />
    </RecordsGate>
  );
}

function DayWrap() {
  const clock = useClock();
  const p = usePalette();
  const router = useRouter();
  const { session, records } = useData();
  const may = useMayWrite();
  const waiting = useRecordsState((s) => s.outbox.length);
  const day = useDay();
  const [state, setState] = useState<State>({ status: 'loading' });
  const [sheet, setSheet] = useState(false);
  const [said, setSaid] = useState<string | null>(null);
  // until somebody chooses: whoever got the last one
  const [chosen, setChosen] = useState<string | null | undefined>(undefined);
  const receivers = useAll('receiver');
  const last = useAll('handover')
    .filter((h) => h.body.dayId === day?.id)
    .reduce<HandoverBody | null>((a, { body: b }) => (a && a.at >= b.at ? a : b), null);
  const wanted = chosen === undefined ? (last?.receiverId ?? null) : chosen;
  const receiver = receivers.find((r) => r.id === wanted) ?? null;
  const receiverId = receiver?.id ?? null;
  // what he wants may be changed here or by somebody else: then it leaves otherwise
  const receiverVersion = receiver?.version ?? 0;
  const dayId = day?.id;
  /** for which day and whom: what was asked for another is no answer */
  const of = `${dayId ?? ''} ${receiverId ?? ''}`;
  const wantedOf = useRef(of);
  wantedOf.current = of;
  const load = useCallback(async () => {
    if (!dayId) return;
    await records.getState().send();
    try {
      const plan = await api.handover(session.production.id, dayId, receiverId);
      if (wantedOf.current === of) setState({ status: 'ready', plan, of });
    } catch (e) {
      // what stands there of the same stays while nothing newer can be had
      if (wantedOf.current === of) setState((now) => (now.status === 'ready' && now.of === of ? now : { status: 'failed', error: e instanceof Error ? e.message : String(e) }));
    }
    // eslint-disable-next-line react-hooks/exhaustive-deps -- another version of the receiver is another plan
  }, [dayId, records, session.production.id, receiverId, receiverVersion, of]);
  useFocusEffect(
    useCallback(() => {
      void load();
    }, [load]),
  );
  // others go on recording while this is open, and what was entered here a moment ago is still on its way
  const known = useRecordsState((s) => s.records);
  const shownOf = useRef(known);
  useEffect(() => {
    if (shownOf.current === known) return undefined;
    const later = setTimeout(() => {
      shownOf.current = known;
      void load();
    }, SETTLED_MS);
    return () => clearTimeout(later);
  }, [known, load]);

  if (!day)
    return (
      <Page>
        <Empty
          title="No shooting day yet"
          text="There is nothing to hand over yet. A setup begins the day; its takes, readings and plates leave from here."
          action={{ title: 'Go to Floor', onPress: () => router.push('/floor') }}
        />
        <BringIn />
      </Page>
    );
  if (state.status === 'loading') return <Loading what="what is missing" />;
  if (state.status === 'failed')
    return (
      <Page>
        <Failing title="The handover could not be prepared" text={`${state.error} What was entered is safe.`} action={{ title: 'Try again', onPress: () => void load() }} />
      </Page>
    );
  const { missing, files, leftOut, closed, changedAfterClose, handedOver, changedSince } = state.plan;
  const open = missing.filter((m) => !m.answer).length;
  return (
    <Page
      action={
        may ? <Action kind="main" icon="archive" title={`Hand over ${day.body.name}`} disabled={files.length === 0 || state.of !== of} onPress={() => setSheet(true)} testID="hand-over" /> : undefined
      }
    >
      <Words look="title" level={1}>{`Wrap ${day.body.name}`}</Words>
      <View testID="missing-count">
        <Figure look="big" origin="computed" value={String(open)} unit={open === 1 ? 'thing is missing' : 'things are missing'} />
      </View>
      {closed ? <Words>{`■ Closed by ${closed.by}, ${clock.stamp(closed.at)}`}</Words> : null}
      <Changes testID="changed-after-close" changes={changedAfterClose} head={(n) => `◆ ${n} after that, marked in the handover:`} />
      {handedOver.map((h) => (
        <View key={h.id} style={{ flexDirection: 'row', flexWrap: 'wrap', alignItems: 'center', justifyContent: 'space-between' }}>
          <Words testID="handed-over" style={{ flexShrink: 1 }}>
            {`▸ ${h.supplementTo ? 'A supplement went' : 'Handed over'} to ${h.to} by ${h.by}, ${clock.stamp(h.at)}: ${h.files} files, ${(h.sizeBytes / 1e6).toFixed(1)} MB${h.missing > 0 ? `, ${h.missing} missing` : ''}`}
          </Words>
          {h.zip ? <KeptZip dayId={day.id} handoverId={h.id} zip={h.zip} onGone={() => void load()} /> : null}
        </View>
      ))}
      <Changes testID="changed-since" changes={changedSince} head={(n) => `◆ ${n} since; hand over what is new as a supplement:`} />
      {waiting > 0 ? <Words color={p.ink}>{`${waiting} entries wait on this device and are not part of this handover yet.`}</Words> : null}
      {said ? <Words role="status">{said}</Words> : null}
      {missing.length === 0 ? <Empty title="The day is complete" text="Every take has what its handover needs." /> : null}
      <MissingList dayId={day.id} missing={missing} onChanged={() => void load()} />
      <ForWhom dayId={day.id} chosen={receiver} onChoose={setChosen} />
      <LeavingList files={files} leftOut={leftOut} />
      <BringIn />
      <Sheet title={`Hand over ${day.body.name}`} open={sheet} onClose={() => setSheet(false)}>
        {sheet ? (
          <HandOverSheet
            dayId={day.id}
            dayName={day.body.name}
            plan={state.plan}
            receiver={receiver}
            open={open}
            onDone={(words) => {
              setSheet(false);
              setSaid(words);
              void load();
            }}
          />
        ) : null}
      </Sheet>
    </Page>
  );
}

/** A day that was handed over elsewhere is a way to begin, too. */
function BringIn() {
  const router = useRouter();
  if (!useMayWrite()) return null;
  return (
    <View style={{ marginTop: SPACE.xl, marginLeft: -SPACE.l, alignItems: 'flex-start' }}>
      <Action kind="quiet" icon="import-export" title="Bring in what another Mesure handed over" onPress={() => router.push('/wrap/in' as Href)} testID="open-handover-in" />
    </View>
  );
}

/** The first few by name, the rest by number. */
const SHOWN = 6;
function Changes({ changes, head, testID }: { changes: HandoverPlan['changedSince']; head: (count: string) => string; testID: string }) {
  const clock = useClock();
  if (changes.length === 0) return null;
  return (
    <View testID={testID}>
      <Words>{head(`${changes.length} change${changes.length === 1 ? '' : 's'}`)}</Words>
      {changes.slice(0, SHOWN).map((c, i) => (
        <Words key={`${c.when} ${c.what} ${i}`} look="small" dim>{`${clock.stamp(c.when)} · ${c.who} · ${c.what}`}</Words>
      ))}
      {changes.length > SHOWN ? <Words look="small" dim>{`and ${changes.length - SHOWN} more`}</Words> : null}
    </View>
  );
}
