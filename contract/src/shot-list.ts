import { MOVE_KINDS, type MoveKind } from '@mesure/core';
import { KIND_WORDS, lastOrder, newSetup, nextDay, nextSlate } from './shooting-order';
import type { DayBody, PlanBody, SetBody, SetupBody, Slating, StoredRecord } from './records';

/** What a column of a shot list holds; null: nothing that is wanted. */
export const SHOT_COLUMNS = ['day', 'date', 'unit', 'scene', 'slate', 'set', 'name', 'description', 'lens', 'move', 'camera'] as const;
export type ShotColumn = (typeof SHOT_COLUMNS)[number];
export const SHOT_COLUMN_WORDS: Record<ShotColumn, string> = {
  day: 'shoot day',
  date: 'date',
  unit: 'unit',
  scene: 'scene',
  slate: 'slate',
  set: 'set',
  name: 'name of the setup',
  description: 'description',
  lens: 'lens, mm',
  move: 'kind of move',
  camera: 'camera',
};

const plain = (text: string): string => text.toLowerCase().replace(/[^a-z0-9]/g, '');
const ALIASES: Record<ShotColumn, readonly string[]> = {
  day: ['day', 'shootday', 'shootingday', 'dayno', 'sd'],
  date: ['date', 'shootdate'],
  unit: ['unit'],
  scene: ['scene', 'sc', 'sceneno', 'scenenumber', 'scn'],
  slate: ['slate', 'shot', 'shotno', 'shotnumber', 'setup', 'setupno', 'slateno'],
  set: ['set', 'location', 'setlocation', 'place'],
  name: ['name', 'title', 'shotname', 'setupname'],
  description: ['description', 'desc', 'action', 'notes', 'what'],
  lens: ['lens', 'lensmm', 'focal', 'focallength', 'mm', 'focalmm'],
  move: ['move', 'movement', 'cameramove', 'kind', 'type', 'grip', 'support', 'equipment'],
  camera: ['camera', 'cam'],
};

/** Which column each header is most likely of; each once. Nothing is guessed from the values. */
export function guessShotColumns(header: readonly string[]): (ShotColumn | null)[] {
  const taken = new Set<ShotColumn>();
  return header.map((name) => {
    const found = SHOT_COLUMNS.find((c) => !taken.has(c) && ALIASES[c].includes(plain(name))) ?? null;
    if (found) taken.add(found);
    return found;
  });
}

/** How crews write a move. What is none of these is not guessed. */
const MOVE_WORDS: Partial<Record<MoveKind, readonly string[]>> = {
  still: ['static', 'locked', 'lockedoff', 'lockoff', 'sticks', 'tripod', 'fixed', 'still'],
  pan: ['pan', 'tilt', 'pantilt', 'tripodpan', 'panning'],
  dolly: ['dolly', 'track', 'tracking', 'slider', 'pushin', 'pullout', 'trackin', 'trackout'],
  crane: ['crane', 'jib', 'boom', 'craneup', 'cranedown'],
  handheld: ['handheld', 'hh', 'shoulder', 'gimbal', 'stabilised', 'stabilized'],
  vehicle: ['vehicle', 'car', 'carmount', 'boat', 'trackingvehicle', 'onavehicle'],
  zoom: ['zoom', 'zoomin', 'zoomout'],
};
export const moveOf = (text: string): MoveKind | null =>
  MOVE_KINDS.find((k) => plain(k) === plain(text) || plain(KIND_WORDS[k]) === plain(text)) ?? MOVE_KINDS.find((k) => MOVE_WORDS[k]?.includes(plain(text))) ?? null;

/** "32", "32mm", "24-70 mm": the shortest and longest focal length; null when it says none. */
export function lensOf(text: string): { fromMm: number; toMm: number } | null {
  const m = /^\s*(\d+(?:[.,]\d+)?)\s*(?:mm)?\s*(?:[-–—]\s*(\d+(?:[.,]\d+)?)\s*(?:mm)?)?\s*$/i.exec(text);
  if (!m) return null;
  const of = (t: string) => Number(t.replace(',', '.'));
  const [fromMm, toMm] = [of(m[1]), of(m[2] ?? m[1])];
  return fromMm >= 1 && toMm >= fromMm && toMm <= 3000 ? { fromMm, toMm } : null;
}

const MONTHS = ['jan', 'feb', 'mar', 'apr', 'may', 'jun', 'jul', 'aug', 'sep', 'oct', 'nov', 'dec'];
const iso = (y: number, m: number, d: number): string | null => {
  const date = new Date(Date.UTC(y, m - 1, d));
  return date.getUTCFullYear() === y && date.getUTCMonth() === m - 1 && date.getUTCDate() === d ? date.toISOString().slice(0, 10) : null;
};
/** A date as it is written; a sentence where it can be read in two ways, or in none. */
export function readDate(text: string): string | { problem: string } {
  const t = text.trim();
  const said = (d: string | null) => d ?? { problem: `there is no date ${t}` };
  let m = /^(\d{4})-(\d{1,2})-(\d{1,2})/.exec(t);
  if (m) return said(iso(Number(m[1]), Number(m[2]), Number(m[3])));
  m = /^(\d{1,2})\.\s*(\d{1,2})\.\s*(\d{4})$/.exec(t);
  if (m) return said(iso(Number(m[3]), Number(m[2]), Number(m[1])));
  m = /^(?:[a-z]+,?\s+)?(\d{1,2})\.?\s+([a-z]{3})[a-z]*\.?,?\s+(\d{4})$/i.exec(t);
  if (m && MONTHS.includes(m[2].toLowerCase())) return said(iso(Number(m[3]), MONTHS.indexOf(m[2].toLowerCase()) + 1, Number(m[1])));
  m = /^(\d{1,2})\/(\d{1,2})\/(\d{4})$/.exec(t);
  if (m) {
    const [a, b, y] = [Number(m[1]), Number(m[2]), Number(m[3])];
    if (a > 12 && b <= 12) return said(iso(y, b, a));
    if (b > 12 && a <= 12) return said(iso(y, a, b));
    if (a === b) return said(iso(y, a, b));
    return { problem: `${t} may be ${iso(y, b, a)} or ${iso(y, a, b)}: write it as one of these` };
  }
  return { problem: `${t} is no date that is read; write 2026-04-03` };
}

export interface ShotChange {
  title: string;
  before: string;
  after: string;
}
/** What a row of the list would do. */
export type ShotLine = { row: number; label: string; notes: string[] } & (
  { what: 'new'; changes: ShotChange[] } | { what: 'change'; id: string; changes: ShotChange[] } | { what: 'same' } | { what: 'problem'; why: string }
);
type Order<K extends 'day' | 'set' | 'setup' | 'plan'> = { kind: K; id: string; change: { day: DayBody; set: SetBody; setup: SetupBody | ((now: SetupBody) => SetupBody); plan: PlanBody }[K] };
export type ShotOrder = Order<'day'> | Order<'set'> | Order<'setup'> | Order<'plan'>;

export interface ShotListInput {
  rows: readonly (readonly string[])[];
  columns: readonly (ShotColumn | null)[];
  days: readonly Pick<StoredRecord<'day'>, 'id' | 'body'>[];
  sets: readonly Pick<StoredRecord<'set'>, 'id' | 'body'>[];
  setups: readonly Pick<StoredRecord<'setup'>, 'id' | 'body'>[];
  packages: readonly Pick<StoredRecord<'package'>, 'id' | 'body'>[];
  lensRange: (packageId: string) => { minFocalMm: number; maxFocalMm: number } | null;
  slating: Slating;
  today: string;
  /** the day of rows that name none */
  dayId: string | null;
  newId: () => string;
}

/**
 * A shot list as days, sets, setups and plans. Rows are matched to setups by slate, or, where the list has none, by scene and description;
 * so a later list changes what it made instead of making it again. Nothing is taken from a cell that cannot be read: its row says why.
 */
export function planShotList(input: ShotListInput): { lines: ShotLine[]; orders: ShotOrder[] } {
  const { rows, columns, packages, slating, newId } = input;
  const days = [...input.days];
  const sets = [...input.sets];
  const setups = [...input.setups];
  const orders: ShotOrder[] = [];
  const lines: ShotLine[] = [];
  const seen = new Set<string>();

  rows.forEach((cells, i) => {
    const of = (c: ShotColumn): string => (columns.indexOf(c) < 0 ? '' : (cells[columns.indexOf(c)] ?? '').trim());
    const label = [of('slate') || of('scene'), of('name') || of('description').slice(0, 40)].filter(Boolean).join(' · ') || `row ${i + 2}`;
    const line = { row: i + 2, label, notes: [] as string[] };
    const refuse = (why: string) => void lines.push({ ...line, what: 'problem', why });
    const scene = of('scene') || /^\d+/.exec(of('slate'))?.[0] || of('slate');
    if (scene === '') return refuse('it names neither scene nor slate');
    if (scene.length > 20 || of('slate').length > 20) return refuse('scene or slate is longer than 20 characters');
    const asked = dayOfRow(of('day'), of('date'), of('unit'), days, input);
    if ('problem' in asked) return refuse(asked.problem);
    const day = asked;
    const makeDay = () => {
      if (days.some((d) => d.id === day.id)) return;
      days.push(day);
      orders.push({ kind: 'day', id: day.id, change: day.body });
    };
    const slates = setups.map((s) => s.body.slate ?? s.body.scene);
    const upper = of('slate').toUpperCase();
    const known = upper
      ? setups.find((s) => (s.body.slate ?? s.body.scene).toUpperCase() === upper)
      : setups.find((s) => s.body.scene === scene && (s.body.description ?? '') === of('description') && (of('name') === '' || s.body.name === of('name')) && !seen.has(s.id));
    if (known && seen.has(known.id)) return refuse(`${of('slate')} stands in the list twice`);
    const setName = of('set');
    const set = sets.find((s) => s.body.name.toLowerCase() === setName.toLowerCase()) ?? (setName === '' ? (known ? sets.find((s) => s.id === known.body.setId) : undefined) : undefined);
    const setId = set?.id ?? newId();
    const makeSet = () => {
      if (sets.some((s) => s.id === setId)) return;
      const body = { name: setName || 'Set', marks: [] };
      sets.push({ id: setId, body });
      orders.push({ kind: 'set', id: setId, change: body });
    };
    const told = (key: keyof SetupBody, value: unknown): string =>
      key === 'dayId' ? (days.find((d) => d.id === value)?.body.name ?? '') : key === 'setId' ? (sets.find((s) => s.id === value)?.body.name ?? '') : String(value ?? '');
    const kind = moveOf(of('move'));
    const lens = lensOf(of('lens'));
    if (of('lens') !== '' && !lens) line.notes.push(`lens “${of('lens')}” is no focal length: it stands in the description`);
    if (of('move') !== '' && !kind) line.notes.push(`move “${of('move')}” is none that is known: it stands in the description, and the plan waits`);
    const description = [of('description'), ...(of('lens') !== '' && !lens ? [`Lens: ${of('lens')}`] : []), ...(of('move') !== '' && !kind ? [`Move: ${of('move')}`] : [])].filter(Boolean).join(' · ');

    if (known) {
      seen.add(known.id);
      const next: Partial<SetupBody> = {
        ...(day.id !== known.body.dayId && (of('day') || of('date')) ? { dayId: day.id } : {}),
        ...(of('scene') && of('scene') !== known.body.scene ? { scene } : {}),
        ...(of('name') && of('name') !== known.body.name ? { name: of('name') } : {}),
        ...(columns.includes('description') && description !== (known.body.description ?? '') ? { description } : {}),
        ...(setName && setId !== known.body.setId ? { setId } : {}),
      };
      if (Object.keys(next).length === 0) return void lines.push({ ...line, what: 'same' });
      makeDay();
      makeSet();
      if (next.dayId) next.order = lastOrder(setups, next.dayId);
      const changes = (Object.keys(next) as (keyof SetupBody)[]).filter((k) => k !== 'order').map((k): ShotChange => ({ title: k, before: told(k, known.body[k]), after: told(k, next[k]) }));
      orders.push({ kind: 'setup', id: known.id, change: (now) => ({ ...now, ...next }) });
      setups.splice(setups.indexOf(known), 1, { ...known, body: { ...known.body, ...next } });
      lines.push({ ...line, what: 'change', id: known.id, changes });
      return undefined;
    }
    if (!set && setName === '' && sets.length === 0) {
      line.notes.push('no set is named: it stands on “Set”, which can be renamed');
    }
    makeDay();
    const first = setName === '' && !set ? sets[0] : undefined;
    const itsSet = set ?? first ?? { id: setId, body: { name: setName || 'Set', marks: [] } };
    if (!set && !first) makeSet();
    const slate = of('slate') || nextSlate(slating, scene, slates);
    const pack =
      packages.find(
        (q) =>
          q.body.camera.toUpperCase() ===
          of('camera')
            .replace(/-?cam(era)?$/i, '')
            .trim()
            .toUpperCase(),
      ) ?? packages[0];
    const range = pack ? input.lensRange(pack.id) : null;
    const fits = lens && range ? lens.fromMm >= range.minFocalMm - 0.01 && lens.toMm <= range.maxFocalMm + 0.01 : false;
    if (lens && pack && !fits) line.notes.push(`${of('lens')} is not on ${pack.body.camera}-cam now: the plan begins with what is mounted, at ${pack.body.focalMm} mm`);
    const id = newId();
    const name = of('name') || [itsSet.body.name, kind ? KIND_WORDS[kind] : of('description').slice(0, 60)].filter(Boolean).join(', ');
    const made = newSetup(
      {
        dayId: day.id,
        setId: itsSet.id,
        scene,
        slate,
        name: name.slice(0, 120),
        description,
        kind: kind ?? 'dolly',
        pack: pack && kind ? { id: pack.id, focalMm: lens && fits ? lens.fromMm : pack.body.focalMm } : null,
        order: lastOrder(setups, day.id),
      },
      id,
      itsSet.body,
    );
    orders.push({ kind: 'setup', id, change: made.setup });
    if (made.plan) orders.push({ kind: 'plan', id: newId(), change: made.plan });
    setups.push({ id, body: made.setup });
    seen.add(id);
    lines.push({ ...line, label: `${slate} · ${made.setup.name}`, what: 'new', changes: [{ title: 'day', before: '', after: day.body.name }] });
    return undefined;
  });
  return { lines, orders };
}

/** The day of a row: by its date, else by its name or number, else the one that was chosen; one that is not there is made. */
function dayOfRow(
  name: string,
  dateText: string,
  unitText: string,
  days: readonly Pick<StoredRecord<'day'>, 'id' | 'body'>[],
  input: ShotListInput,
): { id: string; body: DayBody } | { problem: string } {
  const unit = /2|second/i.test(unitText) ? 'second' : 'main';
  const mine = days.filter((d) => (d.body.unit ?? 'main') === unit);
  const date = dateText === '' ? null : readDate(dateText);
  if (date && typeof date !== 'string') return date;
  const number = /(\d+)(?!.*\d)/.exec(name)?.[1];
  const byName = name === '' ? undefined : mine.find((d) => d.body.name.toLowerCase() === name.toLowerCase() || (number !== undefined && /(\d+)(?!.*\d)/.exec(d.body.name)?.[1] === number));
  const byDate = date ? mine.find((d) => d.body.date === date) : undefined;
  if (byName && byDate && byName.id !== byDate.id) return { problem: `${name} is on ${byName.body.date}, and ${date} is ${byDate.body.name}: one of them is wrong` };
  if (byName && date && byName.body.date !== date) return { problem: `${byName.body.name} is on ${byName.body.date} here, and on ${date} in the list: move the day first` };
  const there = byName ?? byDate;
  if (there) return there;
  if (name === '' && !date) {
    const chosen = days.find((d) => d.id === input.dayId) ?? (days.length > input.days.length ? days[days.length - 1] : undefined);
    return chosen ?? { id: input.newId(), body: nextDay(days, input.today) };
  }
  const usual = nextDay(days, input.today, unit);
  return { id: input.newId(), body: { ...usual, ...(date ? { date } : {}), ...(name === '' ? {} : { name: /^\d+$/.test(name) ? `Day ${name}` : name.slice(0, 120) }) } };
}
