import { csvText } from './csv-cells';
import { mappedRows, type MappedTable } from './mapped-table';
import { MOVE_TABLE, type MoveColumn } from './table-kinds';

const DEG_PER_RAD = 180 / Math.PI;
const ANGLES: readonly MoveColumn[] = ['rx', 'ry', 'rz'];
/** More than a full turn and a little is no angle in radians of a camera; less may be either. */
const MOST_RAD = 2 * Math.PI * 1.02;

export type TurnsIn = 'degrees' | 'radians';

export interface MovePreview {
  rows: number;
  firstFrame: number;
  lastFrame: number;
  /** furthest apart along each axis, in the table's own lengths */
  spans: [number, number, number];
  /** null: its turns are quaternions */
  largestTurn: number | null;
  /** null: its angles may be either */
  turnsIn: TurnsIn | null;
}

/** What a camera's table holds once its columns are said. @throws FormatError as `mappedRows` */
export function lookAtMoves(text: string, file: string, table: MappedTable<MoveColumn>, columns: readonly (MoveColumn | null)[]): MovePreview {
  const { wanted, rows } = mappedRows(text, file, table, columns, MOVE_TABLE);
  const of = (c: MoveColumn): number[] => rows.map((r) => Number(r[wanted.indexOf(c)]));
  const least = (values: readonly number[]) => values.reduce((m, v) => Math.min(m, v), Infinity);
  const most = (values: readonly number[]) => values.reduce((m, v) => Math.max(m, v), -Infinity);
  const span = (c: MoveColumn): number => most(of(c)) - least(of(c));
  const angles = ANGLES.filter((a) => wanted.includes(a));
  const largestTurn = angles.length === 0 || wanted.includes('qw') ? null : most(angles.flatMap(of).map(Math.abs));
  const frames = of('frame');
  return {
    rows: rows.length,
    firstFrame: least(frames),
    lastFrame: most(frames),
    spans: [span('x'), span('y'), span('z')],
    largestTurn,
    turnsIn: largestTurn !== null && largestTurn > MOST_RAD ? 'degrees' : null,
  };
}

/** A camera's table as the CSV that Mesure reads; angles leave it in degrees. @throws FormatError as `mappedRows` */
export function moveCsvOf(text: string, file: string, table: MappedTable<MoveColumn>, columns: readonly (MoveColumn | null)[], turnsIn: TurnsIn): string {
  const { wanted, rows } = mappedRows(text, file, table, columns, MOVE_TABLE);
  const scale = wanted.map((c) => (turnsIn === 'radians' && ANGLES.includes(c) ? DEG_PER_RAD : null));
  return csvText([[...wanted], ...rows.map((r) => r.map((cell, i) => (scale[i] === null ? cell : String(Number(cell) * scale[i]))))]);
}
