import type { StoredRecord } from '@mesure/contract';
import { useRouter } from 'expo-router';
import { View } from 'react-native';
import { useAll, useAnalysesState } from '../../data';
import { Row, useIsWide } from '../../ui/controls';
import { Empty, Failing } from '../../ui/states';
import { Words } from '../../ui/text';
import { SPACE } from '../../ui/theme';
import { VerdictMark, type VerdictName } from '../../ui/verdict-mark';
import { Page, Split } from '../shell/pane';
import { useDayTakes } from '../days/use-day';
import { RecordsGate } from '../shell/records-gate';
import { TakeCheck } from './take-check';
import { useVerdict } from './use-verdict';

const ORDER: VerdictName[] = ['contradicts', 'drifts', 'not observable', 'not checked', 'agrees'];

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
  const open = all.find((t) => t.id === (takeId ?? (wide ? sorted[0]?.id : null)));
  return (
    <RecordsGate what="the takes">
      <Split
        showDetail={takeId !== null}
        list={<VerdictList takes={sorted} selectedId={open?.id ?? null} />}
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
  const analysesError = useAnalysesState((s) => (s.status === 'failed' ? s.unreached : null));
  return (
    <Page>
      <Words look="title" level={1}>
        Does the record hold?
      </Words>
      {analysesError ? <Failing title="Verdicts could not be loaded" text={`${analysesError} The takes below are safe on this device.`} /> : null}
      {takes.length === 0 ? <Empty title="No takes yet" text="Log takes on Floor; check them here with a test solve." action={{ title: 'Go to Floor', onPress: () => router.push('/floor') }} /> : null}
      <View style={{ marginTop: SPACE.s, marginHorizontal: -SPACE.m }}>
        {takes.map((t) => {
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
