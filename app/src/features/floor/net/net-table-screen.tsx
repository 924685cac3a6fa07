import { guessNetTable, INSTRUMENTS, NET_COLUMN_WORDS, NET_COLUMNS, NET_TABLE_WORDS, NET_TABLES, planNetTable, type NetColumn, type NetLine, type NetTable, type StoredRecord } from '@mesure/contract';
import { LENGTH_UNITS, parseLength, type LengthUnit, type PlacesDoubt } from '@mesure/core';
import { readCells } from '@mesure/formats/table';
import { useRouter, type Href } from 'expo-router';
import { useMemo, useState } from 'react';
import { View } from 'react-native';
import { newId, useAll, useRecordsState, type AnyOrder } from '../../../data';
import { readTableFile } from '../../../data/read-table';
import { useKeptEntry } from '../../../forms';
import { ColumnsSection } from '../../../ui/columns';
import { Action, Choice, Field, Section } from '../../../ui/controls';
import { fixed } from '../../../ui/format';
import { pickFile } from '../../../ui/pick-file';
import { Empty } from '../../../ui/states';
import { TableLines } from '../../../ui/table-lines';
import { Words } from '../../../ui/text';
import { SPACE, usePalette } from '../../../ui/theme';
import { Page } from '../../shell/pane';
import { RecordsGate } from '../../shell/records-gate';
import { useLengthUnit } from '../use-floor';

/** Places, ties or heights that another program or an instrument wrote: which column is what, what each row would do, and what speaks against it. */
export function NetTableScreen({ setupId }: { setupId: string }) {
  const router = useRouter();
  const setup = useAll('setup').find((s) => s.id === setupId);
  const set = useAll('set').find((s) => s.id === setup?.body.setId);
  return (
    <RecordsGate what="the tape net">
      {setup && set ? (
        <IntoNet setupId={setup.id} set={set} />
      ) : (
        <Page>
          <Empty title="No such set" text="Choose a setup under Floor." action={{ title: 'Go to Floor', onPress: () => router.replace('/floor') }} />
        </Page>
      )}
    </RecordsGate>
  );
}

interface How {
  table: NetTable;
  columns: (NetColumn | null)[];
  unit: LengthUnit;
  up: 'Y' | 'Z';
}

function IntoNet({ setupId, set }: { setupId: string; set: StoredRecord<'set'> }) {
  const p = usePalette();
  const router = useRouter();
  const ownUnit = useLengthUnit();
  const ties = useAll('tie').filter((t) => t.body.setId === set.id);
  const facts = useAll('fact').filter((f) => f.body.setId === set.id);
  const writeMany = useRecordsState((s) => s.writeMany);
  const kept = useKeptEntry(`net table ${set.id}`, { pasted: '', instrument: 'total station', tolerance: '4 mm' });
  const { pasted, instrument, tolerance } = kept.entry;
  const [cells, setCells] = useState<string[][] | null>(null);
  const [how, setHow] = useState<How>({ table: 'places', columns: [], unit: 'm', up: 'Y' });
  const [error, setError] = useState<string | null>(null);
  const [done, setDone] = useState<string | null>(null);
  const take = (rows: string[][], name: string) => {
    if (rows.length < 2) {
      setError(`${name} has a header row and no row below it. Nothing was changed.`);
      return;
    }
    const guessed = guessNetTable(rows[0]);
    setCells(rows);
    setHow({ ...guessed, unit: guessed.table === 'places' ? 'm' : ownUnit });
    setError(null);
    setDone(null);
  };
  const attempt = async (work: () => Promise<void> | void) => {
    try {
      await work();
    } catch (e) {
      setError(`${(e instanceof Error ? e.message : String(e)).replace(/[^.!?]$/, '$&.')} Nothing was changed.`);
    }
  };
  const pick = async () => {
    const file = await pickFile('.csv,.tsv,.txt,.xlsx,text/csv');
    if (file) await attempt(async () => take(await readTableFile(file), file.name));
  };
  const toleranceM = toleranceOf(tolerance);
  // made once a table and how it is read: each making gives new ids
  const planned = useMemo(
    () =>
      cells && toleranceM !== null
        ? planNetTable({ ...how, rows: cells.slice(1), toleranceM, instrument, set, ties, facts, newId, now: new Date().toISOString() })
        : { lines: [], orders: [], doubts: [], lacking: [] },
    // eslint-disable-next-line react-hooks/exhaustive-deps -- records that change meanwhile do not change what is shown
    [cells, how, toleranceM, instrument],
  );
  const count = (what: NetLine['what']) => planned.lines.filter((l) => l.what === what).length;
  const doing = count('new') + count('change');
  const bring = async () => {
    await writeMany(planned.orders as AnyOrder[], `${NET_TABLE_WORDS[how.table]}: ${count('new')} new, ${count('change')} changed`);
    setDone(`${count('new')} new, ${count('change')} changed, ${count('same')} were here.`);
    setCells(null);
    kept.set({ pasted: '' });
  };
  return (
    <Page
      action={
        cells ? (
          <Action
            kind="main"
            title={doing === 0 ? 'Nothing to do' : `Bring in ${doing} row${doing === 1 ? '' : 's'}${planned.doubts.length > 0 ? ' all the same' : ''}`}
            disabled={doing === 0}
            onPress={() => void bring()}
            testID="bring-in"
          />
        ) : undefined
      }
    >
      <Words look="title" level={1}>{`${set.body.name}: from a table`}</Words>
      <View style={{ alignItems: 'flex-start', marginLeft: -SPACE.l }}>
        <Action kind="quiet" icon="arrow-back" title="Tape net" onPress={() => router.push(`/floor/net/${setupId}` as Href)} />
      </View>
      <Words dim>Places of marks, lengths between them, or heights over the floor: CSV, XLSX, or rows pasted from a spreadsheet, with a header row.</Words>
      {done ? <Words role="status">{`✓ ${done}`}</Words> : null}
      <View style={{ marginVertical: SPACE.m, alignItems: 'flex-start' }}>
        <Action icon="folder-open" title={cells ? 'Another file' : 'Choose the file'} onPress={() => void pick()} testID="choose-list" />
      </View>
      {cells ? null : (
        <>
          <Field label="Or paste the rows here" value={pasted} onChangeText={(v) => kept.set({ pasted: v })} multiline testID="paste-list" />
          <Action title="Read what was pasted" disabled={pasted.trim() === ''} onPress={() => void attempt(() => take(readCells(pasted), 'What was pasted'))} testID="read-pasted" />
        </>
      )}
      {error ? <Words role="alert" color={p.against}>{`▲ ${error}`}</Words> : null}
      {cells ? (
        <>
          <Doubts doubts={planned.doubts} how={how} onRead={setHow} />
          <Section title="How it is read">
            <Choice<NetTable> label="A row is one of" value={how.table} options={NET_TABLES.map((t) => ({ value: t, title: NET_TABLE_WORDS[t] }))} onChange={(table) => setHow({ ...how, table })} />
            <Choice<LengthUnit>
              label={how.columns.includes('unit') ? 'In, where its row does not say' : 'In'}
              value={how.unit}
              options={LENGTH_UNITS.filter((u) => how.table !== 'places' || u !== 'ft-in').map((u) => ({ value: u, title: u === 'ft-in' ? 'ft in' : u }))}
              onChange={(unit) => setHow({ ...how, unit })}
            />
            {how.table === 'places' ? (
              <Choice<'Y' | 'Z'>
                label="Up is"
                value={how.up}
                options={[
                  { value: 'Y', title: 'y', detail: 'as Mesure writes them' },
                  { value: 'Z', title: 'z', detail: 'x east, y north, z height' },
                ]}
                onChange={(up) => setHow({ ...how, up })}
              />
            ) : null}
            <Choice label="Measured with" value={instrument} options={INSTRUMENTS.filter((i) => i !== 'typed').map((i) => ({ value: i, title: i }))} onChange={(v) => kept.set({ instrument: v })} />
            <Field
              label="Tolerance, where its row does not say"
              value={tolerance}
              onChangeText={(v) => kept.set({ tolerance: v })}
              error={toleranceM === null ? `“${tolerance}” is no tolerance; write 4 mm` : null}
              testID="table-tolerance"
            />
          </Section>
          <ColumnsSection header={cells[0]} columns={how.columns} all={NET_COLUMNS} words={NET_COLUMN_WORDS} onChange={(columns) => setHow({ ...how, columns })} />
          {planned.lacking.length > 0 ? <Words role="alert" color={p.against}>{`▲ No column holds ${planned.lacking.map((c) => NET_COLUMN_WORDS[c]).join(', ')}.`}</Words> : null}
          <Section title={`${count('new')} new, ${count('change')} change, ${count('same')} same${count('problem') > 0 ? `, ${count('problem')} cannot be read` : ''}`}>
            <TableLines lines={planned.lines} note={(l) => (l.what === 'problem' ? l.why : l.note)} />
          </Section>
        </>
      ) : null}
    </Page>
  );
}

function toleranceOf(text: string): number | null {
  try {
    const { valueM } = parseLength(text, 'mm');
    return valueM > 0 && valueM <= 10 ? valueM : null;
  } catch {
    return null;
  }
}

/** What speaks against how it was read, with the way to the reading that would explain it. */
function Doubts({ doubts, how, onRead }: { doubts: readonly PlacesDoubt[]; how: How; onRead: (how: How) => void }) {
  const p = usePalette();
  return (
    <>
      {doubts.map((d) => {
        const said = words(d, how);
        return (
          <View key={d.code} testID={`doubt-${d.code}`} style={{ borderLeftWidth: 4, borderColor: p.against, paddingLeft: SPACE.m, marginTop: SPACE.m, alignItems: 'flex-start' }}>
            <Words role="alert">{`◆ ${said.text}`}</Words>
            {said.instead ? <Action title={said.title} onPress={() => onRead({ ...how, ...said.instead })} testID={`read-as-${d.code}`} /> : null}
          </View>
        );
      })}
    </>
  );
}

function words(d: PlacesDoubt, how: How): { text: string; title: string; instead: Partial<How> | null } {
  const marks = (n: number) => `${n} mark${n === 1 ? '' : 's'}`;
  switch (d.code) {
    case 'UNIT': {
      const text = `Between these places it is ${fixed(d.ratio, d.ratio < 0.1 ? 4 : 2)} times as far as the ${d.from === 1 ? 'tie' : `${d.from} ties`} between the same marks.`;
      // a row that names its unit itself is not read otherwise by a choice for all
      return d.unit && !how.columns.includes('unit')
        ? { text: `${text} In ${d.unit} they would agree.`, title: `Read it in ${d.unit}`, instead: { unit: d.unit } }
        : { text: `${text} Is the unit right?`, title: '', instead: null };
    }
    case 'UP': {
      const up = how.up === 'Y' ? 'Z' : 'Y';
      return { text: `The heights of ${marks(d.from)} over the floor run along the other axis.`, title: `Read it with ${up.toLowerCase()} up`, instead: { up } };
    }
    case 'MIRRORED': {
      const turned = how.columns.map((c) => (c === 'x' ? (how.up === 'Z' ? 'y' : 'z') : c === (how.up === 'Z' ? 'y' : 'z') ? 'x' : c));
      return {
        text: `From above ${marks(d.from)} fit the mark sheet to ${fixed(d.fitM, 2)} m, and to ${fixed(d.turnedFitM, 2)} m as their mirror image: two axes are changed over.`,
        title: 'Change the two level axes over',
        instead: { columns: turned },
      };
    }
  }
}
