import Papa from 'papaparse';
import { unguarded } from './csv-cells';
import { FormatError } from './format-error';

export interface TableRow {
  /** line in the file, from 1 */
  line: number;
  /** trimmed text of a column; '' where it is empty or the table has no such column */
  text(column: string): string;
  /** @throws FormatError with file, line and field */
  number(column: string): number;
}

/**
 * Each row of a CSV with a header in turn, columns in any order; empty lines are passed over. Of a file of a million rows nothing is kept but what
 * the caller keeps.
 * @param shape how the header should read, for the message
 * @returns the header
 * @throws FormatError for a missing column, and for a row that is shorter or longer than the header
 */
export function eachRow(text: string, file: string, required: readonly string[], shape: string, onRow: (row: TableRow) => void): string[] {
  let columns: string[] | null = null;
  let at = new Map<string, number>();
  let line = 0;
  const begin = (header: readonly string[]): string[] => {
    const names = header.map((h) => h.trim().toLowerCase());
    // the first of two columns of one name counts
    at = new Map(names.map((name, i): [string, number] => [name, i]).reverse());
    for (const name of required) if (!at.has(name)) throw new FormatError(file, 1, name, `the header has no column "${name}"; it must hold ${shape}`);
    return names;
  };
  Papa.parse<string[]>(text.replace(/^\uFEFF/, ''), {
    skipEmptyLines: false,
    step({ data }) {
      line += 1;
      if (columns === null) {
        columns = begin(data);
        return;
      }
      if (data.length === 1 && data[0].trim() === '') return;
      const words = `has ${data.length} values where the header names ${columns.length}`;
      if (data.length < columns.length) throw new FormatError(file, line, null, words);
      // a number with a decimal comma, or a text with one, that was not put between quotation marks
      for (let i = columns.length; i < data.length; i += 1) if (data[i].trim() !== '') throw new FormatError(file, line, null, `${words}; a value with a comma in it stands between quotation marks`);
      onRow(new Row(file, line, data, at));
    },
  });
  return columns ?? begin([]);
}

class Row implements TableRow {
  constructor(
    private readonly file: string,
    readonly line: number,
    private readonly cells: readonly string[],
    private readonly at: ReadonlyMap<string, number>,
  ) {}
  text(column: string): string {
    return unguarded((this.cells[this.at.get(column) ?? -1] ?? '').trim());
  }
  number(column: string): number {
    const raw = this.text(column);
    const number = Number(raw);
    if (raw === '' || !Number.isFinite(number)) throw new FormatError(this.file, this.line, column, `"${raw}" is not a number`);
    return number;
  }
}

/** All rows of a table that is not large. @throws FormatError as `eachRow` */
export function readTable(text: string, file: string, required: readonly string[], shape: string): { rows: TableRow[]; columns: string[] } {
  const rows: TableRow[] = [];
  const columns = eachRow(text, file, required, shape, (row) => rows.push(row));
  return { rows, columns };
}
