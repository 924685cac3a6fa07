import { KINDS, type KitLine } from '@mesure/contract';
import { useState } from 'react';
import { View } from 'react-native';
import { api, newId, useData, useMayWrite, useRecordsState } from '../../data';
import type { KitSource } from '../../data/api';
import { Action, Progress, Row, Section } from '../../ui/controls';
import { pickFile } from '../../ui/pick-file';
import { Empty, Failing } from '../../ui/states';
import { Words } from '../../ui/text';
import { SPACE } from '../../ui/theme';
import { Page } from '../shell/pane';
import { RecordsGate } from '../shell/records-gate';

const SIGNS: Record<KitLine['what'], string> = { new: '+', same: '=', different: '◆' };
const WORDS: Record<KitLine['what'], string> = { new: 'new', same: 'here already', different: 'another one is here; comes in beside it' };

/** A lens measured once stays measured: kit in from another of one's films or from a kit file, seen before it is done; and out. */
export function OtherFilmScreen() {
  return (
    <RecordsGate what="the kit">
      <OtherFilm />
    </RecordsGate>
  );
}

function OtherFilm() {
  const { session } = useData();
  const mayWrite = useMayWrite();
  const refresh = useRecordsState((s) => s.refresh);
  const here = session.production.id;
  const others = session.productions.filter((p) => p.id !== here);
  const [source, setSource] = useState<{ from: KitSource; name: string } | null>(null);
  const [lines, setLines] = useState<KitLine[] | null>(null);
  const [busy, setBusy] = useState<{ what: string; share: number } | null>(null);
  const [error, setError] = useState<string | null>(null);
  const [done, setDone] = useState<string | null>(null);
  const count = (what: KitLine['what']) => (lines ?? []).filter((l) => l.what === what).length;

  async function attempt(what: string, work: () => Promise<void>) {
    setBusy({ what, share: 0 });
    setError(null);
    try {
      await work();
    } catch (e) {
      setError(`${e instanceof Error ? e.message : String(e)} Nothing was changed.`);
    } finally {
      setBusy(null);
    }
  }
  const look = (from: KitSource, name: string) =>
    attempt(`Comparing with ${name}`, async () => {
      setLines((await api.lookAtKit(here, from)).lines);
      setSource({ from, name });
      setDone(null);
    });
  const pick = async () => {
    const file = await pickFile('.zip,application/zip');
    if (!file) return;
    await attempt(`Sending ${file.name}`, async () => {
      const stored = await api.upload(here, file, { name: file.name, use: 'kit', key: newId(), onProgress: (sent) => setBusy({ what: `Sending ${file.name}`, share: sent / Math.max(1, file.size) }) });
      setLines((await api.lookAtKit(here, { sha256: stored.sha256 })).lines);
      setSource({ from: { sha256: stored.sha256 }, name: file.name });
      setDone(null);
    });
  };
  const bring = () =>
    attempt('Bringing it in', async () => {
      const told = (await api.bringKit(here, source!.from)).lines;
      await refresh();
      setDone(`${told.filter((l) => l.what !== 'same').length} parts of ${source!.name} came in.`);
      setLines(null);
      setSource(null);
    });
  const bringing = count('new') + count('different');
  return (
    <Page
      action={
        lines && mayWrite ? (
          <Action
            kind="main"
            title={bringing === 0 ? 'Everything is here already' : `Bring in ${bringing} parts`}
            disabled={bringing === 0}
            busy={busy !== null}
            onPress={() => void bring()}
            testID="bring-kit"
          />
        ) : undefined
      }
    >
      <Words look="title" level={1}>
        Kit of another film
      </Words>
      <Words dim>Bodies, lenses with their books and plates, adapters. Lenses are known by their serial number; nothing that is here is changed.</Words>
      {error ? <Failing title="That kit could not be read" text={error} /> : null}
      {done ? <Words role="status">{`✓ ${done}`}</Words> : null}
      {busy ? <Progress fraction={busy.share} label={busy.what} /> : null}
      {mayWrite ? (
        <Section title="In">
          <View style={{ marginHorizontal: -SPACE.m }}>
            {others.map((p) => (
              <Row key={p.id} testID={`kit-of-${p.name}`} title={p.name} detail={p.demo ? 'the demo film' : `your film, as ${p.role}`} onPress={() => void look({ productionId: p.id }, p.name)} />
            ))}
          </View>
          {others.length === 0 ? (
            <Words look="small" dim>
              You are in no other production here.
            </Words>
          ) : null}
          <View style={{ marginTop: SPACE.s, alignItems: 'flex-start' }}>
            <Action icon="folder-open" title="From a kit file" onPress={() => void pick()} testID="pick-kit" />
          </View>
        </Section>
      ) : null}
      {lines ? (
        <Section title={`${source?.name}: ${count('new')} new, ${count('different')} different, ${count('same')} same`}>
          {lines.length === 0 ? <Empty title="No kit in it" text="It has no body, lens or adapter." /> : null}
          <View style={{ marginHorizontal: -SPACE.m }}>
            {[...lines]
              .sort((a, b) => Number(a.what === 'same') - Number(b.what === 'same'))
              .map((l) => (
                <Row key={l.id} testID={`kit-line-${l.name}`} title={`${SIGNS[l.what]} ${KINDS[l.kind].noun} ${l.name}`} detail={[WORDS[l.what], l.note].filter(Boolean).join(': ')} />
              ))}
          </View>
        </Section>
      ) : null}
      <Section title="Out">
        <Words look="small" dim>
          A zip of open files: JSON, the plates, checksums. It opens in any other Mesure.
        </Words>
        <View style={{ marginTop: SPACE.s, alignItems: 'flex-start' }}>
          <Action icon="archive" title="Save the kit as a file" onPress={() => window.location.assign(api.kitUrl(here))} testID="save-kit" />
        </View>
      </Section>
    </Page>
  );
}
