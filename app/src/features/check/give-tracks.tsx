import type { StoredRecord } from '@mesure/contract';
import { isTracksCsv, lookAtTracks, textOf, TRACK_COLUMNS, tracksCsvOf, type TrackColumn, type TracksTable } from '@mesure/formats/tracks-table';
import { useState } from 'react';
import { View } from 'react-native';
import { api, newId, useData, useRecordsState } from '../../data';
import { Action, Sheet } from '../../ui/controls';
import { ColumnsSection } from '../../ui/columns';
import { pickFile } from '../../ui/pick-file';
import { Words } from '../../ui/text';
import { SPACE, usePalette } from '../../ui/theme';

const WORDS: Record<TrackColumn, string> = { track: 'name of the track', frame: 'frame', x: 'x, across', y: 'y, up or down', weight: 'weight, 0 to 1' };

interface Chosen {
  file: File;
  text: string;
  table: TracksTable;
}

/** Gives a take its tracks: a table of another shape has its columns said first, and is taken as the CSV that Mesure reads. */
export function GiveTracks({ take, title }: { take: StoredRecord<'take'>; title: 'Give tracks as CSV' | 'Other tracks' }) {
  const p = usePalette();
  const { session } = useData();
  const write = useRecordsState((s) => s.write);
  const [busy, setBusy] = useState(false);
  const [failure, setFailure] = useState<string | null>(null);
  const [chosen, setChosen] = useState<Chosen | null>(null);
  const attempt = async (what: () => Promise<void>) => {
    setBusy(true);
    setFailure(null);
    try {
      await what();
    } catch (e) {
      setFailure(`${e instanceof Error ? e.message : String(e)} Nothing was changed.`);
    } finally {
      setBusy(false);
    }
  };
  const send = async (blob: Blob, name: string) => {
    const uploaded = await api.upload(session.production.id, blob, { name, use: 'tracks', key: newId() });
    await write('take', take.id, (now) => ({ ...now, tracks: { sha256: uploaded.sha256, name: uploaded.name }, tracksCounted: null }), `Tracks given to ${take.body.slate} take ${take.body.take}`);
    setChosen(null);
  };
  const give = async () => {
    const file = await pickFile('.csv,.txt,.tsv,text/csv,text/plain');
    if (!file) return;
    await attempt(async () => {
      const text = textOf(new Uint8Array(await file.arrayBuffer()), file.name);
      const table = lookAtTracks(text, file.name);
      if (isTracksCsv(table)) await send(file, file.name);
      else setChosen({ file, text, table });
    });
  };
  return (
    <View>
      <Action kind="quiet" icon={title === 'Other tracks' ? undefined : 'upload-file'} title={title} busy={busy && !chosen} onPress={() => void give()} testID="give-tracks" />
      {failure && !chosen ? <Words role="alert" color={p.against}>{`▲ ${failure}`}</Words> : null}
      {chosen ? (
        <Sheet title="Which column is what?" open onClose={() => setChosen(null)}>
          <TracksColumns
            chosen={chosen}
            busy={busy}
            failure={failure}
            onTake={(columns) =>
              void attempt(async () => {
                const { file, text, table } = chosen;
                const csv = tracksCsvOf(text, file.name, table, columns);
                await send(new Blob([csv], { type: 'text/csv' }), `${file.name.replace(/\.[^.]*$/, '')}.csv`);
              })
            }
          />
        </Sheet>
      ) : null}
    </View>
  );
}

function TracksColumns({ chosen, busy, failure, onTake }: { chosen: Chosen; busy: boolean; failure: string | null; onTake: (columns: (TrackColumn | null)[]) => void }) {
  const p = usePalette();
  const { table, file } = chosen;
  const [columns, setColumns] = useState(table.columns);
  const lacking = (['track', 'frame', 'x', 'y'] as const).filter((c) => !columns.includes(c));
  return (
    <>
      <Words dim>{`${file.name} is laid out otherwise than track,frame,x,y. Say what its columns hold; the places themselves stay as they are.`}</Words>
      <ColumnsSection header={table.header} columns={columns} all={TRACK_COLUMNS} words={WORDS} onChange={setColumns} />
      <Words look="label" dim style={{ marginTop: SPACE.m }}>
        Its first rows
      </Words>
      {table.sample.map((row, i) => (
        <Words key={i} look="small" numberOfLines={1} testID={`tracks-row-${i}`}>
          {TRACK_COLUMNS.flatMap((c) => (columns.includes(c) ? [`${c} ${row[columns.indexOf(c)] ?? '–'}`] : [])).join(' · ')}
        </Words>
      ))}
      {lacking.length > 0 ? <Words role="alert" color={p.against}>{`▲ No column holds the ${lacking.map((c) => WORDS[c].split(',')[0]).join(', ')}.`}</Words> : null}
      {failure ? <Words role="alert" color={p.against}>{`▲ ${failure}`}</Words> : null}
      <View style={{ height: SPACE.m }} />
      <Action kind="main" title="Take these tracks" disabled={lacking.length > 0} busy={busy} onPress={() => onTake(columns)} testID="take-tracks" />
    </>
  );
}
