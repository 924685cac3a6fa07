import Papa from 'papaparse';
import { csvText } from './csv-cells';
import { FormatError } from './format-error';

export { textOf } from './text';

/** A kind of table whose columns a person can name; another kind is another object like this. */
export interface TableKind<C extends string> {
  /** what a table of it holds, for messages */
  holds: string;
  columns: readonly C[];
  words: Record<C, string>;
  /** what headers call them, in small letters and digits only */
  aliases: Record<C, readonly string[]>;
  /** columns that hold no number */
  texts: readonly C[];
  /** columns that may be empty in a row */
  mayBeEmpty: readonly C[];
  /** what is still needed beside what is there */
  lacking(taken: ReadonlySet<C>): readonly C[];
}

const plain = (text: string): string => text.toLowerCase().replace(/[^a-z0-9]/g, '');
const SAMPLE_ROWS = 6;

/** A table as another program wrote it: what separates its cells, its header (columns by number where it has none), and its first rows. */
export interface MappedTable<C extends string> {
  delimiter: string;
  hasHeader: boolean;
  header: string[];
  sample: string[][];
  columns: (C | null)[];
}

/** Cells of a line that is separated by blanks come without those at its ends. */
const cellsOf = (row: string[], delimiter: string): string[] => (delimiter === ' ' ? row.filter((c) => c !== '') : row.map((c) => c.trim()));
const lackingOf = <C extends string>(kind: TableKind<C>, columns: readonly (C | null)[]): readonly C[] => kind.lacking(new Set(columns.filter((c): c is C => c !== null)));

/** How a table is laid out, by its first lines. @throws FormatError for what is no table */
export function lookAtTable<C extends string>(text: string, file: string, kind: TableKind<C>): MappedTable<C> {
  const head = text
    .slice(0, 20_000)
    .replace(/^\uFEFF/, '')
    .split(/\r?\n/)
    .filter((l) => l.trim() !== '' && !l.startsWith('#'))
    .slice(0, SAMPLE_ROWS + 1);
  if (head.length < 2) throw new FormatError(file, null, null, `holds no table of ${kind.holds}`);
  const delimiter = ['\t', ';', ',', ' '].find((d) => head.every((l) => l.trim().includes(d)));
  if (!delimiter) throw new FormatError(file, null, null, `holds one column only; ${kind.holds} need ${kind.lacking(new Set()).join(', ')}`);
  const rows = head.map((l) => cellsOf(Papa.parse<string[]>(l, { delimiter }).data[0] ?? [], delimiter));
  const hasHeader = rows[0].filter((c) => Number.isFinite(Number(c.replace(',', '.')))).length < Math.min(2, rows[0].length);
  const header = hasHeader ? rows[0] : rows[0].map((_, i) => `column ${i + 1}`);
  const taken = new Set<C>();
  const columns = header.map((name): C | null => {
    const found = kind.columns.find((c) => !taken.has(c) && kind.aliases[c].includes(plain(name))) ?? null;
    if (found) taken.add(found);
    return found;
  });
  return { delimiter, hasHeader, header, sample: rows.slice(hasHeader ? 1 : 0), columns };
}

/** Whether a table can be taken as it is: commas, and a header that names the columns as we do. */
export const isAsRead = <C extends string>({ delimiter, hasHeader, header }: MappedTable<C>, kind: TableKind<C>): boolean => {
  const names = header.map((h) => h.toLowerCase());
  return delimiter === ',' && hasHeader && kind.lacking(new Set(kind.columns.filter((c) => names.includes(c)))).length === 0;
};

/**
 * A table, its columns said, as rows of the columns that it has, in the kind's order. A comma inside a number is a decimal comma, where commas do
 * not separate the cells.
 * @throws FormatError with the line and the column
 */
export function mappedRows<C extends string>(text: string, file: string, table: MappedTable<C>, columns: readonly (C | null)[], kind: TableKind<C>): { wanted: C[]; rows: string[][] } {
  const { delimiter, hasHeader, header } = table;
  const lacking = lackingOf(kind, columns);
  if (lacking.length > 0) throw new FormatError(file, null, lacking[0], `no column holds ${lacking.join(', ')}`);
  const wanted = kind.columns.filter((c) => columns.includes(c));
  const at = new Map(wanted.map((c) => [c, columns.indexOf(c)]));
  const texts = new Set(kind.texts);
  const empty = new Set(kind.mayBeEmpty);
  const rows: string[][] = [];
  let line = 0;
  let waiting = hasHeader;
  Papa.parse<string[]>(text.replace(/^\uFEFF/, ''), {
    delimiter,
    step({ data }) {
      line += 1;
      const cells = cellsOf(data, delimiter);
      if (cells.every((c) => c === '') || cells[0].startsWith('#')) return;
      if (waiting) {
        waiting = false;
        return;
      }
      rows.push(
        wanted.map((c) => {
          const name = header[at.get(c)!];
          const cell = cells[at.get(c)!];
          if (cell === undefined) throw new FormatError(file, line, name, `the row ends after ${cells.length} cells`);
          if (texts.has(c)) return cell;
          if (cell === '' && empty.has(c)) return '';
          const number = Number(delimiter === ',' ? cell : cell.replace(',', '.'));
          if (cell === '' || !Number.isFinite(number)) throw new FormatError(file, line, name, `"${cell}" is not a number`);
          return String(number);
        }),
      );
    },
  });
  return { wanted, rows };
}

/** The same as CSV with our names. */
export function mappedCsv<C extends string>(text: string, file: string, table: MappedTable<C>, columns: readonly (C | null)[], kind: TableKind<C>): string {
  const { wanted, rows } = mappedRows(text, file, table, columns, kind);
  return csvText([[...wanted], ...rows]);
}
