import equal from 'fast-deep-equal';
import { cornerMovesPct, CoreError, formatFocus, mustReadLength, type GivenCoefficients, type GivenFrame, type LengthUnit } from '@mesure/core';
import type { GivenLens, PlateBody } from './kinds';

/** A row of a table of coefficients, as text under our names; what its table has no column for is missing. */
export interface LensRow {
  lens?: string;
  focal_mm: string;
  focus?: string;
  k1: string;
  k2?: string;
  k3?: string;
  k4?: string;
  p1?: string;
  p2?: string;
  center_x_px?: string;
  center_y_px?: string;
}

export interface LensTableInput {
  rows: readonly LensRow[];
  /** what no header says */
  said: Pick<GivenCoefficients, 'formula' | 'over' | 'direction'>;
  /** of a focus that names no unit */
  focusUnit: LengthUnit;
  /** which of the lenses that the table holds; null: it names none, or all rows are of one */
  lens: string | null;
  minFocalMm: number;
  maxFocalMm: number;
  /** plates of this lens that are here */
  known: readonly Pick<PlateBody, 'focalMm' | 'focusM' | 'given'>[];
  /** the picture at a focal length; null: the package lacks what tells */
  frameAt: (focalMm: number) => GivenFrame | null;
}

/** What a row would do, and the plate that it would become. */
export type LensLine = { row: number; label: string } & (
  { what: 'new' | 'same'; note: string; plate: { focalMm: number; focusM: number | null; given: GivenLens } } | { what: 'problem'; why: string; plate: null }
);

/** A marked focal length of a prime is its name; a table's may be the measured one. */
const NEAR_MARK = 0.05;
/** More at the corner no lens bends that is not a fisheye: another normaliser, or another direction. */
const MOST_AT_CORNER_PCT = 40;
/** More settings nobody brings at once by hand. */
export const MOST_SETTINGS = 200;

/** The lenses that a table names, in its order. */
export const lensesNamed = (rows: readonly LensRow[]): string[] => [...new Set(rows.map((r) => r.lens ?? '').filter((n) => n !== ''))];

/** Settings of a lens as a table of coefficients has them, row by row. */
export function planLensTable(input: LensTableInput): LensLine[] {
  const taken: Pick<PlateBody, 'focalMm' | 'focusM' | 'given'>[] = [...input.known];
  return input.rows.flatMap((cells, i): LensLine[] => {
    if (input.lens !== null && (cells.lens ?? '') !== input.lens) return [];
    const row = i + 1;
    try {
      const plate = plateOf(cells, input);
      const label = `${plate.focalMm} mm${plate.focusM === null ? '' : `, focus ${formatFocus(plate.focusM, 'm', 2)}`}`;
      const frame = input.frameAt(plate.focalMm);
      const pct = frame && cornerMovesPct(plate.given as GivenCoefficients, frame);
      if (frame && pct === null) return [{ row, label, what: 'problem', why: 'read so, it does not reach the corner: another radius, or the other direction', plate: null }];
      if (pct !== null && Math.abs(pct) > MOST_AT_CORNER_PCT && input.said.formula !== 'angle')
        return [{ row, label, what: 'problem', why: `read so, the corner moves by ${pct.toFixed(0)} %: a radius of 1 is something else`, plate: null }];
      const same = taken.some((k) => k.focalMm === plate.focalMm && k.focusM === plate.focusM && equal(k.given, plate.given));
      taken.push(plate);
      return [{ row, label, what: same ? 'same' : 'new', note: pct === null ? 'the corner is not known' : `${pct < 0 ? 'barrel' : 'pincushion'} ${Math.abs(pct).toFixed(2)} % at the corner`, plate }];
    } catch (e) {
      if (!(e instanceof CoreError)) throw e;
      return [{ row, label: `${cells.focal_mm} mm`, what: 'problem', why: e.message, plate: null }];
    }
  });
}

function plateOf(cells: LensRow, { said, focusUnit, minFocalMm, maxFocalMm }: LensTableInput): { focalMm: number; focusM: number | null; given: GivenLens } {
  const number = (text: string | undefined): number => (text === undefined || text === '' ? 0 : Number(text));
  const focalMm = Number(cells.focal_mm);
  if (!(focalMm >= minFocalMm * (1 - NEAR_MARK) && focalMm <= maxFocalMm * (1 + NEAR_MARK)))
    throw new CoreError('INVALID_OPTION', `the lens has ${minFocalMm === maxFocalMm ? `${minFocalMm} mm` : `${minFocalMm} to ${maxFocalMm} mm`}`, 'focal_mm');
  const focus = (cells.focus ?? '').trim();
  const focusM = focus === '' ? null : mustReadLength(focus, { unit: focusUnit, quantity: 'focus distance' }).valueM;
  const k = [cells.k1, cells.k2, cells.k3, cells.k4].map(number);
  while (k.length > 1 && k[k.length - 1] === 0) k.pop();
  const polynomial = said.formula === 'polynomial';
  return {
    focalMm,
    focusM,
    given: { what: 'coefficients', ...said, k, p: polynomial ? [number(cells.p1), number(cells.p2)] : [0, 0], center: [number(cells.center_x_px), number(cells.center_y_px)], focalMm: null },
  };
}
