import type { MappedTable, TableKind } from '@mesure/formats/mapped-table';
import type { ReactNode } from 'react';
import { View } from 'react-native';
import { ColumnsSection } from './columns';
import { Action, Sheet } from './controls';
import { Words } from './text';
import { SPACE, usePalette } from './theme';

/** A table that somebody chose, and what its columns are said to hold. */
export interface ChosenTable<C extends string> {
  name: string;
  text: string;
  table: MappedTable<C>;
  columns: (C | null)[];
}

interface Props<C extends string> {
  chosen: ChosenTable<C>;
  kind: TableKind<C>;
  intro: string;
  take: { title: string; testID: string; ready: boolean; busy: boolean; onPress: () => void };
  failure: string | null;
  onColumns: (columns: (C | null)[]) => void;
  onClose: () => void;
  /** what else is to be said of it, and what follows from it */
  children?: ReactNode;
}

/** Which column of another program's table is what: nothing is taken before all that is needed is there. */
export function ColumnsSheet<C extends string>({ chosen, kind, intro, take, failure, onColumns, onClose, children }: Props<C>) {
  const p = usePalette();
  const { table, columns } = chosen;
  const lacking = lackingColumns(chosen, kind);
  return (
    <Sheet title="Which column is what?" open onClose={onClose}>
      <Words dim>{`${chosen.name} ${intro}`}</Words>
      <ColumnsSection header={table.header} columns={columns} all={kind.columns} words={kind.words} onChange={onColumns} />
      <Words look="label" dim style={{ marginTop: SPACE.m }}>
        Its first rows
      </Words>
      {table.sample.map((row, i) => (
        <Words key={i} look="small" numberOfLines={1} testID={`table-row-${i}`}>
          {kind.columns.flatMap((c) => (columns.includes(c) ? [`${c} ${row[columns.indexOf(c)] ?? '–'}`] : [])).join(' · ')}
        </Words>
      ))}
      <View style={{ marginTop: SPACE.m, gap: SPACE.s }}>
        {lacking.length > 0 ? <Words role="alert" color={p.against}>{`▲ No column holds the ${lacking.map((c) => kind.words[c].split(',')[0]).join(', ')}.`}</Words> : children}
      </View>
      {failure ? <Words role="alert" color={p.against}>{`▲ ${failure}`}</Words> : null}
      <View style={{ height: SPACE.m }} />
      <Action kind="main" title={take.title} disabled={lacking.length > 0 || !take.ready} busy={take.busy} onPress={take.onPress} testID={take.testID} />
    </Sheet>
  );
}

export const lackingColumns = <C extends string>({ columns }: ChosenTable<C>, kind: TableKind<C>): readonly C[] => kind.lacking(new Set(columns.filter((c): c is C => c !== null)));
