import type { MoveKind } from '@mesure/core';
import { newPlan, usualMove } from './planned-setup';
import type { DayBody, PlanBody, SetBody, SetupBody, Slating, StoredRecord, TakeBody } from './records';

type Day = Pick<StoredRecord<'day'>, 'id' | 'body'>;
type Setup = Pick<StoredRecord<'setup'>, 'id' | 'body'>;
type Take = Pick<StoredRecord<'take'>, 'id' | 'body'>;

const unitOf = (d: Pick<DayBody, 'unit'>): 'main' | 'second' => d.unit ?? 'main';
/** By date, the main unit first. */
export const daysInOrder = <D extends Day>(days: readonly D[]): D[] =>
  [...days].sort((a, b) => a.body.date.localeCompare(b.body.date) || unitOf(a.body).localeCompare(unitOf(b.body)) || a.body.name.localeCompare(b.body.name, 'en', { numeric: true }));

const calendars = new Map<string, Intl.DateTimeFormat>();
/** Made once for each zone: making one costs more than all that is asked of it. */
function calendar(timeZone: string | null): Intl.DateTimeFormat {
  const known = calendars.get(timeZone ?? '');
  if (known) return known;
  const made = new Intl.DateTimeFormat('en-CA', { year: 'numeric', month: '2-digit', day: '2-digit', ...(timeZone ? { timeZone } : {}) });
  calendars.set(timeZone ?? '', made);
  return made;
}

/** The calendar date at a place; a set in another zone than the phone's clock still has one today. */
export function dateIn(timeZone: string | null, now: Date): string {
  const parts = calendar(timeZone).formatToParts(now);
  const of = (type: string) => parts.find((p) => p.type === type)!.value;
  return `${of('year')}-${of('month')}-${of('day')}`;
}

/** The day that opens by itself: today's; else the last one before; else the first one to come. */
export function dayOfToday<D extends Day>(days: readonly D[], today: string): D | null {
  const all = daysInOrder(days);
  return all.find((d) => d.body.date === today) ?? [...all].reverse().find((d) => d.body.date < today) ?? all[0] ?? null;
}

/** How long after midnight what was begun in the evening may go on. */
const NIGHT_MS = 6 * 3_600_000;
/** The date of the evening before, until six in the morning: what somebody chose holds through the night. */
export const eveningDateIn = (timeZone: string | null, now: Date): string => dateIn(timeZone, new Date(now.getTime() - NIGHT_MS));

/** The day that opens by itself now. A day that nobody has closed goes on past midnight, until six: a night's takes are those of one day. */
export function dayOfNow<D extends Day>(days: readonly D[], timeZone: string | null, now: Date): D | null {
  const [date, evening] = [dateIn(timeZone, now), eveningDateIn(timeZone, now)];
  const goesOn = evening === date ? undefined : daysInOrder(days).find((d) => d.body.date === evening && !d.body.closed);
  return goesOn ?? dayOfToday(days, date);
}

export const nextDate = (date: string, days = 1): string => new Date(Date.parse(`${date}T00:00:00Z`) + days * 86_400_000).toISOString().slice(0, 10);

/** The next day of a unit: counted up, on the first free date from today on. */
export function nextDay(days: readonly Day[], today: string, unit: 'main' | 'second' = 'main'): DayBody {
  const mine = days.filter((d) => unitOf(d.body) === unit);
  const numbers = mine.map((d) => Number(/(\d+)(?!.*\d)/.exec(d.body.name)?.[1] ?? 0));
  const taken = new Set(mine.map((d) => d.body.date));
  const last = mine
    .map((d) => d.body.date)
    .sort()
    .at(-1);
  let date = last && last >= today ? nextDate(last) : today;
  while (taken.has(date)) date = nextDate(date);
  return { name: `${unit === 'second' ? '2nd unit day' : 'Day'} ${Math.max(0, ...numbers) + 1}`, date, unit, closed: null };
}

/** Letters of slates: I and O are left out, since they read as 1 and 0. */
const LETTERS = [...'ABCDEFGHJKLMNPQRSTUVWXYZ'];
/** '' → A, A → B, H → J, Z → AA */
export function nextLetters(letters: string): string {
  if (letters === '') return LETTERS[0];
  const at = LETTERS.indexOf(letters[letters.length - 1]);
  if (at === LETTERS.length - 1) return `${nextLetters(letters.slice(0, -1))}${LETTERS[0]}`;
  return `${letters.slice(0, -1)}${LETTERS[at < 0 ? 0 : at + 1]}`;
}
const rank = (letters: string): number => [...letters].reduce((n, l) => n * 32 + LETTERS.indexOf(l) + 1, 0);

/**
 * What the slate of a scene's next setup says. By scene: the scene alone, then with a letter (41, 41A, 41B). Running: one more than the
 * highest number that any slate of the film has.
 */
export function nextSlate(slating: Slating, scene: string, slates: readonly string[]): string {
  const all = slates.map((s) => s.trim().toUpperCase());
  if (slating === 'running') return String(Math.max(0, ...all.map((s) => Number(/^\d+$/.test(s) ? s : 0))) + 1);
  const own = scene.trim().toUpperCase();
  const letters = all
    .filter((s) => s.startsWith(own))
    .map((s) => s.slice(own.length))
    .filter((l) => [...l].every((c) => LETTERS.includes(c)));
  if (letters.length === 0) return scene.trim();
  return `${scene.trim()}${nextLetters([...letters].sort((a, b) => rank(a) - rank(b)).at(-1)!)}`;
}

/** Every slate that the film has used or planned. */
export const slatesOf = (setups: readonly Setup[], takes: readonly Take[]): string[] => [...setups.map((s) => s.body.slate ?? s.body.scene), ...takes.map((t) => t.body.slate)];

/** Another take with the same slate, number and camera; null when there is none. Of one film: a slate is written once. */
export function sameSlate<T extends Take>(take: TakeBody, id: string | null, takes: readonly T[]): T | null {
  const slate = take.slate.trim().toUpperCase();
  return takes.find((t) => t.body.take === take.take && t.body.packageId === take.packageId && t.id !== id && t.body.slate.trim().toUpperCase() === slate) ?? null;
}

export const KIND_WORDS: Record<MoveKind, string> = {
  still: 'lock-off',
  pan: 'tripod pan',
  dolly: 'dolly',
  crane: 'crane',
  handheld: 'handheld',
  vehicle: 'on a vehicle',
  zoom: 'zoom',
  object: 'object before a still camera',
  'stills walk': 'stills walk',
};

export interface SetupOrder {
  dayId: string;
  setId: string;
  scene: string;
  slate: string;
  name: string;
  description?: string;
  kind: MoveKind;
  /** null: no camera is mounted yet; the plan waits for one */
  pack: { id: string; focalMm: number } | null;
  order: number;
}

/** A setup and its plan as they usually begin. */
export function newSetup(order: SetupOrder, id: string, set: SetBody): { setup: SetupBody; plan: PlanBody | null } {
  const setup: SetupBody = {
    dayId: order.dayId,
    setId: order.setId,
    name: order.name,
    scene: order.scene,
    slate: order.slate === order.scene ? null : order.slate,
    ...(order.description ? { description: order.description } : {}),
    order: order.order,
    levelMarks: [],
    originMark: null,
    headingMarks: null,
  };
  if (!order.pack) return { setup, plan: null };
  const plan = newPlan(id, order.pack.id, order.pack.focalMm, set);
  const mover = (set.pieces ?? []).find((p) => p.moves)?.id ?? null;
  return { setup, plan: { ...plan, move: usualMove(order.kind, plan.move.stations[0], mover) } };
}

/** The place behind the last setup of a day. */
export const lastOrder = (setups: readonly Setup[], dayId: string): number => Math.max(0, ...setups.filter((s) => s.body.dayId === dayId).map((s) => s.body.order)) + 1;

/** Orders that put one setup of a day one place up or down; only what changes. */
export function reordered(setups: readonly Setup[], id: string, to: number): { id: string; order: number }[] {
  const all = [...setups].sort((a, b) => a.body.order - b.body.order);
  const from = all.findIndex((s) => s.id === id);
  if (from < 0) return [];
  const [moved] = all.splice(from, 1);
  all.splice(Math.max(0, Math.min(all.length, to)), 0, moved);
  return all.flatMap((s, i) => (s.body.order === i + 1 ? [] : [{ id: s.id, order: i + 1 }]));
}

/** Takes that move to another setup: each with its next free number there, in the order in which they were logged. */
export function movedTakes(takes: readonly Take[], to: Setup, all: readonly Take[], renumber: boolean): { id: string; slate: string; take: number }[] {
  const slate = to.body.slate ?? to.body.scene;
  const ids = new Set(takes.map((t) => t.id));
  let next = Math.max(0, ...all.filter((t) => !ids.has(t.id) && t.body.setupId === to.id && t.body.slate === slate).map((t) => t.body.take)) + 1;
  return [...takes]
    .sort((a, b) => a.body.loggedAt.localeCompare(b.body.loggedAt))
    .map((t) => {
      if (!renumber) return { id: t.id, slate: t.body.slate, take: t.body.take };
      next += 1;
      return { id: t.id, slate, take: next - 1 };
    });
}
