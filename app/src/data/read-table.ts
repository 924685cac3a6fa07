import { textOf } from '@mesure/formats/mapped-table';
import { readCells, writeTabs } from '@mesure/formats/table';

/** Rows of a table that somebody picked: CSV, tabs, or a workbook's first sheet. The reader of workbooks is loaded when one comes. @throws Error in words */
export async function readTableFile(file: File): Promise<string[][]> {
  if (!/\.xlsx$/i.test(file.name)) return readCells(await file.text(), file.name);
  const { readXlsxCells } = await import('@mesure/formats/xlsx');
  return readXlsxCells(await file.arrayBuffer(), file.name);
}

/** A table as text, whatever it was kept as: for tables that are too long to be held as cells. @throws Error in words */
export async function readTableText(file: File): Promise<string> {
  if (/\.xlsx$/i.test(file.name)) return writeTabs(await readTableFile(file));
  return textOf(new Uint8Array(await file.arrayBuffer()), file.name);
}

/** What a table is called once it is kept as CSV. */
export const csvName = (name: string): string => `${name.replace(/\.[^.]*$/, '')}.csv`;
