import Papa from 'papaparse';
import { unguarded } from './csv-cells';
import { FormatError } from './format-error';

/** More is no day of a film. */
const MOST_ROWS = 5000;
const MOST_COLUMNS = 200;
const MOST_BYTES = 5_000_000;

/**
 * Rows of a table as text: CSV with commas or semicolons, or what a spreadsheet puts on the clipboard (tabs). Rows without any text are left out.
 * @throws FormatError
 */
export function readCells(text: string, file = 'the table'): string[][] {
  if (text.length > MOST_BYTES) throw new FormatError(file, null, null, 'larger than 5 MB; bring it in parts');
  const clean = text.replace(/^\uFEFF/, '');
  if (clean.includes('\u0000')) throw new FormatError(file, null, null, 'this is no text; save the table as CSV');
  const { data, errors } = Papa.parse<string[]>(clean, { delimiter: clean.split(/\r?\n/, 1)[0].includes('\t') ? '\t' : '', skipEmptyLines: 'greedy' });
  const broken = errors.find((e) => e.type === 'Quotes');
  if (broken) throw new FormatError(file, (broken.row ?? 0) + 1, null, 'a quotation mark is not closed');
  if (data.length > MOST_ROWS) throw new FormatError(file, null, null, `${data.length} rows; ${MOST_ROWS} are taken at once`);
  if (data.some((r) => r.length > MOST_COLUMNS)) throw new FormatError(file, null, null, `more than ${MOST_COLUMNS} columns`);
  return data.map((r) => r.map((cell) => unguarded(cell.trim())));
}

/** A quotation mark is doubled inside quotation marks, as spreadsheets do; a tab or a line break would end the cell. */
const cellText = (cell: string): string => {
  const line = cell.replace(/[\t\r\n]+/g, ' ');
  return line.includes('"') ? `"${line.replaceAll('"', '""')}"` : line;
};
/** Rows for the clipboard of a spreadsheet. */
export const writeTabs = (rows: readonly (readonly string[])[]): string => rows.map((r) => r.map(cellText).join('\t')).join('\n');
