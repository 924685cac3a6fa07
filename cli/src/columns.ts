import { lookAtTable, mappedCsv, type MappedTable, type TableKind } from '@mesure/formats/mapped-table';
import { UsageError } from './usage-error';

export const COLUMNS_WORDS = '--columns  what each column of another program’s table holds, in their order, with _ for one that is not taken; auto: as its header names them.';

/** How a table is laid out, its columns as they were said. @throws UsageError, FormatError */
export function saidColumns<C extends string>(text: string, file: string, said: string, kind: TableKind<C>): { table: MappedTable<C>; columns: (C | null)[] } {
  const table = lookAtTable(text, file, kind);
  if (said === 'auto') return { table, columns: table.columns };
  const columns = said.split(',').map((name): C | null => {
    if (name === '_') return null;
    const found = kind.columns.find((c) => c === name.trim());
    if (!found) throw new UsageError(`--columns ${name} is not known; it must be ${kind.columns.join(', ')} or _`);
    return found;
  });
  if (columns.length !== table.header.length) throw new UsageError(`--columns names ${columns.length} columns, ${file} has ${table.header.length}: ${table.header.join(', ')}`);
  return { table, columns };
}

/** A table as the CSV with our names; as it stands where nothing was said. @throws UsageError, FormatError */
export function withColumns<C extends string>(text: string, file: string, said: string | undefined, kind: TableKind<C>): string {
  if (said === undefined) return text;
  const { table, columns } = saidColumns(text, file, said, kind);
  return mappedCsv(text, file, table, columns, kind);
}
