import { isLengthUnit, METRES_PER, type ForeignMove } from '@mesure/core';
import type { TableRow } from '../csv-table';
import { FormatError } from '../format-error';

/** The columns `unit` and `up` of a table of places: each row may say them, and all that do say the same. */
export function spaceColumns(file: string): { row(row: TableRow): void; said(): Pick<ForeignMove, 'metres' | 'up'> } {
  const units = new Set<string>();
  const ups = new Set<string>();
  const one = (values: ReadonlySet<string>, field: string): string | null => {
    if (values.size > 1) throw new FormatError(file, null, field, `holds ${[...values].join(' and ')}; one for all rows is needed`);
    const [value = null] = values;
    return value;
  };
  return {
    row(row) {
      if (row.text('unit') !== '') units.add(row.text('unit'));
      if (row.text('up') !== '') ups.add(row.text('up').toUpperCase());
    },
    said() {
      const [unit, up] = [one(units, 'unit'), one(ups, 'up')];
      if (unit !== null && unit !== 'of the solve' && !isLengthUnit(unit)) throw new FormatError(file, null, 'unit', `"${unit}" is not known; m, cm, mm, in, ft or "of the solve"`);
      if (up !== null && up !== 'Y' && up !== 'Z') throw new FormatError(file, null, 'up', `"${up}" is not known; Y or Z`);
      return { metres: unit === null || unit === 'of the solve' ? unit : METRES_PER[unit], up };
    },
  };
}
