import { readCells } from '@mesure/formats/table';

/** Rows of a table that somebody picked: CSV, tabs, or a workbook's first sheet. The reader of workbooks is loaded when one comes. @throws Error in words */
export async function readTableFile(file: File): Promise<string[][]> {
  if (!/\.xlsx$/i.test(file.name)) return readCells(await file.text(), file.name);
  const { readXlsxCells } = await import('@mesure/formats/xlsx');
  return readXlsxCells(await file.arrayBuffer(), file.name);
}
