import {
  CoreError,
  formatShutter,
  formatTimecode,
  mustReadLength,
  parseAngle,
  parseShutter,
  parseTimecode,
  STABILISER,
  USUAL_SIGMA,
  type LengthQuantity,
  type LengthUnit,
  formatFocus,
} from '@mesure/core';
import equal from 'fast-deep-equal';
import type { AngleReading, HeightPlace, HeightReading, MeasuredLength, TakeBody } from './records';

export const TAKE_FIELD_GROUPS = ['Slate', 'Lens', 'Exposure', 'Camera', 'Shot'] as const;
export type TakeFieldKey = Exclude<keyof TakeBody, 'setupId' | 'heightFrame' | 'focalByFrame' | 'witnesses' | 'pictures' | 'tracks' | 'tracksCounted' | 'loggedAt' | 'carried'>;

/** What text of a take refers to beside the take itself. */
export interface TakeWords {
  unit: LengthUnit;
  /** packages of the production, by the name on the slate */
  packages: readonly { id: string; camera: string; focalMm: number; fps: number; offsetsM?: Partial<Record<HeightPlace, number>> }[];
}

/**
 * One field of a take, for every place that shows or takes it as text: the form, the table, files, history and bulk correction. `read`
 * refuses what it cannot read (CoreError) and gives the change; an empty text takes a value back where a take can be without it.
 */
export interface TakeField {
  key: TakeFieldKey;
  title: string;
  group: (typeof TAKE_FIELD_GROUPS)[number];
  unit?: string;
  /** goes over to the next take of the setup */
  carries: boolean;
  /** a take is nothing without it: it cannot be left out of the form */
  always: boolean;
  choices?: readonly string[];
  text(take: TakeBody, words: TakeWords): string;
  read(text: string, take: TakeBody, words: TakeWords): Partial<TakeBody>;
}

/** From where on the camera up to the entrance pupil, where nobody measured it on this build. */
export const USUAL_OFFSETS_M: Record<HeightPlace, number> = { 'lens axis': 0, 'body base': 0.06, 'dolly head': 0.18 };
export const offsetOf = (take: TakeBody, place: HeightPlace, words: TakeWords): number => words.packages.find((p) => p.id === take.packageId)?.offsetsM?.[place] ?? USUAL_OFFSETS_M[place];

/** What a tape, and what an inclinometer, is taken to be worth until somebody says otherwise. */
export const USUAL_TOLERANCE = { heightM: 2 * USUAL_SIGMA.heightM, distanceM: 2 * USUAL_SIGMA.distanceM, angleRad: 2 * USUAL_SIGMA.angleRad } as const;

const fail = (message: string): never => {
  throw new CoreError('UNREADABLE_INPUT', message);
};
const short = (n: number, digits = 3): string => String(Number(n.toFixed(digits)));
const fpsOf = (take: TakeBody, words: TakeWords): number => take.fps ?? words.packages.find((p) => p.id === take.packageId)?.fps ?? 24;

function number(text: string, name: string, min: number, max: number, whole = false): number {
  const t = text.trim().replace(',', '.');
  const n = /^-?\d*\.?\d+$/.test(t) ? Number(t) : Number.NaN;
  if (!(n >= min && n <= max) || (whole && !Number.isInteger(n))) fail(`${name} must be a ${whole ? 'whole ' : ''}number from ${min} to ${max}`);
  return n;
}

/**
 * A length in the form in which it was typed, with its unit, as a record keeps it. What makes sense in two ways, or is far from what such a
 * length can be, is refused with the readings to choose from; a place that can ask asks first (core's readLength).
 */
export function typedLength(text: string, unit: LengthUnit, quantity: LengthQuantity = 'distance'): Pick<MeasuredLength, 'typed' | 'unit' | 'valueM'> {
  const { typed, unit: read, valueM } = mustReadLength(text, { unit, quantity });
  if (typed.length > 60) fail('The text of a length may have 60 letters');
  return { typed, unit: read, valueM };
}

/** Units and letters that people write beside a number of optics: 32mm, T2.8, f/2.8, ISO 800, 24 fps. */
const bare = (text: string): string =>
  text
    .trim()
    .replace(/^(t|f\s*\/|f|iso|ei)\s*(?=[\d.,])/i, '')
    .replace(/\s*(mm|fps|p|frames\/s|asa)$/i, '');

type Part = Pick<TakeField, 'text' | 'read'> & { choices?: readonly string[] };
type Key<V> = { [K in TakeFieldKey]-?: NonNullable<TakeBody[K]> extends V ? K : never }[TakeFieldKey];

const words = (key: Key<string>, name: string, max: number, need = false): Part => ({
  text: (t) => t[key] ?? '',
  read(text) {
    const value = text.trim();
    if (value.length > max) fail(`${name} may have ${max} letters`);
    if (value === '' && need) fail(`${name} cannot be empty`);
    return { [key]: value === '' && key !== 'notes' ? null : value };
  },
});
const amount = (key: Key<number>, name: string, min: number, max: number, options: { whole?: boolean; need?: boolean } = {}): Part => ({
  text: (t) => (t[key] === null || t[key] === undefined ? '' : short(t[key])),
  read: (text) => ({ [key]: text.trim() === '' && !options.need ? null : number(bare(text), name, min, max, options.whole) }),
});
const focus = (key: 'focusM' | 'focusEndM'): Part => ({
  text: (t, w) => (t[key] === null || t[key] === undefined ? '' : formatFocus(t[key], w.unit)),
  read: (text, _t, w) => ({ [key]: text.trim() === '' ? null : typedLength(text, w.unit, 'focus distance').valueM }),
});
const height = (key: 'height' | 'heightEnd'): Part => ({
  text: (t) => t[key]?.typed ?? '',
  read(text, t, w) {
    if (text.trim() === '') return { [key]: null };
    const parsed = typedLength(text, w.unit, 'camera height');
    const was = t[key] ?? t.height;
    const takenAt = was?.takenAt ?? 'lens axis';
    const reading: HeightReading = {
      ...parsed,
      toleranceM: was?.toleranceM ?? USUAL_TOLERANCE.heightM,
      takenAt,
      offsetM: was?.offsetM ?? offsetOf(t, takenAt, w),
      ...(was?.instrument ? { instrument: was.instrument } : {}),
    };
    return { [key]: reading };
  },
});
const angle = (key: 'tilt' | 'roll'): Part => ({
  text: (t) => t[key]?.typed ?? '',
  read(text, t) {
    if (text.trim() === '') return { [key]: null };
    const parsed = parseAngle(text);
    if (key === 'tilt' && Math.abs(parsed.valueRad) > Math.PI / 2) fail(`A camera tilts by up to 90°; ${text.trim()} would be over its head`);
    if (parsed.typed.length > 60) fail('The angle may have 60 letters');
    const reading: AngleReading = { typed: parsed.typed, valueRad: parsed.valueRad, toleranceRad: t[key]?.toleranceRad ?? USUAL_TOLERANCE.angleRad };
    return { [key]: reading };
  },
});
const yes = (key: 'circled' | 'asPlanned', need = false): Part => ({
  choices: ['yes', 'no'],
  text: (t) => (t[key] === true ? 'yes' : t[key] === false ? 'no' : ''),
  read(text) {
    const value = text.trim().toLowerCase();
    if (['yes', 'y', 'true', '1', 'x'].includes(value)) return { [key]: true };
    if (['no', 'n', 'false', '0'].includes(value)) return { [key]: false };
    return value === '' ? { [key]: need ? false : null } : fail('Write yes or no');
  },
});
const timecode = (key: 'timecodeIn' | 'timecodeOut'): Part => ({
  text: (t) => t[key] ?? '',
  read: (text, t, w) => ({ [key]: text.trim() === '' ? null : formatTimecode(parseTimecode(text, fpsOf(t, w))) }),
});

const choice = (key: 'stabiliser', choices: readonly string[]): Part => ({
  choices,
  text: (t) => t[key] ?? '',
  read(text) {
    const value = text.trim().toLowerCase();
    if (value !== '' && !choices.includes(value)) fail(`Write one of ${choices.join(', ')}`);
    return { [key]: value === '' ? null : (value as TakeBody['stabiliser']) };
  },
});

const pack: Part = {
  text: (t, w) => w.packages.find((p) => p.id === t.packageId)?.camera ?? '',
  read(text, t, w) {
    const named = w.packages.filter((p) => p.camera.toLowerCase() === text.trim().toLowerCase().replace(/-cam$/, ''));
    // a camera that had other things on it before: the take keeps what it had
    const found = named.find((p) => p.id === t.packageId) ?? named[0];
    return found ? { packageId: found.id } : fail(`There is no package "${text.trim()}"; there are ${w.packages.map((p) => p.camera).join(', ') || 'none'}`);
  },
};
const shutter: Part = {
  text: (t) => (t.shutter ? formatShutter(t.shutter) : ''),
  read: (text) => ({ shutter: text.trim() === '' ? null : parseShutter(text) }),
};
const distance: Part = {
  text: (t) => (t.distance ? `${t.distance.to}: ${t.distance.typed}` : ''),
  read(text, t, w) {
    if (text.trim() === '') return { distance: null };
    const at = text.lastIndexOf(':');
    const to = (at > 0 ? text.slice(0, at) : (t.distance?.to ?? '')).trim();
    if (to === '' || to.length > 60) fail('Say what the distance is to, such as "stove: 3.42 m"');
    return { distance: { to, ...typedLength(text.slice(at + 1), w.unit), toleranceM: t.distance?.toleranceM ?? USUAL_TOLERANCE.distanceM } };
  },
};
const movers: Part = {
  text: (t) => (t.movers ?? []).join(', '),
  read: (text) => ({ movers: [...new Set(text.split(',').map((m) => m.trim()))].filter((m) => m !== '').map((m) => (m.length > 60 ? fail('One moving thing may have 60 letters') : m)) }),
};

const field = (key: TakeFieldKey, title: string, group: TakeField['group'], part: Part, more: { unit?: string; carries?: boolean; always?: boolean } = {}): TakeField => ({
  key,
  title,
  group,
  carries: more.carries ?? false,
  always: more.always ?? false,
  ...(more.unit ? { unit: more.unit } : {}),
  ...part,
});

/** All fields, in the order in which they are asked for. */
export const TAKE_FIELDS: readonly TakeField[] = [
  field('scene', 'Scene', 'Slate', words('scene', 'The scene', 20), { carries: true }),
  field('slate', 'Slate', 'Slate', words('slate', 'The slate', 20, true), { carries: true, always: true }),
  field('take', 'Take', 'Slate', amount('take', 'The take', 1, 999, { whole: true, need: true }), { always: true }),
  field('camera', 'Camera letter', 'Slate', words('camera', 'The camera letter', 8), { carries: true }),
  field('clip', 'Clip name', 'Slate', words('clip', 'The clip name', 80)),
  field('circled', 'Circled', 'Slate', yes('circled', true), { always: true }),
  field('packageId', 'Package', 'Lens', pack, { carries: true, always: true }),
  field('focalMm', 'Focal length', 'Lens', amount('focalMm', 'The focal length', 1, 3000, { need: true }), { unit: 'mm', carries: true, always: true }),
  field('focalEndMm', 'Focal length at the end', 'Lens', amount('focalEndMm', 'The focal length', 1, 3000), { unit: 'mm', carries: true }),
  field('zoomFrom', 'Zoom begins at frame', 'Lens', amount('zoomFrom', 'The frame', 0, 10_000_000, { whole: true })),
  field('zoomTo', 'Zoom ends at frame', 'Lens', amount('zoomTo', 'The frame', 0, 10_000_000, { whole: true })),
  field('focusM', 'Focus distance', 'Lens', focus('focusM'), { carries: true, always: true }),
  field('focusEndM', 'Focus distance at the end', 'Lens', focus('focusEndM'), { carries: true }),
  field('stop', 'T-stop', 'Exposure', amount('stop', 'The stop', 0.5, 64), { carries: true }),
  field('iso', 'ISO', 'Exposure', amount('iso', 'The ISO', 25, 1_000_000), { carries: true }),
  field('shutter', 'Shutter', 'Exposure', shutter, { carries: true }),
  field('fps', 'Frame rate', 'Exposure', amount('fps', 'The frame rate', 1, 2000), { unit: 'frames/s', carries: true }),
  field('filter', 'Filter', 'Exposure', words('filter', 'The filter', 120), { carries: true }),
  field('stabiliser', 'Stabiliser', 'Exposure', choice('stabiliser', STABILISER), { carries: true }),
  field('timecodeIn', 'Timecode in', 'Exposure', timecode('timecodeIn')),
  field('timecodeOut', 'Timecode out', 'Exposure', timecode('timecodeOut')),
  field('height', 'Camera height', 'Camera', height('height'), { carries: true, always: true }),
  field('heightEnd', 'Camera height at the end', 'Camera', height('heightEnd'), { carries: true }),
  field('tilt', 'Tilt', 'Camera', angle('tilt'), { carries: true }),
  field('roll', 'Roll', 'Camera', angle('roll'), { carries: true }),
  field('distance', 'Distance to', 'Camera', distance, { carries: true }),
  field('asPlanned', 'Move as planned', 'Shot', yes('asPlanned')),
  field('moveNote', 'What differed', 'Shot', words('moveNote', 'The remark', 500)),
  field('movers', 'Moving things in shot', 'Shot', movers, { carries: true }),
  field('notes', 'Notes', 'Shot', words('notes', 'The notes', 5000), { always: true }),
];

const BY_KEY = new Map(TAKE_FIELDS.map((f) => [f.key as string, f]));
export const takeField = (key: string): TakeField | undefined => BY_KEY.get(key);

/** What a production notes until it chooses: enough for a solve, little enough for one hand. */
export const USUAL_FIELDS: readonly TakeFieldKey[] = ['clip', 'focalEndMm', 'stop', 'shutter', 'stabiliser', 'tilt', 'asPlanned', 'movers'];
export const isShown = (f: TakeField, shown: readonly string[]): boolean => f.always || shown.includes(f.key);

/** Fields with other values than in the take before, other than those that differ by their nature. */
export function differing(take: TakeBody, before: TakeBody): TakeField[] {
  const own: readonly string[] = ['take', 'clip', 'timecodeIn', 'timecodeOut', 'circled', 'notes', 'zoomFrom', 'zoomTo'];
  const value = (t: TakeBody, key: TakeFieldKey) => {
    const v = t[key] ?? null;
    return Array.isArray(v) && v.length === 0 ? null : v;
  };
  return TAKE_FIELDS.filter((f) => !own.includes(f.key) && !equal(value(take, f.key), value(before, f.key)));
}

/** The change with the fields in it no longer carried over. */
export const touched = (take: TakeBody, change: Partial<TakeBody>): TakeBody => ({ ...take, ...change, carried: take.carried.filter((f) => !(f in change)) });
