import type { StoredRecord } from '@mesure/contract';
import { useRouter } from 'expo-router';
import { useMemo, useState } from 'react';
import { View } from 'react-native';
import { useAll, useAnalysesState, useClock } from '../../data';
import { IconAction, Row, useIsWide } from '../../ui/controls';
import { capital } from '../../ui/format';
import { knownWords } from '../../ui/stale-words';
import { Empty, Failing, Loading } from '../../ui/states';
import { Words } from '../../ui/text';
import { SPACE, TOUCH_PX } from '../../ui/theme';
import { VerdictMark, type VerdictName } from '../../ui/verdict-mark';
import { Page, Split } from '../shell/pane';
import { useDayTakes } from '../days/use-day';
import { RecordsGate } from '../shell/records-gate';
import { TakeCheck } from './take-check';
import { useVerdict } from './use-verdict';

const ORDER: VerdictName[] = ['contradicts', 'drifts', 'not observable', 'not checked', 'agrees'];

/** No row moves away under a finger: the order is made when the list first stands, when somebody asks for it, when one is chosen, and when takes come or go. What the server says later moves nothing. */
function useSettled(sorted: StoredRecord<'take'>[], takeId: string | null): { settled: StoredRecord<'take'>[]; putInOrder: (() => void) | null } {
  const loading = useAnalysesState((s) => s.status === 'loading');
  const [asked, setAsked] = useState(0);
  const key = `${loading} ${asked} ${takeId} ${sorted
    .map((t) => t.id)
    .sort()
    .join()}`;
  // eslint-disable-next-line react-hooks/exhaustive-deps -- the key holds when the order may change
  const ids = useMemo(() => sorted.map((t) => t.id), [key]);
  const moved = sorted.some((t, i) => t.id !== ids[i]);
  return { settled: ids.flatMap((id) => sorted.find((t) => t.id === id) ?? []), putInOrder: moved ? () => setAsked(asked + 1) : null };
}

/** How many takes have which verdict; until the server answers, from when they are. */
function useDayInOneLine(takes: StoredRecord<'take'>[]): string {
  const clock = useClock();
  const bySubject = useAnalysesState((s) => s.bySubject);
  const verdictOf = useVerdict();
  const unreached = useAnalysesState((s) => s.unreached);
  const known = knownWords(
    useAnalysesState((s) => s.knownFrom),
    clock,
  );
  if (known) return `○ ${capital(known)}${unreached ? '; no line to the server' : '; asking the server'}`;
  const verdicts = takes.map((t) => verdictOf(bySubject[t.id]).verdict);
  return ORDER.flatMap((name) => {
    const n = verdicts.filter((v) => v === name).length;
    return n > 0 ? [`${n} ${n === 1 ? name : (OF_SEVERAL[name] ?? name)}`] : [];
  }).join(' · ');
}
const OF_SEVERAL: Partial<Record<VerdictName, string>> = { contradicts: 'contradict', drifts: 'drift', agrees: 'agree' };

/** Check: the day's takes with their verdicts, what disagrees first. */
export function CheckScreen({ takeId }: { takeId: string | null }) {
  const router = useRouter();
  const wide = useIsWide();
  const takes = useDayTakes();
  const all = useAll('take');
  const bySubject = useAnalysesState((s) => s.bySubject);
  const verdictOf = useVerdict();
  const sorted = [...takes].sort(
    (a, b) =>
      Number(!a.body.tracks) - Number(!b.body.tracks) ||
      ORDER.indexOf(verdictOf(bySubject[a.id]).verdict) - ORDER.indexOf(verdictOf(bySubject[b.id]).verdict) ||
      (a.body.slate + String(a.body.take).padStart(3, '0')).localeCompare(b.body.slate + String(b.body.take).padStart(3, '0')),
  );
  const { settled, putInOrder } = useSettled(sorted, takeId);
  const open = all.find((t) => t.id === (takeId ?? (wide ? settled[0]?.id : null)));
  return (
    <RecordsGate what="the takes">
      <Split
        showDetail={takeId !== null}
        list={<VerdictList takes={settled} selectedId={open?.id ?? null} onPutInOrder={putInOrder} />}
        detail={
          open ? (
            <TakeCheck key={open.id} take={open} />
          ) : (
            <Page>
              <Empty title="No such take" text="Choose another one from the list." action={{ title: 'Go to the list', onPress: () => router.replace('/check') }} />
            </Page>
          )
        }
      />
    </RecordsGate>
  );
}

function VerdictList({ takes, selectedId, onPutInOrder }: { takes: StoredRecord<'take'>[]; selectedId: string | null; onPutInOrder: (() => void) | null }) {
  const router = useRouter();
  const bySubject = useAnalysesState((s) => s.bySubject);
  const verdictOf = useVerdict();
  const status = useAnalysesState((s) => s.status);
  const analysesError = useAnalysesState((s) => (s.status === 'failed' ? s.unreached : null));
  const line = useDayInOneLine(takes);
  return (
    <Page>
      {/* both have their place whether they are there or not: a row that moves is another one when it is touched */}
      <View style={{ flexDirection: 'row', alignItems: 'center', minHeight: TOUCH_PX }}>
        <View style={{ flex: 1 }}>
          <Words look="title" level={1}>
            Does the record hold?
          </Words>
        </View>
        <View style={{ width: TOUCH_PX }}>{onPutInOrder && status !== 'loading' ? <IconAction icon="sort" label="Put the takes in order of their verdicts" onPress={onPutInOrder} /> : null}</View>
      </View>
      {takes.length > 0 && status === 'ready' ? (
        <Words look="small" dim numberOfLines={1} role="status" testID="verdicts-line">
          {line}
        </Words>
      ) : null}
      {analysesError ? <Failing title="Verdicts could not be loaded" text={`${analysesError} The takes below are safe on this device.`} /> : null}
      {takes.length === 0 ? <Empty title="No takes yet" text="Log takes on Floor; check them here with a test solve." action={{ title: 'Go to Floor', onPress: () => router.push('/floor') }} /> : null}
      <View style={{ marginTop: SPACE.s, marginHorizontal: -SPACE.m }}>
        {/* in the order of verdicts that are not here yet a row would be another one when it is touched */}
        {status === 'loading' && takes.length > 0 ? <Loading what="the verdicts" /> : null}
        {(status === 'loading' ? [] : takes).map((t) => {
          const v = verdictOf(bySubject[t.id]);
          return (
            <Row
              key={t.id}
              testID={`check-${t.body.slate}-${t.body.take}`}
              selected={t.id === selectedId}
              title={`${t.body.slate} take ${t.body.take}`}
              detail={t.body.tracks ? v.detail : 'no tracks yet'}
              right={<VerdictMark verdict={v.verdict} />}
              onPress={() => router.push(`/check/${t.id}`)}
            />
          );
        })}
      </View>
    </Page>
  );
}
