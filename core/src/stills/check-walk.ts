import { ZONE_WORDS, type BlurZone } from '../grid';
import { median } from '../math';
import type { PictureNotes } from '../optics';
import { compareStills, type StillPair } from './compare-stills';
import type { StillLook } from './look-at-still';
import type { StillStation } from './plan-stills';
import { unpackFeatures, type StillFeatures } from './still-features';

/** One picture of a walk; null where a device could not look at it, or its file says nothing. */
export interface WalkPicture {
  /** index of the station that it was taken from */
  station: number;
  look: StillLook | null;
  notes: PictureNotes | null;
}

export interface StillRemark {
  station: number;
  what: 'moved' | 'soft' | 'burnt' | 'dark' | 'focal' | 'size' | 'exposure';
  message: string;
}
/** Two neighbouring stations whose pictures do not tie together. */
export interface WalkGap {
  from: number;
  to: number;
  why: 'not taken' | 'little' | 'none' | 'plain' | 'not looked at';
  overlap: number | null;
  message: string;
}
export interface WalkCheck {
  remarks: StillRemark[];
  gaps: WalkGap[];
  /** of each pair of neighbours that both have a picture which was looked at */
  pairs: (StillPair & { from: number; to: number })[];
}

/** Below this share of the planned overlap two pictures are said not to tie. */
const ENOUGH_OF_PLANNED = 0.6;
/** A jump in exposure that a later match of pictures would notice, stops. */
const JUMP_STOPS = 0.5;
const BURNT_SHARE = 0.1;
const LOST_SHARE = 0.3;
/** The same focal length of a walk, as files write it. */
const SAME_FOCAL = 0.01;
/** Spreads below this share of the width are sharp: 2 px of 4000. */
const SHARP_OF_WIDTH = 0.0005;
const SHARP_FLOOR_PX = 1.5;
const SOFT_TIMES = 2;
const MOVED_TIMES = 1.8;

/**
 * Which stations are neighbours, so that their pictures should overlap: one after the other; round a thing the last and the first too; in a
 * room all round on the spot, then along each wall.
 */
export function walkNeighbours(way: 'along' | 'round' | 'room', stations: readonly StillStation[]): [number, number][] {
  const n = stations.filter((s) => !s.between).length;
  const pairs = regularPairs(way, stations.slice(0, n));
  // further ones come after the regular ones, each in the middle of a pair
  stations.forEach((s, k) => {
    const at = s.between ? pairs.findIndex(([a, b]) => a === s.between![0] && b === s.between![1]) : -1;
    if (at >= 0) pairs.splice(at, 1, [pairs[at][0], k], [k, pairs[at][1]]);
  });
  return pairs;
}

/** Neighbours of so many in a row; round a thing the last and the first too. */
export function oneAfterTheOther(count: number, round: boolean): [number, number][] {
  const steps = Array.from({ length: Math.max(0, count - 1) }, (_, i): [number, number] => [i, i + 1]);
  return round && count > 2 ? [...steps, [count - 1, 0]] : steps;
}

function regularPairs(way: 'along' | 'round' | 'room', stations: readonly StillStation[]): [number, number][] {
  const n = stations.length;
  const steps = oneAfterTheOther(n, way === 'round');
  if (way !== 'room') return steps;
  const spot = stations.findIndex((s) => Math.hypot(s.at[0] - stations[0].at[0], s.at[2] - stations[0].at[2]) > 1e-6);
  const round = spot < 0 ? n : spot;
  return [...steps.filter(([a, b]) => b < round || (a >= round && Math.abs(stations[a].headingRad - stations[b].headingRad) < 1e-6)), ...(round > 2 ? ([[round - 1, 0]] as [number, number][]) : [])];
}

/**
 * What a walk's pictures say of themselves and of one another. Where a station has several pictures the last one given counts.
 * @param planned overlap that the walk was laid for, share of the frame
 * @param names of the stations in what is said; else their numbers from 1
 */
export function checkWalk(pictures: readonly WalkPicture[], neighbours: readonly (readonly [number, number])[], planned: number, names: readonly string[] = []): WalkCheck {
  const nameOf = (station: number) => names[station] ?? String(station + 1);
  const at = new Map(pictures.map((p) => [p.station, p]));
  const counted = [...at.values()].sort((a, b) => a.station - b.station);
  const remarks = counted.flatMap((p) => (p.look ? lookRemarks(p.station, p.look) : []));
  remarks.push(...oddOnes(counted));
  const unpacked = new Map<number, StillFeatures>();
  const featuresOf = (p: WalkPicture): StillFeatures => {
    const known = unpacked.get(p.station) ?? unpackFeatures(p.look!.features);
    unpacked.set(p.station, known);
    return known;
  };
  const gaps: WalkGap[] = [];
  const pairs: WalkCheck['pairs'] = [];
  for (const [from, to] of neighbours) {
    const [a, b] = [at.get(from), at.get(to)];
    const between = `${nameOf(from)} and ${nameOf(to)}`;
    if (!a && !b) continue;
    if (!a || !b) {
      const missing = a ? to : from;
      gaps.push({ from, to, why: 'not taken', overlap: null, message: `Station ${nameOf(missing)} is not taken yet, beside ${nameOf(a ? from : to)}.` });
      continue;
    }
    if (!a.look || !b.look) {
      gaps.push({ from, to, why: 'not looked at', overlap: null, message: `Between ${between} no device could compare the pictures: open them and see that they overlap.` });
      continue;
    }
    const pair = compareStills(featuresOf(a), featuresOf(b), a.look.heightPx / a.look.widthPx);
    pairs.push({ ...pair, from, to });
    if (pair.overlap === null)
      gaps.push(
        pair.plain
          ? { from, to, why: 'plain', overlap: null, message: `Between ${between} there is too little to see to tell whether they overlap. Put something there, or stand further away.` }
          : { from, to, why: 'none', overlap: null, message: `Between ${between} nothing in common was found. Take one more from the middle.` },
      );
    else if (pair.overlap < ENOUGH_OF_PLANNED * planned)
      gaps.push({
        from,
        to,
        why: 'little',
        overlap: pair.overlap,
        message: `Between ${between} only about ${percent(pair.overlap)} of the frame is on both, ${percent(planned)} were planned. Take one more from the middle.`,
      });
    if (pair.stops !== null && Math.abs(pair.stops) > JUMP_STOPS)
      remarks.push({
        station: to,
        what: 'exposure',
        message: `${Math.abs(pair.stops).toFixed(1)} stops ${pair.stops > 0 ? 'lighter' : 'darker'} than ${nameOf(from)}, of the same things. Set the exposure by hand for the whole walk.`,
      });
  }
  return { remarks: remarks.sort((a, b) => a.station - b.station), gaps, pairs };
}

const percent = (share: number): string => `${Math.round(100 * share)} %`;

/** What one picture says alone. */
function lookRemarks(station: number, look: StillLook): StillRemark[] {
  const remarks: StillRemark[] = [];
  const sharpPx = Math.max(SHARP_FLOOR_PX, SHARP_OF_WIDTH * look.widthPx);
  const [down, across] = [valuesOf(look.zones, 'downPx'), valuesOf(look.zones, 'acrossPx')];
  const [d, a] = [down.length > 0 ? median(down) : 0, across.length > 0 ? median(across) : 0];
  // what is soft by itself, a shade or a cloth, must not count against the lens: of a ninth the sharper direction speaks
  const spread = look.zones.map((z) => Math.min(z.downPx ?? Infinity, z.acrossPx ?? Infinity));
  const seen = spread.filter((v) => Number.isFinite(v));
  const sharpest = Math.min(...seen);
  if (down.length > 1 && across.length > 1 && Math.max(d, a) > sharpPx && Math.max(d / a, a / d) > MOVED_TIMES)
    remarks.push({
      station,
      what: 'moved',
      message: `Moved ${d > a ? 'up and down' : 'sideways'}: edges are spread ${Math.max(d, a).toFixed(1)} px that way, ${Math.min(d, a).toFixed(1)} px the other.`,
    });
  else if (seen.length > 0 && sharpest > SOFT_TIMES * sharpPx)
    remarks.push({ station, what: 'soft', message: `Nowhere sharp: the sharpest edges are spread ${sharpest.toFixed(1)} px. Focus, and shoot again.` });
  else {
    const soft = ZONE_WORDS.filter((_, i) => Number.isFinite(spread[i]) && spread[i] > SOFT_TIMES * Math.max(sharpPx / 2, sharpest) && spread[i] > sharpPx);
    if (soft.length > 0)
      remarks.push({ station, what: 'soft', message: `Soft at the ${soft.join(', ')}: ${Math.max(...seen).toFixed(1)} px against ${sharpest.toFixed(1)} px. Stop down, or stand square-on.` });
  }
  if (look.burntShare > BURNT_SHARE) remarks.push({ station, what: 'burnt', message: `${percent(look.burntShare)} of the picture is burnt out.` });
  if (look.lostShare > LOST_SHARE) remarks.push({ station, what: 'dark', message: `${percent(look.lostShare)} of the picture is black.` });
  return remarks;
}

const valuesOf = (zones: readonly BlurZone[], key: keyof BlurZone): number[] => zones.flatMap((z) => (z[key] === null ? [] : [z[key]]));

/** Pictures that differ from most of their camera's in focal length or size: a walk is shot with one lens setting and one picture size. */
function oddOnes(pictures: readonly WalkPicture[]): StillRemark[] {
  const byBody = new Map<string, WalkPicture[]>();
  for (const p of pictures) byBody.set(p.notes?.body ?? '', [...(byBody.get(p.notes?.body ?? '') ?? []), p]);
  return [...byBody.values()].flatMap(oddOfOneCamera);
}

function oddOfOneCamera(pictures: readonly WalkPicture[]): StillRemark[] {
  const remarks: StillRemark[] = [];
  const focals = pictures.flatMap((p) => (p.notes?.focalMm ? [p.notes.focalMm] : []));
  const usual = focals.length > 2 ? median(focals) : null;
  const sizes = new Map<string, number>();
  const sizeOf = (l: StillLook) => `${Math.max(l.widthPx, l.heightPx)} × ${Math.min(l.widthPx, l.heightPx)}`;
  for (const p of pictures) if (p.look) sizes.set(sizeOf(p.look), (sizes.get(sizeOf(p.look)) ?? 0) + 1);
  const usualSize = [...sizes].sort((a, b) => b[1] - a[1])[0]?.[0];
  for (const { station, look, notes } of pictures) {
    if (usual && notes?.focalMm && Math.abs(notes.focalMm / usual - 1) > SAME_FOCAL)
      remarks.push({ station, what: 'focal', message: `Shot at ${Number(notes.focalMm.toFixed(1))} mm, the others at ${Number(usual.toFixed(1))} mm. One focal length for the whole walk.` });
    if (look && pictures.length > 2 && sizeOf(look) !== usualSize) remarks.push({ station, what: 'size', message: `${sizeOf(look)}, the others ${usualSize}: cropped or resized. Give the original.` });
  }
  return remarks;
}
