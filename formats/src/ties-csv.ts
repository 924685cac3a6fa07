import { CoreError, isLengthUnit, LENGTH_UNITS, METRES_PER, outOfSpace, parseLength, SPACE_UNITS, SPACE_UPS, type KnownPoint, type LengthUnit, type Space } from '@mesure/core';
import { readTable, type TableRow } from './csv-table';
import { FormatError } from './format-error';

/** A tie as it stands in a file: what was written beside what it means. */
export interface FileTie {
  from: string;
  to: string;
  typed: string;
  unit: LengthUnit;
  valueM: number;
  /** two sigma; null: not given */
  toleranceM: number | null;
  line: number;
}
export interface FileHeight {
  id: string;
  valueM: number;
  toleranceM: number | null;
  line: number;
}

function unitOf(row: TableRow, file: string): LengthUnit {
  const unit = row.text('unit');
  if (!isLengthUnit(unit)) throw new FormatError(file, row.line, 'unit', `"${unit}" must be one of ${LENGTH_UNITS.join(', ')}`);
  return unit;
}

function lengthOf(row: TableRow, file: string, column: string, unit: LengthUnit): number {
  try {
    const parsed = parseLength(row.text(column), unit);
    // a unit written beside the number must not say something else than its column
    if (parsed.unit !== unit && !(unit === 'ft-in' && (parsed.unit === 'in' || parsed.unit === 'ft')))
      throw new FormatError(file, row.line, column, `"${row.text(column)}" is in ${parsed.unit}, its unit column says ${unit}`);
    return parsed.valueM;
  } catch (error) {
    if (error instanceof CoreError) throw new FormatError(file, row.line, column, error.message);
    throw error;
  }
}

/** In the row's unit; of feet and inches, in inches. */
function toleranceOf(row: TableRow, file: string, unit: LengthUnit): number | null {
  if (row.text('tolerance') === '') return null;
  const value = row.number('tolerance') * METRES_PER[unit];
  if (!(value > 0)) throw new FormatError(file, row.line, 'tolerance', `"${row.text('tolerance')}" must be above 0`);
  return value;
}

function named(row: TableRow, file: string, column: string): string {
  const id = row.text(column);
  if (id === '') throw new FormatError(file, row.line, column, 'is empty');
  return id;
}

/** Ties: CSV `from,to,value,unit[,tolerance]`. @throws FormatError with file, line and field */
export function readTiesCsv(text: string, file: string): FileTie[] {
  const { rows } = readTable(text, file, ['from', 'to', 'value', 'unit'], 'from,to,value,unit[,tolerance]');
  const ties = rows.map((row): FileTie => {
    const [from, to] = [named(row, file, 'from'), named(row, file, 'to')];
    if (from === to) throw new FormatError(file, row.line, 'to', `a tie needs two different points, not ${from} twice`);
    const unit = unitOf(row, file);
    const valueM = lengthOf(row, file, 'value', unit);
    if (!(valueM > 0)) throw new FormatError(file, row.line, 'value', `"${row.text('value')}" must be above 0`);
    return { from, to, typed: row.text('value'), unit, valueM, toleranceM: toleranceOf(row, file, unit), line: row.line };
  });
  if (ties.length === 0) throw new FormatError(file, null, null, 'holds no ties');
  return ties;
}

/** Heights over the floor: CSV `id,value,unit[,tolerance]`; a point below the floor has a minus. @throws FormatError */
export function readHeightsCsv(text: string, file: string): FileHeight[] {
  const { rows } = readTable(text, file, ['id', 'value', 'unit'], 'id,value,unit[,tolerance]');
  return rows.map((row): FileHeight => {
    const id = named(row, file, 'id');
    const unit = unitOf(row, file);
    const below = /^[-−]/.test(row.text('value'));
    const plain: TableRow = { ...row, text: (column) => row.text(column).replace(/^[-−]\s*/, '') };
    return { id, valueM: (below ? -1 : 1) * lengthOf(plain, file, 'value', unit), toleranceM: toleranceOf(row, file, unit), line: row.line };
  });
}

/** In what the places of a row are counted, where its columns say so. A unit that nothing ties to metres is no place of a set. */
function spaceOf(row: TableRow, columns: readonly string[], file: string): Space {
  const unit = columns.includes('unit') ? row.text('unit') : 'm';
  const up = columns.includes('up') ? row.text('up') : 'Y';
  if (!(SPACE_UNITS as readonly string[]).includes(unit)) throw new FormatError(file, row.line, 'unit', `"${unit}" must be one of ${SPACE_UNITS.join(', ')}`);
  if (!(SPACE_UPS as readonly string[]).includes(up)) throw new FormatError(file, row.line, 'up', `"${up}" must be Y or Z`);
  return { unit, up } as Space;
}

/** Known points: CSV `id,x,y,z[,sigma_x,sigma_y,sigma_z][,unit][,up]`, metres and Y up where nothing else is said; without sigmas they are held. @throws FormatError */
export function readPointsCsv(text: string, file: string): KnownPoint[] {
  const { rows, columns } = readTable(text, file, ['id', 'x', 'y', 'z'], 'id,x,y,z[,sigma_x,sigma_y,sigma_z][,unit][,up]');
  const sigma = (row: TableRow, axis: string): number => {
    const column = `sigma_${axis}`;
    if (!columns.includes(column) || row.text(column) === '') return 0;
    const value = row.number(column);
    if (value < 0) throw new FormatError(file, row.line, column, `"${row.text(column)}" must not be below 0`);
    return value;
  };
  const seen = new Set<string>();
  return rows.map((row): KnownPoint => {
    const id = named(row, file, 'id');
    if (seen.has(id)) throw new FormatError(file, row.line, 'id', `${id} stands there twice`);
    seen.add(id);
    const out = outOfSpace(spaceOf(row, columns, file));
    return { id, at: out.place([row.number('x'), row.number('y'), row.number('z')]), sigmaM: out.spread([sigma(row, 'x'), sigma(row, 'y'), sigma(row, 'z')]) };
  });
}
