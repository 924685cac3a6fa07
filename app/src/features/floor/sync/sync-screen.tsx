import { takeSync, type FileRef, type StoredRecord, type SyncBody, type SyncOutcome } from '@mesure/contract';
import { useRouter, type Href } from 'expo-router';
import { useState } from 'react';
import { View } from 'react-native';
import { api, newId, useAll, useAnalysesState, useData, useMayWrite, useRecord, useRecordsState } from '../../../data';
import { EXPLANATIONS } from '../../explanations';
import { Explained } from '../../../ui/explain';
import { Action, Progress, Section } from '../../../ui/controls';
import { fixed } from '../../../ui/format';
import { pickFile } from '../../../ui/pick-file';
import { Empty, Working } from '../../../ui/states';
import { Figure, Words } from '../../../ui/text';
import { SPACE, usePalette } from '../../../ui/theme';
import { Warnings } from '../../../ui/warnings';
import { Page } from '../../shell/pane';
import { RecordsGate } from '../../shell/records-gate';
import { useTakeWords } from '../use-floor';
import { ClapMarker } from './clap-marker';

/** How the witness cameras of a take ran against the main one: by timecode, by sound, by the clap; compared. */
export function SyncScreen({ takeId }: { takeId: string }) {
  return (
    <RecordsGate what="the take">
      <Sync takeId={takeId} />
    </RecordsGate>
  );
}

function Sync({ takeId }: { takeId: string }) {
  const router = useRouter();
  const take = useRecord('take', takeId);
  const packages = useAll('package');
  const rigs = useAll('rig');
  const plans = useAll('plan');
  if (!take || take.deleted)
    return (
      <Page>
        <Empty title="No such take" text="It is hidden, or not on this device." action={{ title: 'Go to Floor', onPress: () => router.replace('/floor') }} />
      </Page>
    );
  const ids = [
    ...new Set([
      ...(take.body.witnesses ?? []).map((w) => w.packageId),
      ...rigs.filter((r) => r.body.setupId === take.body.setupId).map((r) => r.body.packageId),
      ...(plans.find((q) => q.body.setupId === take.body.setupId)?.body.witnesses ?? []).map((w) => w.packageId),
    ]),
  ];
  return (
    <Page action={<Action title="Back to the take" icon="check" onPress={() => router.push(`/floor/take/${takeId}` as Href)} testID="sync-done" />}>
      <Words look="title" level={1}>{`Sync of ${take.body.slate} take ${take.body.take}`}</Words>
      {ids.length === 0 ? (
        <Empty
          title="No witness camera"
          text="Add one to the setup first: sync is how its clip runs against the main camera’s."
          action={{ title: 'Go to the setup', onPress: () => router.push(`/floor/${take.body.setupId}` as Href) }}
        />
      ) : null}
      {ids.map((id) => (
        <OneWitness key={id} take={take} packageId={id} camera={packages.find((q) => q.id === id)?.body.camera ?? '?'} />
      ))}
    </Page>
  );
}

const WAYS = { timecode: 'Timecode', sound: 'Sound', clap: 'Clap in both pictures' } as const;

function OneWitness({ take, packageId, camera }: { take: StoredRecord<'take'>; packageId: string; camera: string }) {
  const p = usePalette();
  const words = useTakeWords();
  const mayWrite = useMayWrite();
  const { session } = useData();
  const write = useRecordsState((s) => s.write);
  const send = useRecordsState((s) => s.send);
  const record = useAll('sync').find((s) => s.body.takeId === take.id && s.body.packageId === packageId) ?? null;
  const analysis = useAnalysesState((s) => (record ? s.bySubject[record.id] : undefined));
  const start = useAnalysesState((s) => s.start);
  const stop = useAnalysesState((s) => s.stop);
  const [sending, setSending] = useState<{ which: 'main' | 'witness'; share: number } | null>(null);
  const [failure, setFailure] = useState<string | null>(null);
  const outcome = analysis?.status === 'done' && analysis.outcome?.kind === 'sync' ? (analysis.outcome as SyncOutcome) : null;
  const rate = (id: string) => words.packages.find((q) => q.id === id)?.fps ?? 24;
  const sync = takeSync({ take: take.body, packageId, sync: record?.body ?? null, outcome, mainFps: rate(take.body.packageId), witnessFps: rate(packageId) });
  const keep = async (change: Partial<SyncBody>, what: string): Promise<string> => {
    const id = record?.id ?? newId();
    await write('sync', id, (now: SyncBody | undefined) => ({ takeId: take.id, packageId, main: null, witness: null, clap: null, ...now, ...change }), `${camera}-cam: ${what} kept`);
    return id;
  };
  async function give(which: 'main' | 'witness'): Promise<void> {
    const file = await pickFile('.wav,.mov,.mp4,audio/wav,video/mp4,video/quicktime');
    if (!file) return;
    setFailure(null);
    setSending({ which, share: 0 });
    try {
      const { sha256, name } = await api.upload(session.production.id, file, {
        name: file.name,
        use: 'clip',
        key: `${take.id}-${packageId}-${which}-${file.name}-${file.size}`,
        onProgress: (sent) => setSending({ which, share: sent / file.size }),
      });
      const id = await keep({ [which]: { sha256, name } satisfies FileRef }, which === 'main' ? 'main sound' : 'witness sound');
      await send();
      const other = which === 'main' ? record?.body.witness : record?.body.main;
      if (other) await start('sync', id);
    } catch (e) {
      setFailure(`${e instanceof Error ? e.message : String(e)} Nothing else was changed; choose the file again when the network is there.`);
    } finally {
      setSending(null);
    }
  }
  const file = (which: 'main' | 'witness', name: string) => (
    <View style={{ flexDirection: 'row', alignItems: 'center', justifyContent: 'space-between', gap: SPACE.s }}>
      <Words look="small" style={{ flex: 1 }}>{`${name}: ${record?.body[which]?.name ?? 'no sound yet'}`}</Words>
      {mayWrite ? (
        <Action
          title={record?.body[which] ? 'Another' : 'Choose'}
          label={`Choose the sound of ${name}`}
          disabled={sending !== null}
          onPress={() => void give(which)}
          testID={`give-${which}-${camera}`}
        />
      ) : null}
    </View>
  );
  const running = analysis && (analysis.status === 'queued' || analysis.status === 'running');
  return (
    <Section title={`${camera}-cam against the main camera`}>
      <View testID={`sync-answer-${camera}`}>
        {sync.offsetS === null ? (
          <Words dim>Not known yet: give the sound of both, or mark the clap in both, or note both timecodes.</Words>
        ) : (
          <>
            <Explained about={EXPLANATIONS.syncOffset}>
              <Figure look="big" origin="computed" value={frames(sync.offsetS, sync.mainFps)} unit="frames" sigma={fixed(Math.max(0.01, (sync.sigmaS ?? 0) * sync.mainFps), 2)} />
            </Explained>
            <Words look="small">{`The same moment is ${fixed(Math.abs(sync.offsetS), 4)} s ${sync.offsetS >= 0 ? 'later' : 'earlier'} in the clip of ${camera}-cam, by ${WAYS[sync.by!].toLowerCase()}.`}</Words>
          </>
        )}
      </View>
      {sync.contradictions.map((c) => (
        <Words key={`${c.a}${c.b}`} color={p.against} role="alert" testID={`contradiction-${c.a}-${c.b}`}>
          {`▲ ${WAYS[c.a]} and ${WAYS[c.b].toLowerCase()} differ by ${fixed(Math.abs(c.differenceS), 3)} s (${frames(Math.abs(c.differenceS), sync.mainFps)} frames)${c.likely ? `: ${c.likely}.` : '.'}`}
        </Words>
      ))}
      {sync.problems.map((t) => (
        <Words key={t} color={p.against} role="alert">{`▲ ${t}`}</Words>
      ))}
      <View style={{ marginTop: SPACE.s }}>
        {(['timecode', 'sound', 'clap'] as const).map((by) => {
          const e = sync.evidence.find((v) => v.by === by);
          return (
            <View key={by} style={{ flexDirection: 'row', justifyContent: 'space-between', paddingVertical: SPACE.xs, borderBottomWidth: 1, borderColor: p.line }} testID={`evidence-${by}-${camera}`}>
              <Words>{WAYS[by]}</Words>
              <Words look="figure">
                {e ? `${fixed(e.offsetS, 4)} s` : '–'}
                {e ? <Words look="small" dim>{` ± ${fixed(e.sigmaS * 1000, 0)} ms${by === 'sound' ? `, confidence ${fixed(e.confidence, 2)}` : ''}`}</Words> : null}
              </Words>
            </View>
          );
        })}
      </View>
      {outcome && (outcome.main.varies || outcome.witness.varies) ? (
        <Words look="small" testID={`varies-${camera}`}>
          {`◆ The frame rate of ${[...(outcome.main.varies ? ['the main camera'] : []), ...(outcome.witness.varies ? [`${camera}-cam`] : [])].join(' and ')} varies: a number of frames is no length of time there. Go by the seconds.`}
        </Words>
      ) : null}
      <Warnings of={outcome?.sound.warnings ?? []} mark="◆" />
      <View style={{ marginTop: SPACE.m, gap: SPACE.xs }}>
        {file('main', 'main camera')}
        {file('witness', `${camera}-cam`)}
        {sending ? <Progress fraction={sending.share} label={`Sending ${fixed(100 * sending.share, 0)} %`} /> : null}
        {running ? <Working what={analysis.stage || 'waiting'} share={analysis.progress} onStop={() => void stop(record!.id)} /> : null}
        {analysis?.status === 'failed' ? <Words color={p.against} role="alert">{`▲ ${analysis.error}`}</Words> : null}
        {failure ? <Words color={p.against} role="alert">{`▲ ${failure}`}</Words> : null}
        {record?.body.main && record.body.witness && !running && !outcome && mayWrite ? (
          <Action title="Compare the sounds" onPress={() => void start('sync', record.id)} testID={`compare-${camera}`} />
        ) : null}
      </View>
      {record?.body.main && record.body.witness && outcome?.main.fps && outcome.witness.fps ? (
        <ClapMarker
          productionId={session.production.id}
          main={record.body.main}
          witness={record.body.witness}
          facts={outcome}
          value={record.body.clap}
          disabled={!mayWrite}
          onKeep={(clap) => void keep({ clap }, 'clap')}
        />
      ) : null}
    </Section>
  );
}

const frames = (s: number, fps: number): string => fixed(s * fps, Math.abs(s * fps) < 1000 ? 2 : 1);
