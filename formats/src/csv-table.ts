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
 * Rows of a CSV with a header, columns in any order; empty lines are passed over.
 * @param shape how the header should read, for the message
 * @throws FormatError for a missing column or a short row
 */
export function readTable(text: string, file: string, required: readonly string[], shape: string): { rows: TableRow[]; columns: string[] } {
  const data = Papa.parse<string[]>(text.replace(/^\uFEFF/, ''), { skipEmptyLines: false }).data;
  const columns = (data[0] ?? []).map((h) => h.trim().toLowerCase());
  for (const name of required) if (!columns.includes(name)) throw new FormatError(file, 1, name, `the header has no column "${name}"; it must hold ${shape}`);
  const rows: TableRow[] = [];
  for (let i = 1; i < data.length; i += 1) {
    const row = data[i];
    if (row.length === 1 && row[0].trim() === '') continue;
    const line = i + 1;
    if (row.length < columns.length) throw new FormatError(file, line, null, `has ${row.length} values where the header names ${columns.length}`);
    // a number with a decimal comma, or a text with one, that was not put between quotation marks
    if (row.slice(columns.length).some((cell) => cell.trim() !== ''))
      throw new FormatError(file, line, null, `has ${row.length} values where the header names ${columns.length}; a value with a comma in it stands between quotation marks`);
    const value = (column: string): string => unguarded((row[columns.indexOf(column)] ?? '').trim());
    rows.push({
      line,
      text: value,
      number(column) {
        const raw = value(column);
        const number = Number(raw);
        if (raw === '' || !Number.isFinite(number)) throw new FormatError(file, line, column, `"${raw}" is not a number`);
        return number;
      },
    });
  }
  return { rows, columns };
}
