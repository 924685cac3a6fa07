import { pictureRemarks, stationNames, STILLS_OVERLAP, walkNeighbours, type Exposure, type PictureNotes, type StillRemark, type WalkPicture } from '@mesure/core';
import { mountPackage, type Lookup } from './recorded-setup';
import type { PlanBody, StillBody, StillsPlan } from './records';

/** A picture of a walk, whether it has arrived or waits on this device. */
export type WalkStill = Pick<StillBody, 'station' | 'notes' | 'look' | 'givenAt'>;

/** Of each station the picture that counts: the one given last. */
export function countedStills<S extends WalkStill>(stills: readonly S[]): S[] {
  const latest = new Map<number, S>();
  for (const s of [...stills].sort((a, b) => (a.givenAt < b.givenAt ? -1 : 1))) latest.set(s.station, s);
  return [...latest.values()].sort((a, b) => a.station - b.station);
}

/** Stations of which there is a picture, or that somebody ticked off by hand. */
export const stationsTaken = (walk: StillsPlan, stills: readonly Pick<WalkStill, 'station'>[]): number[] =>
  [...new Set([...walk.taken, ...stills.map((s) => s.station)])].filter((i) => i < walk.stations.length).sort((a, b) => a - b);

/** The stations that pictures chosen together belong to: the open ones from where the walker stands, round once. */
export function stationsFor(walk: StillsPlan, stills: readonly Pick<WalkStill, 'station'>[], from: number, count: number): number[] {
  const taken = new Set(stationsTaken(walk, stills));
  const n = walk.stations.length;
  const inOrder = Array.from({ length: n }, (_, i) => (from + i) % n);
  // the one that was asked for is meant, even when it has a picture
  return inOrder.filter((i) => i === from || !taken.has(i)).slice(0, count);
}

/** What `checkWalk` is asked of a walk and its pictures. */
export interface WalkQuestion {
  pictures: WalkPicture[];
  neighbours: [number, number][];
  planned: number;
  names: string[];
}
export const walkQuestion = (walk: StillsPlan, stills: readonly WalkStill[]): WalkQuestion => ({
  pictures: countedStills(stills)
    .filter((s) => s.station < walk.stations.length)
    .map(({ station, look, notes }) => ({ station, look, notes })),
  neighbours: walkNeighbours(walk.way, walk.stations),
  planned: walk.overlap ?? STILLS_OVERLAP,
  names: stationNames(walk.stations),
});

/** Where the files of a walk contradict its package. */
export function stillRemarks(walk: StillsPlan, stills: readonly WalkStill[], find: Lookup): StillRemark[] {
  const pack = find('package', walk.packageId)?.body;
  const mounted = pack ? mountPackage(pack, find) : null;
  if (!pack || !mounted || 'missing' in mounted) return [];
  const { mode, body } = mounted;
  const recorded = {
    widthPx: mode.widthPx,
    heightPx: mode.heightPx,
    sensorWidthMm: mode.sensorWidthMm,
    sensorHeightMm: mode.sensorHeightMm,
    focalMm: pack.focalMm,
    focusM: null,
    body: body.name,
    of: 'package',
  };
  return countedStills(stills).flatMap(({ station, notes }) =>
    notes ? ofItsOwn(pictureRemarks(notes, recorded)).map(({ field, message }) => ({ station, what: REMARK_OF[field] ?? ('size' as const), message })) : [],
  );
}
/** What another camera has of its own contradicts nothing; that it is another one is said, and once. */
const ofItsOwn = (remarks: ReturnType<typeof pictureRemarks>): ReturnType<typeof pictureRemarks> => {
  const other = remarks.find((r) => r.field === 'body');
  return other ? [other, ...remarks.filter((r) => r.field === 'crop')] : remarks;
};
const REMARK_OF: Partial<Record<ReturnType<typeof pictureRemarks>[number]['field'], StillRemark['what']>> = { focal: 'focal', focus: 'focal' };

/** The exposure that a file tells, whole or not at all. */
export const exposureOf = (notes: PictureNotes | null): Exposure | null =>
  notes?.exposureS && notes.fNumber && notes.iso ? { seconds: notes.exposureS, fNumber: notes.fNumber, iso: notes.iso } : null;

export const walkOf = (plan: PlanBody | null): StillsPlan | null => (plan?.stills && plan.stills.stations.length > 0 ? plan.stills : null);
