import type { PlannedMark } from '@mesure/core';
import { csvText } from './csv-cells';

export function writeCornersCsv(plates: readonly { plate: string; nodes: readonly { row: number; col: number; x: number; y: number }[] }[]): string {
  const several = plates.length > 1;
  const rows = plates.flatMap(({ plate, nodes }) => nodes.map((n) => [...(several ? [plate] : []), n.row, n.col, n.x, n.y]));
  return csvText([[...(several ? ['plate'] : []), 'row', 'col', 'x', 'y'], ...rows]);
}

/** Mark sheet: places in metres, diameter in metres, what it sits on, whether it was placed. Readable as points of conventions.md. */
export function writeMarksCsv(marks: readonly PlannedMark[]): string {
  return csvText([['id', 'x', 'y', 'z', 'kind', 'diameter_m', 'ground', 'placed'], ...marks.map((m) => [m.id, ...m.at, m.kind, m.diameterM, m.ground, m.placed ? 'yes' : 'no'])]);
}

export interface ReadingRow {
  setup: string;
  take: string;
  quantity: string;
  about: string;
  value: number;
  /** of value and tolerance */
  unit: 'm' | 'deg';
  as_entered: string;
  tolerance: number;
  instrument: string;
  taken_at: string;
  /** `carried over` from the take before, or `measured` at this one */
  carried: 'measured' | 'carried over' | '';
  when: string;
  who: string;
}

export function writeReadingsCsv(rows: readonly ReadingRow[]): string {
  const header: (keyof ReadingRow)[] = ['setup', 'take', 'quantity', 'about', 'value', 'unit', 'as_entered', 'tolerance', 'instrument', 'taken_at', 'carried', 'when', 'who'];
  return csvText([header, ...rows.map((r) => header.map((h) => r[h]))]);
}

/** Any table, a header row first. */
export const writeCsv = (rows: readonly (readonly (string | number)[])[]): string => csvText(rows);
