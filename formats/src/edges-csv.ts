import type { EdgePoint } from '@mesure/core';
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
