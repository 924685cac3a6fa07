import { countOf, nextClipName } from '@mesure/core';
import type { FloorBody, FactBody, LightShotBody, PlanBody, RigBody, SetBody, SetupBody, StoredRecord, TakeBody, TieBody } from './records';
import { stationsTaken, walkOf } from './stills';
import { takeField, TAKE_FIELDS, USUAL_FIELDS, type TakeFieldKey } from './take-fields';

/** Does the take say anything in this field? */
export const noted = (take: TakeBody, key: TakeFieldKey): boolean => {
  const v = take[key];
  return v !== null && v !== undefined && v !== '' && !(Array.isArray(v) && v.length === 0);
};

type Take = Pick<StoredRecord<'take'>, 'id' | 'body'>;

const NONE: readonly never[] = [];
/** Sorted out once for each list and not once for each setup that asks: a film has thousands of takes, a board dozens of setups. */
const bySetups = new WeakMap<readonly Take[], ReadonlyMap<string, { list: Take[]; sorted: boolean }>>();
const earlier = (a: Take, b: Take): number => (a.body.loggedAt < b.body.loggedAt ? -1 : a.body.loggedAt > b.body.loggedAt ? 1 : a.body.take - b.body.take);

/** Takes of one setup in the order in which they were logged. The list that is given must not be changed in place afterwards. */
export function takesOf<T extends Take>(setupId: string, takes: readonly T[]): readonly T[] {
  let of = bySetups.get(takes);
  if (!of) {
    const made = new Map<string, { list: Take[]; sorted: boolean }>();
    for (const t of takes) {
      const there = made.get(t.body.setupId);
      if (there) there.list.push(t);
      else made.set(t.body.setupId, { list: [t], sorted: false });
    }
    of = made;
    bySetups.set(takes, made);
  }
  const mine = of.get(setupId);
  if (!mine) return NONE;
  // most setups are of other days, and nobody asks for them
  if (!mine.sorted) mine.list.sort(earlier);
  mine.sorted = true;
  return mine.list as T[];
}

/** The letter on the slate: the take's own, or the package's without its number. */
export const cameraOf = (take: TakeBody, packageCamera: string): string => take.camera ?? packageCamera.replace(/\d+$/, '');

/** A first take of which nothing is known but its camera. */
export const blankTake = (setupId: string, slate: string, pack: { id: string; focalMm: number }, now: string): TakeBody => ({
  setupId,
  slate,
  take: 1,
  packageId: pack.id,
  focalMm: pack.focalMm,
  focusM: null,
  height: null,
  heightFrame: 1,
  circled: false,
  notes: '',
  tracks: null,
  loggedAt: now,
  carried: [],
});

export interface NextTakeInput {
  setup: { id: string; body: SetupBody };
  takes: readonly Take[];
  packages: readonly { id: string; body: { camera: string; focalMm: number; until?: string | null } }[];
  floor: FloorBody | null;
  now: string;
}

/** What is on a camera now: the package itself, or the one that went onto its camera after it; the first of all where none is asked for. */
export function mountedNow<P extends { id: string; body: { camera: string; until?: string | null } }>(packages: readonly P[], id: string | null): P | undefined {
  const asked = packages.find((p) => p.id === id);
  const now = packages.filter((p) => !p.body.until);
  if (asked && !asked.body.until) return asked;
  return (asked && now.find((p) => p.body.camera === asked.body.camera)) ?? asked ?? now[0] ?? packages[0];
}

/**
 * What the next take of a setup starts from: counted up, with everything that rarely changes carried over and marked as such, and the clip
 * counted up by its camera's pattern. Null while no package is there to carry it.
 */
export function nextTake({ setup, takes, packages, floor, now }: NextTakeInput): TakeBody | null {
  const mine = takesOf(setup.id, takes);
  const last = mine[mine.length - 1]?.body;
  const pack = mountedNow(packages, last?.packageId ?? null);
  if (!pack) return null;
  const fresh: TakeBody = {
    ...blankTake(setup.id, last?.slate ?? setup.body.slate ?? setup.body.scene, { id: pack.id, focalMm: last?.focalMm ?? pack.body.focalMm }, now),
    take: last ? Math.max(...mine.filter((t) => t.body.slate === last.slate).map((t) => t.body.take)) + 1 : 1,
  };
  const carried = TAKE_FIELDS.filter((f) => f.carries && f.key !== 'slate' && (last ? noted(last, f.key) : f.key === 'packageId' || f.key === 'focalMm')).map((f) => f.key);
  // something else is on the camera since: it is that, at its own focal length
  const swapped = last && pack.id !== last.packageId ? { packageId: pack.id, focalMm: pack.body.focalMm, focalEndMm: null } : {};
  const over = last ? { ...Object.fromEntries(carried.map((key) => [key, last[key]])), ...swapped } : {};
  const next: TakeBody = { ...fresh, ...over, carried };
  const clip = clipOf(next, pack.body.camera, takes, floor);
  const witnesses = last?.witnesses?.map((w) => ({ ...w, clip: clipOf(next, packages.find((p) => p.id === w.packageId)?.body.camera ?? '', takes, floor) ?? '' }));
  return { ...next, ...(clip ? { clip, carried: [...carried, 'clip'] } : {}), ...(witnesses?.length ? { witnesses } : {}) };
}

/** The next clip of a camera, where its production has said how its clips are named. */
export function clipOf(take: TakeBody, packageCamera: string, takes: readonly Take[], floor: FloorBody | null): string | null {
  const letter = packageCamera.replace(/\d+$/, '');
  const pattern = floor?.clips.find((c) => c.camera === packageCamera)?.pattern ?? floor?.clips.find((c) => c.camera === letter)?.pattern;
  if (!pattern) return null;
  const taken = takes.flatMap((t) => [...(t.body.clip ? [t.body.clip] : []), ...(t.body.witnesses ?? []).map((w) => w.clip)]);
  return nextClipName(pattern, { camera: letter, slate: take.slate, take: take.take }, taken);
}

export interface Lack {
  /** the field that fills it, where it is one */
  field: TakeFieldKey | 'witnesses' | null;
  what: string;
}
/** A camera that rises or sinks by less than this between its first and last station is measured once. */
const LEVEL_MOVE_M = 0.02;

/** What a take still lacks: always height and focus, and what its plan and its production want. */
export function takeLacks(take: TakeBody, plan: PlanBody | null = null, floor: FloorBody | null = null): Lack[] {
  const shown: readonly string[] = floor?.shown ?? [];
  const stations = plan?.move.stations ?? [];
  const rises = stations.length > 1 && Math.abs(stations[stations.length - 1].heightM - stations[0].heightM) > LEVEL_MOVE_M;
  const zooms = take.focalEndMm !== null && take.focalEndMm !== undefined && take.focalEndMm !== take.focalMm;
  const wants: [TakeFieldKey, boolean][] = [
    ['height', true],
    ['focusM', true],
    ['heightEnd', rises],
    ['focalEndMm', stations.some((s) => s.focalMm !== stations[0].focalMm)],
    ['zoomFrom', zooms && !take.focalByFrame?.length],
    ['zoomTo', zooms && !take.focalByFrame?.length],
    ['timecodeIn', plan?.sync.includes('timecode') === true],
    ['distance', (plan?.move.objectId ?? null) !== null],
    ['clip', shown.includes('clip')],
    ['stabiliser', shown.includes('stabiliser')],
  ];
  const named = (key: TakeFieldKey) => LACK_WORDS[key] ?? takeField(key)!.title.toLowerCase();
  const fields = wants
    .filter(([, wanted]) => wanted)
    .flatMap(([key]): Lack[] => {
      if (!noted(take, key)) return [{ field: key, what: named(key) }];
      // carried over is not measured, and a counted name is a guess, until somebody says so
      return CONFIRMED.has(key) && take.carried.includes(key) ? [{ field: key, what: `${named(key)}, carried over` }] : [];
    });
  const clips = (plan?.witnesses ?? []).filter((w) => !take.witnesses?.some((t) => t.packageId === w.packageId && t.clip !== ''));
  return [...fields, ...(clips.length > 0 ? [{ field: 'witnesses' as const, what: clips.length === 1 ? 'clip of the witness camera' : `clips of ${clips.length} witness cameras` }] : [])];
}
/** What differs from take to take whether or not somebody looked. */
const CONFIRMED = new Set<TakeFieldKey>(['height', 'heightEnd', 'clip']);
const LACK_WORDS: Partial<Record<TakeFieldKey, string>> = {
  zoomFrom: 'frame at which the zoom begins',
  zoomTo: 'frame at which the zoom ends',
  timecodeIn: 'timecode',
  distance: 'distance to the moving object',
  clip: 'clip name',
};

export type SetupLackKind = 'cautions' | 'takes' | 'marks' | 'ties' | 'stills' | 'witness' | 'light' | 'fields';
export interface SetupLack {
  kind: SetupLackKind;
  what: string;
  /** the take to go to, of missing fields */
  takeId?: string;
}

export interface SetupInput {
  setup: { id: string; body: SetupBody };
  set: SetBody | null;
  plan: PlanBody | null;
  takes: readonly Take[];
  ties: readonly TieBody[];
  facts: readonly FactBody[];
  rigs: readonly RigBody[];
  floor: FloorBody | null;
  cameraName: (packageId: string) => string;
  /** light references that were shot for the setup */
  lightShots?: readonly LightShotBody[];
  /** pictures of the setup's walk, here or on their way */
  stills?: readonly { station: number }[];
  /** what the plan warns of and nobody has taken note of, worst first */
  cautions?: readonly string[];
}

const listed = (names: readonly string[]): string => (names.length <= 3 ? names.join(', ') : `${names.slice(0, 3).join(', ')} and ${names.length - 3} more`);

/** What is still to be done for a setup while it stands: short, in the order in which it can still be done. */
export function setupLacks({ setup, set, plan, takes, ties, facts, rigs, floor, cameraName, cautions = [], lightShots = [], stills = [] }: SetupInput): SetupLack[] {
  const lacks: SetupLack[] = [];
  const add = (kind: SetupLackKind, what: string, takeId?: string) => lacks.push({ kind, what, ...(takeId ? { takeId } : {}) });
  const unplaced = (set?.sheet ?? []).filter((m) => !m.placed).map((m) => m.id);
  if (unplaced.length > 0) add('marks', `place ${countOf(unplaced.length, 'marker', 'markers')}: ${listed(unplaced)}`);
  const isMeasured = (a: string, b: string) => ties.some((t) => (t.from === a && t.to === b) || (t.from === b && t.to === a));
  const open = (plan?.measures.ties ?? []).filter((t) => !isMeasured(t.a, t.b));
  if (open.length > 0) add('ties', `measure ${countOf(open.length, 'tie', 'ties')}: ${listed(open.map((t) => `${t.a}–${t.b}`))}`);
  const known = (id: string) => facts.some((f) => f.marks.includes(id)) || ties.filter((t) => t.from === id || t.to === id).length >= 3;
  const unsurveyed = (plan?.measures.surveyed ?? []).filter((s) => !known(s.id)).map((s) => s.id);
  if (unsurveyed.length > 0) add('ties', `survey ${countOf(unsurveyed.length, 'mark', 'marks')}: ${listed(unsurveyed)}`);
  const unrigged = (plan?.witnesses ?? []).filter((w) => !w.placement && !rigs.some((r) => r.packageId === w.packageId));
  if (unrigged.length > 0) add('witness', `say where ${listed(unrigged.map((w) => `${cameraName(w.packageId)}-cam`))} stands`);
  const walk = walkOf(plan);
  const toShoot = walk ? walk.stations.length - stationsTaken(walk, stills).length : 0;
  if (toShoot > 0) add('stills', `${countOf(toShoot, 'still', 'stills')} of the walk`);
  const light = plan?.lightPlanned ? lightLacks(plan, lightShots) : [];
  if (light.length > 0) add('light', `light reference: ${listed(light)}`);
  if (cautions.length > 0) add('cautions', `${countOf(cautions.length, 'caution of the plan', 'cautions of the plan')}: ${cautions[0]}`);
  const mine = takesOf(setup.id, takes);
  if (mine.length === 0) add('takes', 'no take yet');
  const gaps = mine.map((t) => ({ t, lacks: takeLacks(t.body, plan, floor) })).filter((g) => g.lacks.length > 0);
  for (const { t, lacks: fields } of gaps.slice(-3).reverse()) add('fields', `${t.body.slate} take ${t.body.take}: ${fields.map((f) => f.what).join(', ')}`, t.id);
  if (gaps.length > 3) add('fields', `fields of ${countOf(gaps.length - 3, 'more take', 'more takes')}`, gaps[gaps.length - 4].t.id);
  return lacks;
}

/** What a planned light reference still lacks: both balls, and a panorama at each place. */
export function lightLacks(plan: PlanBody, shots: readonly LightShotBody[]): string[] {
  const has = (what: LightShotBody['what'], place: number | null) => shots.some((s) => s.what === what && s.place === place);
  const balls = (['grey ball', 'mirror ball'] as const).filter((b) => !has(b, null));
  const places = plan.panoramas ?? [];
  const panoramas = places.length === 0 ? (has('panorama', null) ? [] : ['panorama']) : places.flatMap((_, i) => (has('panorama', i) ? [] : [`panorama ${i + 1}`]));
  return [...balls, ...panoramas];
}

/** The setup that is being shot: that of the last take; before any, the first of the day. */
export function runningSetup<S extends { id: string; body: SetupBody }>(setups: readonly S[], takes: readonly Take[]): S | null {
  const last = takes.filter((t) => setups.some((s) => s.id === t.body.setupId)).reduce<Take | null>((latest, t) => (!latest || t.body.loggedAt > latest.body.loggedAt ? t : latest), null);
  return setups.find((s) => s.id === last?.body.setupId) ?? [...setups].sort((a, b) => a.body.order - b.body.order)[0] ?? null;
}

/** How a witness camera was mounted at a moment; null before anybody said. */
export const rigAt = <R extends { body: RigBody }>(rigs: readonly R[], setupId: string, packageId: string, when: string): R | null =>
  rigs.filter((r) => r.body.setupId === setupId && r.body.packageId === packageId && r.body.since <= when).sort((a, b) => (a.body.since < b.body.since ? 1 : -1))[0] ?? null;

/** The fields that a production notes. */
export const shownFields = (floor: FloorBody | null): readonly string[] => floor?.shown ?? USUAL_FIELDS;
