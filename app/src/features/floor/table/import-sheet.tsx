import { guessColumns, planImport, TAKE_FIELDS, type Column, type ImportLine } from '@mesure/contract';
import { CoreError } from '@mesure/core';
import { readCells } from '@mesure/formats/table';
import { useState } from 'react';
import { View } from 'react-native';
import { newId, useAll, useRecordsState } from '../../../data';
import { Action, Choice, Sheet } from '../../../ui/controls';
import { pickFile } from '../../../ui/pick-file';
import { Words } from '../../../ui/text';
import { SPACE, usePalette } from '../../../ui/theme';
import { useTakeWords } from '../use-floor';

const LINES_AT_ONCE = 60;

/** A table from elsewhere: which column is what, what each row would do, and then all of it with one tap and one undo. */
export function ImportSheet({ setupId, onClose }: { setupId: string | null; onClose: () => void }) {
  const p = usePalette();
  const words = useTakeWords();
  const takes = useAll('take');
  const setups = [...useAll('setup')].sort((a, b) => a.body.order - b.body.order);
  const writeMany = useRecordsState((s) => s.writeMany);
  const [cells, setCells] = useState<string[][] | null>(null);
  const [columns, setColumns] = useState<Column[]>([]);
  const [openColumn, setOpenColumn] = useState<number | null>(null);
  const [target, setTarget] = useState<string | null>(setupId ?? setups[0]?.id ?? null);
  const [error, setError] = useState<string | null>(null);

  async function choose(): Promise<void> {
    const file = await pickFile('.csv,.tsv,.txt,text/csv');
    if (!file) return;
    try {
      const rows = readCells(await file.text(), file.name);
      if (rows.length < 2) throw new Error(`${file.name} has a header row and no row below it.`);
      setCells(rows);
      setColumns(guessColumns(rows[0]));
      setError(null);
    } catch (e) {
      setError(`${e instanceof Error ? e.message : String(e)} Nothing was changed.`);
    }
  }
  const lines = linesOf();
  function linesOf(): ImportLine[] | string {
    if (!cells) return [];
    try {
      return planImport({ rows: cells.slice(1), columns, takes, setups, setupId: target, words, now: new Date().toISOString() });
    } catch (e) {
      return e instanceof CoreError ? e.message : String(e);
    }
  }
  const doing = typeof lines === 'string' ? [] : lines.filter((l) => l.what === 'change' || l.what === 'new');
  const count = (what: ImportLine['what']) => (typeof lines === 'string' ? 0 : lines.filter((l) => l.what === what).length);
  async function apply(): Promise<void> {
    await writeMany(
      doing.map((l) => ({ kind: 'take' as const, id: l.what === 'change' ? l.take.id : newId(), change: l.body })),
      `${doing.length} takes from the table`,
    );
    onClose();
  }
  return (
    <Sheet title="Takes from a table" open onClose={onClose}>
      <Words look="small" dim>
        A CSV with a header row. Rows are matched to takes by slate and take; nothing is done before you see it.
      </Words>
      <View style={{ marginVertical: SPACE.s }}>
        <Action icon="folder-open" title={cells ? 'Another file' : 'Choose the file'} onPress={() => void choose()} testID="choose-csv" />
      </View>
      {error ? <Words role="alert" color={p.against}>{`▲ ${error}`}</Words> : null}
      {cells ? (
        <>
          <Words look="heading">Columns</Words>
          {cells[0].map((name, i) => (
            <View key={`${i}-${name}`} style={{ borderBottomWidth: 1, borderColor: p.line }}>
              <View style={{ flexDirection: 'row', alignItems: 'center', justifyContent: 'space-between' }}>
                <Words look="small" style={{ flex: 1 }}>{`${name || `column ${i + 1}`} → ${titleOf(columns[i])}`}</Words>
                <Action kind="quiet" title="Change" label={`Change what column ${name || i + 1} holds`} onPress={() => setOpenColumn(openColumn === i ? null : i)} testID={`column-${i}`} />
              </View>
              {openColumn === i ? (
                <Choice<string | null>
                  label={`Column "${name}" holds`}
                  value={columns[i]}
                  options={[{ value: null, title: 'not wanted' }, { value: 'setup', title: 'Setup' }, ...TAKE_FIELDS.map((f) => ({ value: f.key as string, title: f.title }))]}
                  onChange={(value) => {
                    setColumns(columns.map((c, k) => (k === i ? (value as Column) : c === value ? null : c)));
                    setOpenColumn(null);
                  }}
                />
              ) : null}
            </View>
          ))}
          <View style={{ height: SPACE.m }} />
          <Choice<string | null> label="New takes belong to" value={target} options={setups.map((s) => ({ value: s.id, title: `${s.body.scene} ${s.body.name}` }))} onChange={setTarget} />
          {typeof lines === 'string' ? (
            <Words role="alert" color={p.against}>{`▲ ${lines}`}</Words>
          ) : (
            <View testID="import-preview">
              <Words look="heading">{`${count('change')} changed, ${count('new')} new, ${count('same')} the same, ${count('problem')} cannot be read`}</Words>
              {lines
                .filter((l) => l.what !== 'same')
                .slice(0, LINES_AT_ONCE)
                .map((l) => (
                  <Words key={l.row} look="small" style={{ paddingVertical: SPACE.xs }}>
                    {l.what === 'problem' ? `▲ row ${l.row + 2}, ${l.label}: ${l.why}` : `${l.what === 'new' ? '+' : '·'} ${l.label}: ${wordsOf(l)}`}
                  </Words>
                ))}
              <Action kind="main" title={`Bring in ${doing.length} ${doing.length === 1 ? 'take' : 'takes'}`} disabled={doing.length === 0} onPress={() => void apply()} testID="apply-import" />
            </View>
          )}
        </>
      ) : null}
    </Sheet>
  );
}

const titleOf = (c: Column): string => (c === null ? 'not wanted' : c === 'setup' ? 'Setup' : TAKE_FIELDS.find((f) => f.key === c)!.title);
const wordsOf = (l: Extract<ImportLine, { what: 'change' | 'new' }>): string =>
  l.what === 'new' ? l.changes.map((c) => `${c.title.toLowerCase()} ${c.after}`).join(', ') : l.changes.map((c) => `${c.title.toLowerCase()} ${c.before || '–'} → ${c.after || '–'}`).join(', ');
