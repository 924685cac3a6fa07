import type { FileRef } from '@mesure/contract';
import { isAsRead, lookAtTable, mappedCsv } from '@mesure/formats/mapped-table';
import { TRACK_TABLE, type TrackColumn } from '@mesure/formats/table-kinds';
import { useState } from 'react';
import { View } from 'react-native';
import { api, newId, useData } from '../../data';
import { csvName, readTableText } from '../../data/read-table';
import { Action } from '../../ui/controls';
import { ColumnsSheet, type ChosenTable } from '../../ui/columns-sheet';
import { pickFile } from '../../ui/pick-file';
import { Words } from '../../ui/text';
import { usePalette } from '../../ui/theme';

/** Gives tracks to a take, or to a witness camera in it: a table of another shape has its columns said first, and is taken as the CSV that Mesure reads. */
export function GiveTracks({ title, testID = 'give-tracks', onGiven }: { title: string; testID?: string; onGiven: (file: FileRef) => Promise<unknown> }) {
  const p = usePalette();
  const { session } = useData();
  const [busy, setBusy] = useState(false);
  const [failure, setFailure] = useState<string | null>(null);
  const [chosen, setChosen] = useState<ChosenTable<TrackColumn> | null>(null);
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
    await onGiven({ sha256: uploaded.sha256, name: uploaded.name });
    setChosen(null);
  };
  const give = async () => {
    const file = await pickFile('.csv,.txt,.tsv,.xlsx,text/csv,text/plain');
    if (!file) return;
    await attempt(async () => {
      const text = await readTableText(file);
      const table = lookAtTable(text, file.name, TRACK_TABLE);
      if (isAsRead(table, TRACK_TABLE)) await send(file, file.name);
      else setChosen({ name: file.name, text, table, columns: table.columns });
    });
  };
  return (
    <View>
      <Action kind="quiet" icon={title.startsWith('Other') ? undefined : 'upload-file'} title={title} busy={busy && !chosen} onPress={() => void give()} testID={testID} />
      {failure && !chosen ? <Words role="alert" color={p.against}>{`▲ ${failure}`}</Words> : null}
      {chosen ? (
        <ColumnsSheet
          chosen={chosen}
          kind={TRACK_TABLE}
          intro="is laid out otherwise than track,frame,x,y. Say what its columns hold; the places themselves stay as they are."
          failure={failure}
          onColumns={(columns) => setChosen({ ...chosen, columns })}
          onClose={() => setChosen(null)}
          take={{
            title: 'Take these tracks',
            testID: 'take-tracks',
            ready: true,
            busy,
            onPress: () =>
              void attempt(async () => {
                const { name, text, table, columns } = chosen;
                await send(new Blob([mappedCsv(text, name, table, columns, TRACK_TABLE)], { type: 'text/csv' }), csvName(name));
              }),
          }}
        />
      ) : null}
    </View>
  );
}
