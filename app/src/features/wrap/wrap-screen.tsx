import type { HandoverPlan } from '@mesure/contract';
import { useFocusEffect, useRouter } from 'expo-router';
import { useCallback, useState } from 'react';
import { View } from 'react-native';
import { api, useData, useRecordsState } from '../../data';
import { Action, Row, Section } from '../../ui/controls';
import { Empty, Failing, Loading } from '../../ui/states';
import { Figure, Words } from '../../ui/text';
import { SPACE, usePalette } from '../../ui/theme';
import { Page } from '../shell/pane';
import { useDay } from '../days/use-day';
import { RecordsGate } from '../shell/records-gate';

type State = { status: 'loading' } | { status: 'failed'; error: string } | { status: 'ready'; plan: HandoverPlan };

/** Wrap: what is missing, what will leave, and the one action. */
export function WrapScreen() {
  return (
    <RecordsGate what="the day">
      <DayWrap />
    </RecordsGate>
  );
}

function DayWrap() {
  const p = usePalette();
  const router = useRouter();
  const { session, records } = useData();
  const waiting = useRecordsState((s) => s.outbox.length);
  const day = useDay();
  const [state, setState] = useState<State>({ status: 'loading' });
  const [saving, setSaving] = useState<{ busy: boolean; error: string | null; done: string | null }>({ busy: false, error: null, done: null });
  const dayId = day?.id;
  const load = useCallback(async () => {
    if (!dayId) return;
    await records.getState().send();
    try {
      setState({ status: 'ready', plan: await api.handover(session.production.id, dayId) });
    } catch (e) {
      setState({ status: 'failed', error: e instanceof Error ? e.message : String(e) });
    }
  }, [dayId, records, session.production.id]);
  useFocusEffect(
    useCallback(() => {
      void load();
    }, [load]),
  );

  async function handOver() {
    setSaving({ busy: true, error: null, done: null });
    try {
      const response = await fetch(api.handoverUrl(session.production.id, dayId!), { credentials: 'same-origin' });
      if (!response.ok) throw new Error(((await response.json()) as { detail: string }).detail);
      const blob = await response.blob();
      const name = /filename="?([^";]+)/.exec(response.headers.get('content-disposition') ?? '')?.[1] ?? 'handover.zip';
      const url = URL.createObjectURL(blob);
      const link = document.createElement('a');
      link.href = url;
      link.download = name;
      link.click();
      setTimeout(() => URL.revokeObjectURL(url), 60_000);
      setSaving({ busy: false, error: null, done: `${name}, ${(blob.size / 1e6).toFixed(2)} MB` });
    } catch (e) {
      setSaving({ busy: false, error: e instanceof Error ? e.message : String(e), done: null });
    }
  }

  if (!day)
    return (
      <Page>
        <Empty
          title="No shooting day yet"
          text="There is nothing to hand over yet. A setup begins the day; its takes, readings and plates leave from here."
          action={{ title: 'Go to Floor', onPress: () => router.push('/floor') }}
        />
      </Page>
    );
  if (state.status === 'loading') return <Loading what="what is missing" />;
  if (state.status === 'failed')
    return (
      <Page>
        <Failing title="The handover could not be prepared" text={`${state.error} What was entered is safe.`} action={{ title: 'Try again', onPress: () => void load() }} />
      </Page>
    );
  const { missing, files, closed, changedAfterClose } = state.plan;
  return (
    <Page action={<Action kind="main" icon="archive" title={`Hand over ${day.body.name}`} disabled={files.length === 0} busy={saving.busy} onPress={() => void handOver()} testID="hand-over" />}>
      <Words look="title" level={1}>{`Wrap ${day.body.name}`}</Words>
      <View testID="missing-count">
        <Figure look="big" origin="computed" value={String(missing.length)} unit={missing.length === 1 ? 'thing is missing' : 'things are missing'} />
      </View>
      {closed ? <Words>{`■ Closed by ${closed.by}, ${closed.at.slice(0, 16).replace('T', ' ')}`}</Words> : null}
      {changedAfterClose.length > 0 ? (
        <View testID="changed-after-close">
          <Words>{`◆ ${changedAfterClose.length} change${changedAfterClose.length === 1 ? '' : 's'} after that, marked in the handover:`}</Words>
          {changedAfterClose.slice(0, 6).map((c) => (
            <Words key={`${c.when} ${c.what}`} look="small" dim>{`${c.when.slice(0, 16).replace('T', ' ')} · ${c.who} · ${c.what}`}</Words>
          ))}
        </View>
      ) : null}
      {waiting > 0 ? <Words color={p.ink}>{`${waiting} entries wait on this device and are not part of this handover yet.`}</Words> : null}
      {saving.error ? <Failing title="The handover was not made" text={`${saving.error} Nothing was changed.`} /> : null}
      {saving.done ? <Words role="status">{`Handed over: ${saving.done}`}</Words> : null}
      <Section title="Missing">
        {missing.length === 0 ? <Empty title="The day is complete" text="Every take has what its handover needs." /> : null}
        <View style={{ marginHorizontal: -SPACE.m }}>
          {missing.map((m) => (
            <Row
              key={m.take + m.what}
              title={m.what}
              detail={m.take}
              onPress={
                m.takeId === null ? undefined : () => router.push(/solve|tracks|contradiction/.test(m.what) ? `/check/${m.takeId}` : /grid plate/.test(m.what) ? '/kit' : `/floor/take/${m.takeId}`)
              }
            />
          ))}
        </View>
      </Section>
      <Section title="What leaves">
        {files.length === 0 ? <Empty title="Nothing leaves yet" text="A take with a test solve, a grid plate or a reading is needed first." /> : null}
        <View style={{ marginHorizontal: -SPACE.m }}>
          {files.map((f) => (
            <Row key={f.path} title={f.path} detail={`${f.what} · ${f.readWith}`} />
          ))}
        </View>
      </Section>
    </Page>
  );
}
