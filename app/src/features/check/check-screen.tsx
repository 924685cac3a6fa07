import type { StoredRecord } from '@mesure/contract';
import { useRouter } from 'expo-router';
import { useMemo, useState } from 'react';
import { View } from 'react-native';
import { useAll, useAnalysesState } from '../../data';
import { Row, useIsWide } from '../../ui/controls';
import { Empty, Failing, Loading } from '../../ui/states';
import { Words } from '../../ui/text';
import { SPACE } from '../../ui/theme';
import { VerdictMark, type VerdictName } from '../../ui/verdict-mark';
import { Page, Split } from '../shell/pane';
import { useDayTakes } from '../days/use-day';
import { RecordsGate } from '../shell/records-gate';
import { TakeCheck } from './take-check';
import { useVerdict } from './use-verdict';

const ORDER: VerdictName[] = ['contradicts', 'drifts', 'not observable', 'not checked', 'agrees'];

/** No row moves away under a finger: the order is made anew when somebody chooses, when takes come or go, and when the server first answers. */
function useSettled(sorted: StoredRecord<'take'>[], takeId: string | null): StoredRecord<'take'>[] {
  const status = useAnalysesState((s) => s.status);
  const here = useAnalysesState((s) => s.status === 'ready' && s.knownFrom === null);
  // a line that goes and comes again is no reason to move anything
  const [answered, setAnswered] = useState(false);
  if (here && !answered) setAnswered(true);
  const key = `${answered || status} ${takeId} ${sorted
    .map((t) => t.id)
    .sort()
    .join()}`;
  // eslint-disable-next-line react-hooks/exhaustive-deps -- the key holds when the order may change
  const ids = useMemo(() => sorted.map((t) => t.id), [key]);
  return ids.flatMap((id) => sorted.find((t) => t.id === id) ?? []);
}

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
  const settled = useSettled(sorted, takeId);
  const open = all.find((t) => t.id === (takeId ?? (wide ? settled[0]?.id : null)));
  return (
    <RecordsGate what="the takes">
      <Split
        showDetail={takeId !== null}
        list={<VerdictList takes={settled} selectedId={open?.id ?? null} />}
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

function VerdictList({ takes, selectedId }: { takes: StoredRecord<'take'>[]; selectedId: string | null }) {
  const router = useRouter();
  const bySubject = useAnalysesState((s) => s.bySubject);
  const verdictOf = useVerdict();
  const status = useAnalysesState((s) => s.status);
  const analysesError = useAnalysesState((s) => (s.status === 'failed' ? s.unreached : null));
  return (
    <Page>
      <Words look="title" level={1}>
        Does the record hold?
      </Words>
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
