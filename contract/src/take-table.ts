import { CoreError } from '@mesure/core';
import equal from 'fast-deep-equal';
import { cameraFor } from './bulk';
import { blankTake } from './logging';
import type { SetupBody, StoredRecord, TakeBody } from './records';
import { TAKE_FIELDS, takeField, touched, type TakeField, type TakeFieldKey, type TakeWords } from './take-fields';

type Take = Pick<StoredRecord<'take'>, 'id' | 'body'>;
type Setup = { id: string; body: SetupBody };

/** What a column of a file holds: a field of a take, the setup of a new one, or nothing that is wanted. */
export type Column = TakeFieldKey | 'setup' | null;

const plain = (text: string): string => text.toLowerCase().replace(/[^a-z0-9]/g, '');
/** Other words for a field that stand in headers; shortest forms of the trade. */
const ALIASES: Partial<Record<TakeFieldKey, readonly string[]>> = {
  focalMm: ['focal', 'lens mm', 'focal mm', 'fl'],
  focusM: ['focus'],
  stop: ['t stop', 't', 'aperture'],
  fps: ['fps', 'rate'],
  clip: ['clip', 'file', 'file name', 'filename', 'reel'],
  packageId: ['package', 'cam package'],
  camera: ['camera', 'cam'],
  notes: ['note', 'notes', 'remarks', 'comment'],
  circled: ['circle', 'good'],
  height: ['height', 'camera height', 'lens height'],
  timecodeIn: ['tc in', 'start tc', 'in'],
  timecodeOut: ['tc out', 'end tc', 'out'],
};

/** Which field each header is most likely of; each field once. Nothing is guessed from the values. */
export function guessColumns(header: readonly string[]): Column[] {
  const taken = new Set<Column>();
  return header.map((name) => {
    const key = plain(name);
    const found: Column =
      key === ''
        ? null
        : key === 'setup'
          ? 'setup'
          : (TAKE_FIELDS.find((f) => plain(f.title) === key || plain(f.key) === key || plain(`${f.title} ${f.unit ?? ''}`) === key)?.key ??
            TAKE_FIELDS.find((f) => ALIASES[f.key]?.some((a) => plain(a) === key))?.key ??
            null);
    if (found === null || taken.has(found)) return null;
    taken.add(found);
    return found;
  });
}

export interface ImportChange {
  title: string;
  before: string;
  after: string;
}
export type ImportLine = { row: number; label: string } & (
  { what: 'change'; take: Take; changes: ImportChange[]; body: TakeBody } | { what: 'new'; changes: ImportChange[]; body: TakeBody } | { what: 'same' } | { what: 'problem'; why: string }
);

export interface ImportInput {
  rows: readonly (readonly string[])[];
  columns: readonly Column[];
  takes: readonly Take[];
  setups: readonly Setup[];
  /** of new takes whose row names no setup */
  setupId: string | null;
  words: TakeWords;
  now: string;
}

/**
 * What a table would do, row by row, before anything is done. A row is that of the take with its slate and number, and with its camera
 * where the table has one; else it makes a new take. Empty cells change nothing. A cell that cannot be read refuses its row, not the others.
 */
export function planImport({ rows, columns, takes, setups, setupId, words, now }: ImportInput): ImportLine[] {
  if (!columns.includes('slate') || !columns.includes('take')) throw new CoreError('INVALID_OPTION', 'Say which columns hold the slate and the take: they tell which take a row is of', 'columns');
  const seen = new Map<string, number>();
  return rows.map((cells, row): ImportLine => {
    const cell = (column: Column) => (columns.includes(column) ? (cells[columns.indexOf(column)] ?? '').trim() : '');
    const label = `${cell('slate') || '?'} take ${cell('take') || '?'}`;
    try {
      const letter = cell('camera');
      const matches = takes.filter((t) => t.body.slate === cell('slate') && String(t.body.take) === cell('take') && (letter === '' || cameraFor(t.body, words) === letter || t.body.camera === letter));
      if (matches.length > 1) return { row, label, what: 'problem', why: `${matches.length} takes have this slate and number; add the camera letter` };
      const name = `${cell('slate')} ${cell('take')} ${letter}`;
      if (seen.has(name)) return { row, label, what: 'problem', why: `row ${seen.get(name)! + 1} is of the same take` };
      seen.set(name, row);
      const take = matches[0] ?? null;
      const start = take?.body ?? newTake(cell('setup'), setups, setupId, words, now);
      const body = fill(start, columns, cells, words);
      const changes = changesOf(take ? start : null, body, words);
      if (!take) return { row, label, what: 'new', changes, body };
      return changes.length === 0 ? { row, label, what: 'same' } : { row, label, what: 'change', take, changes, body: touched(start, changed(start, body)) };
    } catch (e) {
      if (!(e instanceof CoreError)) throw e;
      return { row, label, what: 'problem', why: e.message };
    }
  });
}

function newTake(named: string, setups: readonly Setup[], setupId: string | null, words: TakeWords, now: string): TakeBody {
  const setup = named === '' ? setups.find((s) => s.id === setupId) : setups.find((s) => s.body.name.toLowerCase() === named.toLowerCase() || s.body.scene.toLowerCase() === named.toLowerCase());
  if (!setup) throw new CoreError('INVALID_OPTION', named === '' ? 'Say which setup new takes belong to' : `There is no setup "${named}"`, 'setup');
  const pack = words.packages[0];
  if (!pack) throw new CoreError('INVALID_OPTION', 'A take needs a package: put one together in Kit first', 'packageId');
  return blankTake(setup.id, setup.body.scene, pack, now);
}

/** Package first: a focal length that the row does not name is its package's. Frame rate before timecode, which is read by it. */
const FIRST: readonly TakeFieldKey[] = ['packageId', 'fps'];
function fill(start: TakeBody, columns: readonly Column[], cells: readonly string[], words: TakeWords): TakeBody {
  const fields = columns.flatMap((c, i): { field: TakeField; text: string }[] =>
    c && c !== 'setup' && (cells[i] ?? '').trim() !== '' && !(c === 'camera' && cells[i].trim() === cameraFor(start, words)) ? [{ field: takeField(c)!, text: cells[i] }] : [],
  );
  const rank = (f: TakeField) => (FIRST.includes(f.key) ? FIRST.indexOf(f.key) : FIRST.length);
  return [...fields]
    .sort((a, b) => rank(a.field) - rank(b.field))
    .reduce((body, { field, text }) => {
      try {
        return { ...body, ...field.read(text, body, words) };
      } catch (e) {
        if (!(e instanceof CoreError)) throw e;
        throw new CoreError(e.code, `${field.title}: ${e.message}`, field.key);
      }
    }, start);
}

const changed = (before: TakeBody, after: TakeBody): Partial<TakeBody> =>
  Object.fromEntries(Object.entries(after).filter(([key, value]) => key !== 'carried' && !equal(before[key as keyof TakeBody], value))) as Partial<TakeBody>;

function changesOf(before: TakeBody | null, after: TakeBody, words: TakeWords): ImportChange[] {
  return TAKE_FIELDS.flatMap((f): ImportChange[] => {
    const [was, is] = [before ? f.text(before, words) : '', f.text(after, words)];
    return was === is ? [] : [{ title: f.title, before: was, after: is }];
  });
}

export interface PasteResult {
  lines: { take: Take; body: TakeBody; changes: ImportChange[] }[];
  /** cells that could not be read, with their place */
  problems: { row: number; field: string; why: string }[];
}

/** Cells laid over takes and fields from one corner on, as a spreadsheet pastes; one cell is laid over the whole selection by its caller. */
export function pasteCells(cells: readonly (readonly string[])[], takes: readonly Take[], fields: readonly TakeField[], words: TakeWords): PasteResult {
  const problems: PasteResult['problems'] = [];
  const lines = cells.slice(0, takes.length).flatMap((line, row): PasteResult['lines'] => {
    const take = takes[row];
    let body = take.body;
    line.slice(0, fields.length).forEach((text, col) => {
      const field = fields[col];
      if (text.trim() === field.text(body, words)) return;
      try {
        body = { ...body, ...field.read(text, body, words) };
      } catch (e) {
        if (!(e instanceof CoreError)) throw e;
        problems.push({ row, field: field.title, why: e.message });
      }
    });
    const changes = changesOf(take.body, body, words);
    return changes.length === 0 ? [] : [{ take, changes, body: touched(take.body, changed(take.body, body)) }];
  });
  return { lines, problems };
}
