import { guessShotColumns, mountPackage, planShotList, SHOT_COLUMN_WORDS, SHOT_COLUMNS, type ShotColumn, type ShotLine } from '@mesure/contract';
import { readCells } from '@mesure/formats/table';
import { useRouter } from 'expo-router';
import { useMemo, useState } from 'react';
import { View } from 'react-native';
import { readTableFile } from '../../data/read-table';
import { newId, useAll, useFind, useMounted, useRecordsState, type AnyOrder } from '../../data';
import { useKeptEntry } from '../../forms';
import { ColumnsSection } from '../../ui/columns';
import { Action, Field, Section } from '../../ui/controls';
import { pickFile } from '../../ui/pick-file';
import { Empty } from '../../ui/states';
import { TableLines } from '../../ui/table-lines';
import { Words } from '../../ui/text';
import { SPACE, usePalette } from '../../ui/theme';
import { useChooseDay, useDay, useDays, useProduction, useToday } from '../days/use-day';
import { Page } from '../shell/pane';
import { RecordsGate } from '../shell/records-gate';

/** A shot list from elsewhere: which column is what, what each row would do, and all of it with one tap and one undo. */
export function ShotListScreen() {
  return (
    <RecordsGate what="the setups">
      <ShotList />
    </RecordsGate>
  );
}

function ShotList() {
  const p = usePalette();
  const router = useRouter();
  const find = useFind();
  const { slating } = useProduction();
  const today = useToday();
  const day = useDay();
  const days = useDays();
  const choose = useChooseDay();
  const sets = useAll('set');
  const setups = useAll('setup');
  const packages = useMounted();
  const writeMany = useRecordsState((s) => s.writeMany);
  const [cells, setCells] = useState<string[][] | null>(null);
  const [columns, setColumns] = useState<(ShotColumn | null)[]>([]);
  const kept = useKeptEntry('shot list', { pasted: '' });
  const { pasted } = kept.entry;
  const [error, setError] = useState<string | null>(null);
  const [done, setDone] = useState<string | null>(null);
  const take = (rows: string[][], name: string) => {
    if (rows.length < 2) {
      setError(`${name} has a header row and no row below it. Nothing was changed.`);
      return;
    }
    setCells(rows);
    setColumns(guessShotColumns(rows[0]));
    setError(null);
  };
  const refuse = (e: unknown) => setError(`${(e instanceof Error ? e.message : String(e)).replace(/[^.!?]$/, '$&.')} Nothing was changed.`);
  async function pick(): Promise<void> {
    const file = await pickFile('.csv,.tsv,.txt,.xlsx,text/csv');
    if (!file) return;
    try {
      take(await readTableFile(file), file.name);
    } catch (e) {
      refuse(e);
    }
  }
  const paste = () => {
    try {
      take(readCells(pasted), 'What was pasted');
    } catch (e) {
      refuse(e);
    }
  };
  // made once a table and its columns: each making gives new ids
  const planned = useMemo(
    () =>
      cells
        ? planShotList({
            rows: cells.slice(1),
            columns,
            days,
            sets,
            setups,
            packages,
            slating,
            today,
            dayId: day?.id ?? null,
            newId,
            lensRange: (id) => {
              const pack = find('package', id);
              const mounted = pack ? mountPackage(pack.body, find) : null;
              return mounted && !('missing' in mounted) ? mounted.lens : null;
            },
          })
        : { lines: [], orders: [] },
    // eslint-disable-next-line react-hooks/exhaustive-deps -- records that change meanwhile do not change what is shown
    [cells, columns],
  );
  const count = (what: ShotLine['what']) => planned.lines.filter((l) => l.what === what).length;
  const doing = count('new') + count('change');
  async function bring(): Promise<void> {
    await writeMany(planned.orders as AnyOrder[], `Shot list: ${count('new')} new, ${count('change')} changed`);
    const first = planned.orders.find((o) => o.kind === 'day');
    if (!day && first) choose(first.id);
    setDone(`${count('new')} setups are new, ${count('change')} changed, ${count('same')} were as in the list.`);
    setCells(null);
    kept.set({ pasted: '' });
  }
  return (
    <Page action={cells ? <Action kind="main" title={doing === 0 ? 'Nothing to do' : `Bring in ${doing} setups`} disabled={doing === 0} onPress={() => void bring()} testID="bring-in" /> : undefined}>
      <Words look="title" level={1}>
        Shot list in
      </Words>
      <Words dim>A table with a header row, a row a setup: CSV, XLSX, or rows pasted from a spreadsheet. Rows are matched to setups by slate; nothing is done before you see it.</Words>
      {done ? (
        <View style={{ marginVertical: SPACE.m, gap: SPACE.s }}>
          <Words role="status">{`✓ ${done}`}</Words>
          <Action title="To the setups" icon="map" onPress={() => router.replace('/plan')} />
        </View>
      ) : null}
      <View style={{ marginVertical: SPACE.m, alignItems: 'flex-start' }}>
        <Action icon="folder-open" title={cells ? 'Another file' : 'Choose the file'} onPress={() => void pick()} testID="choose-list" />
      </View>
      {cells ? null : (
        <>
          <Field label="Or paste the rows here" value={pasted} onChangeText={(v) => kept.set({ pasted: v })} multiline testID="paste-list" />
          <Action title="Read what was pasted" disabled={pasted.trim() === ''} onPress={paste} testID="read-pasted" />
        </>
      )}
      {error ? <Words role="alert" color={p.against}>{`▲ ${error}`}</Words> : null}
      {cells ? (
        <>
          <ColumnsSection header={cells[0]} columns={columns} all={SHOT_COLUMNS} words={SHOT_COLUMN_WORDS} onChange={setColumns} />
          <Section title={`${count('new')} new, ${count('change')} change, ${count('same')} same${count('problem') > 0 ? `, ${count('problem')} cannot be read` : ''}`}>
            {planned.lines.length === 0 ? <Empty title="No rows" text="Below the header nothing stands." /> : null}
            <TableLines lines={planned.lines} note={noteOf} />
          </Section>
        </>
      ) : null}
    </Page>
  );
}

function noteOf(l: ShotLine): string {
  if (l.what === 'problem') return l.why;
  const does = l.what === 'same' ? 'as it is' : l.what === 'new' ? 'new' : l.changes.map((c) => `${c.title}: ${c.before || '–'} → ${c.after}`).join(', ');
  return [does, ...l.notes].join(' · ');
}
