import type { Analysis, StoredRecord } from '@mesure/contract';
import { useRouter } from 'expo-router';
import { View } from 'react-native';
import { useAll, useAnalysesState } from '../../data';
import { Row, useIsWide } from '../../ui/controls';
import { staleWords } from '../../ui/stale-words';
import { Empty, Failing } from '../../ui/states';
import { Words } from '../../ui/text';
import { SPACE } from '../../ui/theme';
import { VerdictMark, type VerdictName } from '../../ui/verdict-mark';
import { Page, Split } from '../shell/pane';
import { useDayTakes } from '../days/use-day';
import { RecordsGate } from '../shell/records-gate';
import { TakeCheck } from './take-check';

export function verdictOf(a: Analysis | undefined): { verdict: VerdictName; detail: string } {
  const said = verdictAlone(a);
  const old = staleWords(a);
  return old ? { ...said, detail: `↺ ${old} · ${said.detail}` } : said;
}

function verdictAlone(a: Analysis | undefined): { verdict: VerdictName; detail: string } {
  if (!a) return { verdict: 'not checked', detail: 'no test solve yet' };
  if (a.status === 'queued' || a.status === 'running') return { verdict: 'not checked', detail: a.status === 'queued' ? 'waits for the server' : a.stage };
  if (a.status === 'failed') return { verdict: 'not checked', detail: a.error ?? 'failed' };
  if (a.status === 'stopped' || a.outcome?.kind !== 'solve') return { verdict: 'not checked', detail: 'stopped' };
  const { solve, reconcile } = a.outcome;
  if (solve.question) return { verdict: 'not checked', detail: solve.question.words };
  if (solve.status === 'failed') return { verdict: 'not observable', detail: solve.reason ?? 'the solve failed' };
  return { verdict: reconcile?.verdict ?? 'not checked', detail: reconcile?.sentence ?? '' };
}

const ORDER: VerdictName[] = ['contradicts', 'drifts', 'not observable', 'not checked', 'agrees'];

/** Check: the day's takes with their verdicts, what disagrees first. */
export function CheckScreen({ takeId }: { takeId: string | null }) {
  const wide = useIsWide();
  const takes = useDayTakes();
  const all = useAll('take');
  const bySubject = useAnalysesState((s) => s.bySubject);
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
              <Empty title="No such take" text="Choose another one from the list." />
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
  const analysesError = useAnalysesState((s) => (s.status === 'failed' ? s.error : null));
  return (
    <Page>
      <Words look="title" level={1}>
        Does the record hold?
      </Words>
      {analysesError ? <Failing title="Verdicts could not be loaded" text={`${analysesError} The takes below are safe on this device.`} /> : null}
      {takes.length === 0 ? <Empty title="No takes yet" text="Log takes on Floor; check them here with a test solve." /> : null}
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
