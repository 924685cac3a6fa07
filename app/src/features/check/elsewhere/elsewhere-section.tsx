import type { Analysis, ElsewhereBody, StoredRecord } from '@mesure/contract';
import type { TurnOrder } from '@mesure/core';
import type { MoveColumn } from '@mesure/formats/table-kinds';
import { useRouter, type Href } from 'expo-router';
import { useState } from 'react';
import { View } from 'react-native';
import { api, newId, useAll, useAnalysesState, useData, useMay, useRecordsState } from '../../../data';
import { csvName } from '../../../data/read-table';
import type { ChosenTable } from '../../../ui/columns-sheet';
import { Action, Progress, Row, Section } from '../../../ui/controls';
import { percent } from '../../../ui/format';
import { pickFile } from '../../../ui/pick-file';
import { waitingWords } from '../../../ui/stale-words';
import { Words } from '../../../ui/text';
import { SPACE, usePalette } from '../../../ui/theme';
import { lookAtMoveTable, MoveColumns } from './move-columns';

const MOVE_FILES = '.glb,.gltf,.usda,.usd,.jsonl,.json,.csv,.tsv,.txt,.xlsx';

/** Solves of the take that another program made: brought in, and laid against what was recorded. */
export function ElsewhereSection({ take }: { take: StoredRecord<'take'> }) {
  const p = usePalette();
  const router = useRouter();
  const may = useMay('give');
  const { session, records, analyses } = useData();
  const write = useRecordsState((s) => s.write);
  const bySubject = useAnalysesState((s) => s.bySubject);
  const mine = useAll('elsewhere')
    .filter((q) => q.body.takeId === take.id)
    .sort((a, b) => (a.body.givenAt < b.body.givenAt ? 1 : -1));
  const [share, setShare] = useState<number | null>(null);
  const [failure, setFailure] = useState<string | null>(null);
  const [chosen, setChosen] = useState<ChosenTable<MoveColumn> | null>(null);
  async function give() {
    const file = await pickFile(MOVE_FILES);
    if (!file) return;
    setFailure(null);
    try {
      const table = await lookAtMoveTable(file);
      if (table) setChosen(table);
      else await send(file, file.name, null);
    } catch (e) {
      setFailure(`${e instanceof Error ? e.message : String(e)} Nothing was changed.`);
    }
  }
  async function send(blob: Blob, called: string, order: TurnOrder | null) {
    setFailure(null);
    setShare(0);
    try {
      const { sha256, name } = await api.upload(session.production.id, blob, { name: called, use: 'move', key: newId(), onProgress: (sent) => setShare(sent / Math.max(1, blob.size)) });
      const body: ElsewhereBody = { takeId: take.id, file: { sha256, name }, points: null, reading: null, order, givenAt: new Date().toISOString() };
      const id = newId();
      await write('elsewhere', id, body, `Solve made elsewhere given to ${take.body.slate} take ${take.body.take}`);
      await records.getState().send();
      await analyses.getState().start('elsewhere', id);
      router.push(`/check/elsewhere/${id}` as Href);
    } catch (e) {
      setFailure(`${e instanceof Error ? e.message : String(e)} Nothing was changed.`);
    } finally {
      setShare(null);
    }
  }
  if (!may && mine.length === 0) return null;
  return (
    <Section title="Solved elsewhere">
      {mine.length === 0 ? (
        <Words look="small" dim>
          A camera move that another program solved is laid against the record like a solve made here: GLB, USD text, tracking samples, or a table whose columns are said.
        </Words>
      ) : null}
      <View style={{ marginHorizontal: -SPACE.m }}>
        {mine.map((q) => (
          <Row key={q.id} testID={`elsewhere-${q.body.file.name}`} title={q.body.file.name} detail={inShort(bySubject[q.id])} onPress={() => router.push(`/check/elsewhere/${q.id}` as Href)} />
        ))}
      </View>
      {share !== null ? <Progress fraction={share} label={`Sending the file, ${percent(share)}`} /> : null}
      {failure && !chosen ? <Words role="alert" color={p.against}>{`▲ ${failure}`}</Words> : null}
      {chosen ? (
        <MoveColumns
          chosen={chosen}
          busy={share !== null}
          failure={failure}
          onColumns={(columns) => setChosen({ ...chosen, columns })}
          onClose={() => setChosen(null)}
          onTake={(csv, order) => void send(new Blob([csv], { type: 'text/csv' }), csvName(chosen.name), order)}
        />
      ) : null}
      {may ? (
        <View style={{ alignItems: 'flex-start', marginLeft: -SPACE.l }}>
          <Action kind="quiet" icon="upload-file" title="Bring a solve in" busy={share !== null} onPress={() => void give()} testID="give-elsewhere" />
        </View>
      ) : null}
    </Section>
  );
}

function inShort(a: Analysis | undefined): string {
  if (!a) return 'not compared yet';
  if (a.status === 'queued') return waitingWords(a);
  if (a.status === 'running') return `${a.stage}, ${percent(a.progress)}`;
  if (a.status === 'failed') return a.error ?? 'it could not be read';
  if (a.status !== 'done' || a.outcome?.kind !== 'elsewhere') return 'stopped';
  const { doubts, reconcile } = a.outcome;
  return doubts.length > 0 ? `${doubts[0].words}` : (reconcile?.sentence ?? 'It says no focal length, and nothing of it can be compared.');
}
