import type { EdgePoint, LineUpMark } from '@mesure/core';
import { readTable } from './csv-table';
import { FormatError } from './format-error';

/** Marks along straight edges: CSV with the header `edge,x,y`, in any order. @throws FormatError with file, line and field */
export function readEdgesCsv(text: string, file: string): EdgePoint[] {
  const { rows } = readTable(text, file, ['edge', 'x', 'y'], 'edge,x,y');
  const marks = rows.map((row): EdgePoint => {
    const edge = row.text('edge');
    if (edge === '') throw new FormatError(file, row.line, 'edge', 'is empty');
    return { edge, x: row.number('x'), y: row.number('y') };
  });
  if (marks.length === 0) throw new FormatError(file, null, null, 'holds no edges');
  return marks;
}

/** Surveyed points as they were marked in a picture: CSV with the header `id,x,y`. @throws FormatError with file, line and field */
export function readMarksCsv(text: string, file: string): LineUpMark[] {
  const { rows } = readTable(text, file, ['id', 'x', 'y'], 'id,x,y');
  const seen = new Map<string, number>();
  const marks = rows.map((row): LineUpMark => {
    const id = row.text('id');
    if (id === '') throw new FormatError(file, row.line, 'id', 'is empty');
    const before = seen.get(id);
    if (before !== undefined) throw new FormatError(file, row.line, 'id', `${id} is marked already in line ${before}`);
    seen.set(id, row.line);
    return { id, xPx: row.number('x'), yPx: row.number('y') };
  });
  if (marks.length === 0) throw new FormatError(file, null, null, 'holds no marks');
  return marks;
}
