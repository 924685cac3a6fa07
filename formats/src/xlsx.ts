import { readSheet } from 'read-excel-file/universal';
import { FormatError } from './format-error';

const MOST_ROWS = 5000;
const MOST_BYTES = 20_000_000;

/**
 * Cells of the first sheet of an XLSX workbook (ECMA-376) as text: dates as 2026-04-03, numbers as they are. Rows without any text are left out.
 * @throws FormatError
 */
export async function readXlsxCells(bytes: ArrayBuffer, file: string): Promise<string[][]> {
  if (bytes.byteLength > MOST_BYTES) throw new FormatError(file, null, null, 'larger than 20 MB; save the sheet as CSV');
  let rows;
  try {
    rows = await readSheet(bytes);
  } catch (error) {
    throw new FormatError(file, null, null, `no XLSX workbook that can be read (${error instanceof Error ? error.message : String(error)}); save the sheet as CSV`);
  }
  if (rows.length > MOST_ROWS) throw new FormatError(file, null, null, `${rows.length} rows; ${MOST_ROWS} are taken at once`);
  return rows.map((r) => r.map(cellText)).filter((r) => r.some((c) => c !== ''));
}

function cellText(cell: unknown): string {
  if (cell === null || cell === undefined) return '';
  if (cell instanceof Date) return cell.toISOString().slice(0, 10);
  return String(cell).trim();
}
