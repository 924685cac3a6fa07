import { CoreError, doubtPlaces, METRES_PER, outOfSpace, parseLength, type LengthUnit, type PlacesDoubt, type Space, type Vec3 } from '@mesure/core';
import type { FactBody, SetBody, StoredRecord, TieBody } from './records';

/** What a table of measurements between marks holds, a row each. */
export const NET_TABLES = ['places', 'ties', 'heights'] as const;
export type NetTable = (typeof NET_TABLES)[number];
export const NET_TABLE_WORDS: Record<NetTable, string> = { places: 'places of marks', ties: 'lengths between marks', heights: 'heights over the floor' };

/** What a column of it holds; null: nothing that is wanted. */
export const NET_COLUMNS = ['mark', 'from', 'to', 'x', 'y', 'z', 'value', 'unit', 'tolerance'] as const;
export type NetColumn = (typeof NET_COLUMNS)[number];
export const NET_COLUMN_WORDS: Record<NetColumn, string> = {
  mark: 'mark',
  from: 'from mark',
  to: 'to mark',
  x: 'x, to the right or east',
  y: 'y',
  z: 'z',
  value: 'length or height',
  unit: 'unit of the row',
  tolerance: 'tolerance',
};
const NEEDS: Record<NetTable, readonly NetColumn[]> = { places: ['mark', 'x', 'y', 'z'], ties: ['from', 'to', 'value'], heights: ['mark', 'value'] };

const plain = (text: string): string => text.toLowerCase().replace(/[^a-z0-9]/g, '');
const ALIASES: Record<NetColumn, readonly string[]> = {
  mark: ['mark', 'id', 'name', 'point', 'pt', 'pointid', 'pointname', 'pointno', 'ptno', 'no', 'target'],
  from: ['from', 'a', 'frommark', 'mark1', 'point1', 'start'],
  to: ['to', 'b', 'tomark', 'mark2', 'point2', 'end'],
  x: ['x', 'xm', 'e', 'east', 'easting', 'right'],
  // y and z of a table that calls them north and height: Z up
  y: ['y', 'ym', 'n', 'north', 'northing'],
  z: ['z', 'zm', 'h', 'height', 'elevation', 'elev', 'up'],
  value: ['value', 'length', 'distance', 'dist', 'reading', 'measured', 'height', 'lengthm', 'heightm', 'valuem'],
  unit: ['unit', 'units'],
  tolerance: ['tolerance', 'tol', 'plusminus'],
};

/** What the table most likely holds and which column is which; each once. Nothing is guessed from the values. */
export function guessNetTable(header: readonly string[]): { table: NetTable; columns: (NetColumn | null)[]; up: Space['up'] } {
  const words = header.map(plain);
  const has = (c: NetColumn) => words.some((w) => ALIASES[c].includes(w));
  const table: NetTable = has('from') && has('to') ? 'ties' : has('x') && has('y') && has('z') ? 'places' : 'heights';
  const taken = new Set<NetColumn>();
  const wanted: readonly NetColumn[] = [...NEEDS[table], 'unit', 'tolerance'];
  const columns = words.map((w) => {
    const found = wanted.find((c) => !taken.has(c) && ALIASES[c].includes(w)) ?? null;
    if (found) taken.add(found);
    return found;
  });
  // who writes north and height counts as surveyors do
  const up = words.some((w) => ['n', 'north', 'northing', 'elevation', 'elev', 'h', 'height'].includes(w)) && table === 'places' ? 'Z' : 'Y';
  return { table, columns, up };
}

/** What a row would do. */
export type NetLine = { row: number; label: string } & ({ what: 'new' | 'same'; note: string } | { what: 'change'; note: string } | { what: 'problem'; why: string });
export type NetOrder = { kind: 'tie'; id: string; change: TieBody } | { kind: 'fact'; id: string; change: FactBody } | { kind: 'set'; id: string; change: (now: SetBody) => SetBody };

export interface NetTableInput {
  table: NetTable;
  /** without the header */
  rows: readonly (readonly string[])[];
  columns: readonly (NetColumn | null)[];
  /** where no column says it */
  unit: LengthUnit;
  up: Space['up'];
  /** two sigma, of rows that have none */
  toleranceM: number;
  instrument: string;
  set: StoredRecord<'set'>;
  ties: readonly StoredRecord<'tie'>[];
  facts: readonly StoredRecord<'fact'>[];
  newId: () => string;
  now: string;
}

/** Nearer than this two readings are one. */
const SAME_M = 1e-6;
const UNIT_NAMES: Record<string, LengthUnit> = { m: 'm', metre: 'm', metres: 'm', meter: 'm', cm: 'cm', mm: 'mm', ft: 'ft', feet: 'ft', in: 'in', inch: 'in', 'ft-in': 'ft-in', ftin: 'ft-in' };

/**
 * What bringing a table into a set's net would do, row by row, and what speaks against how it was read. A tie or a fact of the same marks that
 * is here already keeps its place: a second reading of a tie is another tie, which the net weighs; a place or a height of a mark becomes the new one.
 */
export function planNetTable(input: NetTableInput): { lines: NetLine[]; orders: NetOrder[]; doubts: PlacesDoubt[]; lacking: NetColumn[] } {
  const { table, rows, columns, set } = input;
  const lacking = NEEDS[table].filter((c) => !columns.includes(c));
  if (lacking.length > 0) return { lines: [], orders: [], doubts: [], lacking };
  const lines: NetLine[] = [];
  const orders: NetOrder[] = [];
  const read: { id: string; at: Vec3 }[] = [];
  const named = new Set<string>();
  const seen = new Map<string, number>();
  rows.forEach((cells, i) => {
    const row = i + 2;
    const cell = (c: NetColumn): string => cells[columns.indexOf(c)] ?? '';
    const label = table === 'ties' ? `${cell('from')} – ${cell('to')}` : cell('mark');
    try {
      const unit = unitOf(cell('unit'), input.unit);
      const toleranceM = cell('tolerance') === '' ? input.toleranceM : lengthOf(cell('tolerance'), unit);
      if (!(toleranceM > 0 && toleranceM <= 10)) throw new CoreError('UNREADABLE_INPUT', `a tolerance of ${cell('tolerance')} is none`);
      const marks = (table === 'ties' ? (['from', 'to'] as const) : (['mark'] as const)).map((c) => markOf(cell(c)));
      if (table === 'ties' && marks[0] === marks[1]) throw new CoreError('UNREADABLE_INPUT', `${marks[0]} is tied to itself`);
      const key = table === 'ties' ? '' : marks[0];
      if (key !== '' && seen.has(key)) throw new CoreError('UNREADABLE_INPUT', `${key} stands in row ${seen.get(key)} already`);
      const line = table === 'places' ? place(marks[0], cell, unit, toleranceM) : table === 'ties' ? tie(marks, cell('value'), unit, toleranceM) : height(marks[0], cell('value'), unit, toleranceM);
      if (key !== '') seen.set(key, row);
      marks.forEach((m) => named.add(m));
      lines.push({ row, label, ...line });
    } catch (error) {
      if (!(error instanceof CoreError)) throw error;
      lines.push({ row, label, what: 'problem', why: error.message });
    }
  });
  const fresh = [...named].filter((m) => !set.body.marks.includes(m));
  if (orders.length > 0 && fresh.length > 0) orders.unshift({ kind: 'set', id: set.id, change: (now) => ({ ...now, marks: [...now.marks, ...fresh.filter((m) => !now.marks.includes(m))] }) });
  const doubts =
    table === 'places'
      ? doubtPlaces(
          read,
          {
            ties: input.ties.map(({ body: t }) => ({ a: t.from, b: t.to, m: t.length.valueM })),
            heights: input.facts.flatMap(({ body: f }) => (f.what === 'height' ? [{ id: f.marks[0], m: f.length!.valueM }] : [])),
            plan: new Map((set.body.sheet ?? []).map((m) => [m.id, m.at])),
          },
          input.unit,
        )
      : [];
  return { lines, orders, doubts, lacking };

  function keepFact(body: FactBody, same: (f: FactBody) => boolean, before: (f: FactBody) => string): { what: 'new' | 'same' | 'change'; note: string } {
    const here = input.facts.find((f) => f.body.what === body.what && f.body.marks[0] === body.marks[0]);
    if (here && same(here.body)) return { what: 'same', note: '' };
    orders.push({ kind: 'fact', id: here?.id ?? input.newId(), change: body });
    return here ? { what: 'change', note: `was ${before(here.body)}` } : { what: 'new', note: '' };
  }
  function place(mark: string, cell: (c: NetColumn) => string, unit: LengthUnit, toleranceM: number) {
    const m = METRES_PER[unit];
    const [x, y, z] = (['x', 'y', 'z'] as const).map((c) => m * numberOf(cell(c), c));
    const at = outOfSpace({ unit: 'm', up: input.up }).place([x, y, z]);
    if (at.some((v) => Math.abs(v) > 10_000))
      throw new CoreError('UNREADABLE_INPUT', `it would be ${Math.round(Math.max(...at.map(Math.abs)) / 1000)} km away: give places of the set, without the numbers of the whole country`);
    read.push({ id: mark, at });
    const line = keepFact(
      {
        setId: set.id,
        what: 'point',
        marks: [mark],
        length: null,
        at: [...at] as [number, number, number],
        toleranceM,
        ...(input.instrument ? { instrument: input.instrument } : {}),
        measuredAt: input.now,
      },
      (f) => Math.hypot(...at.map((v, k) => v - f.at![k])) < SAME_M && Math.abs(f.toleranceM - toleranceM) < SAME_M,
      (f) => f.at!.map((v) => v.toFixed(3)).join('  '),
    );
    return { ...line, note: [`${at.map((v) => v.toFixed(3)).join('  ')} m`, line.note].filter(Boolean).join(', ') };
  }
  function tie([from, to]: string[], text: string, unit: LengthUnit, toleranceM: number): { what: 'new' | 'same'; note: string } {
    const valueM = lengthOf(text, unit);
    if (!(valueM > 0)) throw new CoreError('UNREADABLE_INPUT', `a tie of ${text} is none`);
    const twin = input.ties.some(
      ({ body: t }) => ((t.from === from && t.to === to) || (t.from === to && t.to === from)) && Math.abs(t.length.valueM - valueM) < SAME_M && Math.abs(t.length.toleranceM - toleranceM) < SAME_M,
    );
    const note = `${valueM.toFixed(3)} m`;
    if (twin) return { what: 'same', note };
    const change: TieBody = { setId: set.id, from, to, length: { typed: typedOf(text, unit), unit, valueM, toleranceM }, instrument: input.instrument || 'tape', measuredAt: input.now } as TieBody;
    orders.push({ kind: 'tie', id: input.newId(), change });
    return { what: 'new', note };
  }
  function height(mark: string, text: string, unit: LengthUnit, toleranceM: number) {
    const valueM = lengthOf(text, unit);
    const line = keepFact(
      {
        setId: set.id,
        what: 'height',
        marks: [mark],
        length: { typed: typedOf(text, unit), unit, valueM, toleranceM },
        toleranceM,
        ...(input.instrument ? { instrument: input.instrument } : {}),
        measuredAt: input.now,
      },
      (f) => Math.abs(f.length!.valueM - valueM) < SAME_M && Math.abs(f.length!.toleranceM - toleranceM) < SAME_M,
      (f) => `${f.length!.valueM.toFixed(3)} m`,
    );
    return { ...line, note: [`${valueM.toFixed(3)} m`, line.note].filter(Boolean).join(', ') };
  }
}

function unitOf(text: string, otherwise: LengthUnit): LengthUnit {
  if (text === '') return otherwise;
  const unit = UNIT_NAMES[text.toLowerCase()];
  if (!unit) throw new CoreError('UNREADABLE_INPUT', `"${text}" is no unit; there are m, cm, mm, ft, in, ft-in`);
  return unit;
}
function markOf(text: string): string {
  if (text === '') throw new CoreError('UNREADABLE_INPUT', 'a mark has no name');
  if (text.length > 40) throw new CoreError('UNREADABLE_INPUT', 'the name of a mark has 40 letters at most');
  return text;
}
/** A length with a unit of its own says so; it must not say another one than its row. */
function lengthOf(text: string, unit: LengthUnit): number {
  if (text === '') throw new CoreError('UNREADABLE_INPUT', 'it has no length');
  const parsed = parseLength(text, unit);
  if (parsed.unit !== unit && !(unit === 'ft-in' && (parsed.unit === 'in' || parsed.unit === 'ft')))
    throw new CoreError('UNREADABLE_INPUT', `"${text}" is in ${parsed.unit}, and the table in ${unit}`);
  return parsed.valueM;
}
const typedOf = (text: string, unit: LengthUnit): string => (/[a-z'"]/i.test(text) ? text : `${text} ${unit}`).slice(0, 60);
/** With a point or a comma before its decimals; with both it can be read in two ways. */
function numberOf(text: string, axis: string): number {
  const value = /^[-+−]?\d*(?:[.,]\d+)?(?:e[-+]?\d+)?$/i.test(text) && /\d/.test(text) ? Number(text.replace('−', '-').replace(',', '.')) : Number.NaN;
  if (!Number.isFinite(value)) throw new CoreError('UNREADABLE_INPUT', text === '' ? `${axis} is empty` : `"${text}" is no number for ${axis}`);
  return value;
}
