import type { PlannedMark, SolveResult } from '@mesure/core';
import Papa from 'papaparse';

/** Full double precision with no trailing noise: what is read back is the same number. */
const text = (rows: (string | number)[][]): string => `${Papa.unparse(rows, { newline: '\n', escapeFormulae: true })}\n`;

/** Camera path of conventions.md: metres, unit quaternion camera to world. */
export function writeCameraCsv(solve: Pick<SolveResult, 'frames'>): string {
  return text([['frame', 'x', 'y', 'z', 'qx', 'qy', 'qz', 'qw', 'focal_mm'], ...solve.frames.map((f) => [f.frame, ...f.position, ...f.rotation, f.focalMm])]);
}

/** Points of conventions.md: metres. The solve's sigma is the same on the three axes (root of a third of the trace). */
export function writePointsCsv(solve: Pick<SolveResult, 'points'>): string {
  return text([['id', 'x', 'y', 'z', 'sigma_x', 'sigma_y', 'sigma_z'], ...solve.points.map((p) => [p.track, ...p.position, p.sigmaM ?? '', p.sigmaM ?? '', p.sigmaM ?? ''])]);
}

export function writeCornersCsv(plates: readonly { plate: string; nodes: readonly { row: number; col: number; x: number; y: number }[] }[]): string {
  const several = plates.length > 1;
  const rows = plates.flatMap(({ plate, nodes }) => nodes.map((n) => [...(several ? [plate] : []), n.row, n.col, n.x, n.y]));
  return text([[...(several ? ['plate'] : []), 'row', 'col', 'x', 'y'], ...rows]);
}

/** Mark sheet: places in metres, diameter in metres, what it sits on, whether it was placed. Readable as points of conventions.md. */
export function writeMarksCsv(marks: readonly PlannedMark[]): string {
  return text([['id', 'x', 'y', 'z', 'kind', 'diameter_m', 'ground', 'placed'], ...marks.map((m) => [m.id, ...m.at, m.kind, m.diameterM, m.ground, m.placed ? 'yes' : 'no'])]);
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
  return text([header, ...rows.map((r) => header.map((h) => r[h]))]);
}

/** Any table, a header row first. */
export const writeCsv = (rows: readonly (readonly (string | number)[])[]): string => text(rows.map((r) => [...r]));
