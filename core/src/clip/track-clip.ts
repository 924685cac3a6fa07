import { CoreError } from '../errors';
import { median } from '../math';
import type { SolveSetup, TrackPoint } from '../solve';
import { followClip, snapToCentre, type FollowOptions, type FollowedTrack, type FrameSource, type HandMark } from '../track';
import { burntPlaces, movingBySolve, lensToBeFound, type BurntPlace } from './judge';
import { isMasked, maskedShare, type ClipMask } from './mask';
import { CLIP, type Warning } from '../warnings';

export type ClipNote = '' | 'moving' | 'burn-in' | 'masked';

/** A track as it leaves: places of the picture by their place in the clip, and whether a solve may use them. */
export interface ClipTrack {
  id: string;
  /** places in the clip from 0, rising */
  frames: number[];
  xPx: number[];
  yPx: number[];
  /** by the noise of the comparison, one axis, px */
  sigmaPx: number[];
  /** what a solve makes of each place: 0 leaves it out */
  weight: number[];
  /** why it is left out as a whole; empty: it stands still, as far as it shows */
  note: ClipNote;
  /** mean likeness with its first look, −1…1 */
  likeness: number;
  /** how often its first look was renewed */
  renewals: number;
  byHand: boolean;
}

export interface ClipFrameCount {
  /** tracks that a solve may use */
  tracks: number;
  /** of the frame's twelve cells (4 × 3), those that hold one */
  cells: number;
  /** 0…1 */
  masked: number;
}

export interface ClipTracks {
  widthPx: number;
  heightPx: number;
  tracks: ClipTrack[];
  /** one for each frame of the clip */
  frames: ClipFrameCount[];
  /** false: no camera was found that explains the tracks, so that nobody looked for what moves */
  judged: boolean;
  warnings: Warning[];
}

export interface ClipOptions {
  most?: number;
  change?: FollowOptions['change'];
  /** place in the clip from which it begins; default 0 */
  from?: number;
  masks?: readonly ClipMask[];
  /** whether a place may be tracked in any frame, besides the masks */
  allowed?: (xPx: number, yPx: number) => boolean;
  marks?: readonly HandMark[];
  /** what was recorded of the take; missing: a lens whose focal length is to be found, without distortion */
  setup?: SolveSetup;
  /** of the lens, where no setup tells it; default 1 */
  squeeze?: number;
  /** throw inside to stop */
  onProgress?: (stage: string, done: number, total: number) => void;
}

/** Fewer than this in a frame hold no camera. */
export const FLOOR_TRACKS = 8;
const COLUMNS = 4;
const ROWS = 3;
/** A place whose spread is this is as good as any: what moves it besides noise is not told by the comparison. */
const FLOOR_SIGMA_PX = 0.05;
/** So far from a burn-in its letters are still in the window of a feature, px at HD width; along a line the next figure may be one that changes. */
const BESIDE_BURN_IN_PX = 20;
const ALONG_BURN_IN_PX = 48;
/** Share of a track's places beside a burn-in from which it belongs to it. */
const BELONGS_SHARE = 0.25;

/**
 * From a clip to tracks: followed both ways, with what moves by itself, what is burnt in and what is masked told apart from what stands still.
 * @param source grey pictures of one size, px of the recorded picture
 * @throws CoreError INVALID_OPTION for a clip of fewer than two frames or a mask that is none
 */
export function trackClip(source: FrameSource, options: ClipOptions = {}): ClipTracks {
  const { widthPx, heightPx, count } = source;
  if (count < 2) throw new CoreError('INVALID_OPTION', `A clip of ${count} frames cannot be tracked; two are the least`, 'frames');
  const masks = options.masks ?? [];
  const isOff = (index: number, x: number, y: number): boolean => isMasked(masks, index, x, y) || options.allowed?.(x, y) === false;
  const report = options.onProgress ?? (() => undefined);
  const marks = (options.marks ?? []).map((m) => snapped(m, source));
  const followed = joinMarked(
    followClip(source, {
      most: options.most,
      change: options.change,
      from: options.from,
      marks,
      allowed: (index, x, y) => !isOff(index, x, y),
      onProgress: (done, total) => report('following', done, total),
    }),
    marks,
  );
  report('telling what moves', 0, 1);
  const beside = besideBurnIn(burntPlaces(followed, widthPx), widthPx);
  const tracks = followed.map((t) => asClipTrack(t, isOff, beside));
  const moving = movingBySolve(asPoints(tracks), options.setup ?? lensToBeFound(widthPx, heightPx, options.squeeze ?? 1));
  for (const t of tracks)
    if (moving?.has(t.id)) {
      t.note = 'moving';
      t.weight.fill(0);
    }
  const frames = Array.from({ length: count }, (_, index) => countFrame(tracks, index, source, maskedShare(masks, index, widthPx, heightPx)));
  report('telling what moves', 1, 1);
  return { widthPx, heightPx, tracks, frames, judged: moving !== null, warnings: warningsOf(tracks, frames, moving !== null) };
}

/** How far a finger may be from the centre of a mark, and half of what is looked at, px at HD width. */
const FINGER_PX = 12;
const MARK_PX = 18;

/** A place that was pointed out, moved to the centre of the mark under it where there is one. */
function snapped(mark: HandMark, source: FrameSource): HandMark {
  const scale = Math.max(0.5, source.widthPx / 1920);
  const found = snapToCentre(source.at(mark.index), mark.xPx, mark.yPx, FINGER_PX * scale, Math.round(MARK_PX * scale));
  return found ? { ...mark, xPx: found.xPx, yPx: found.yPx } : mark;
}

/** A mark that was put right on several frames is one track: each frame's place comes from the nearest of them that was followed so far. */
function joinMarked(tracks: readonly FollowedTrack[], marks: readonly HandMark[]): FollowedTrack[] {
  const placed = marks.map((m) => ({ ...m }));
  const pieces = new Map<string, { index: number; track: FollowedTrack }[]>();
  const others: FollowedTrack[] = [];
  for (const t of tracks) {
    // begun where it was pointed out: there its likeness is 1 and its place the mark's
    const at = t.byHand ? placed.findIndex((m) => m.id === t.id && t.frames.some((f, i) => f === m.index && t.xPx[i] === m.xPx && t.yPx[i] === m.yPx)) : -1;
    if (at < 0) {
      others.push(t);
      continue;
    }
    const [mark] = placed.splice(at, 1);
    pieces.set(t.id, [...(pieces.get(t.id) ?? []), { index: mark.index, track: t }]);
  }
  const joined = [...pieces].map(([id, list]): FollowedTrack => {
    const frames = [...new Set(list.flatMap(({ track }) => track.frames))].sort((a, b) => a - b);
    const chosen = frames.map((f) => {
      const { track } = list.filter((p) => p.track.frames.includes(f)).reduce((a, b) => (Math.abs(b.index - f) < Math.abs(a.index - f) ? b : a));
      return { track, i: track.frames.indexOf(f) };
    });
    const pick = (field: 'xPx' | 'yPx' | 'correlation' | 'sigmaPx') => chosen.map(({ track, i }) => track[field][i]);
    return { id, frames, xPx: pick('xPx'), yPx: pick('yPx'), correlation: pick('correlation'), sigmaPx: pick('sigmaPx'), renewals: Math.max(...list.map(({ track }) => track.renewals)), byHand: true };
  });
  return [...joined, ...others];
}

/** Of a weight above 0, as a solve reads them. */
export function asPoints(tracks: readonly ClipTrack[], frameOf: (index: number) => number = (i) => i): TrackPoint[] {
  return tracks.flatMap((t) => t.frames.flatMap((index, i) => (t.weight[i] > 0 ? [{ track: t.id, frame: frameOf(index), x: t.xPx[i], y: t.yPx[i], weight: t.weight[i] }] : [])));
}

/** Places whose window reaches into something that is burnt in. */
function besideBurnIn(places: readonly BurntPlace[], widthPx: number): (xPx: number, yPx: number) => boolean {
  const scale = Math.max(0.6, widthPx / 1920);
  return (x, y) => places.some((p) => Math.abs(p.xPx - x) < ALONG_BURN_IN_PX * scale && Math.abs(p.yPx - y) < BESIDE_BURN_IN_PX * scale);
}

function asClipTrack(t: FollowedTrack, isOff: (index: number, x: number, y: number) => boolean, beside: (x: number, y: number) => boolean): ClipTrack {
  const off = t.frames.map((index, i) => isOff(index, t.xPx[i], t.yPx[i]));
  const letters = t.frames.map((_, i) => beside(t.xPx[i], t.yPx[i]));
  const isLetters = letters.filter(Boolean).length >= BELONGS_SHARE * t.frames.length;
  const usual = median(t.sigmaPx);
  const weight = t.frames.map((_, i) => (off[i] || letters[i] || isLetters ? 0 : Math.min(1, (usual ** 2 + FLOOR_SIGMA_PX ** 2) / (t.sigmaPx[i] ** 2 + FLOOR_SIGMA_PX ** 2))));
  return {
    id: t.id,
    frames: t.frames,
    xPx: t.xPx,
    yPx: t.yPx,
    sigmaPx: t.sigmaPx,
    weight,
    note: isLetters ? 'burn-in' : off.every(Boolean) ? 'masked' : '',
    likeness: t.correlation.reduce((a, b) => a + b, 0) / t.correlation.length,
    renewals: t.renewals,
    byHand: t.byHand,
  };
}

function countFrame(tracks: readonly ClipTrack[], index: number, { widthPx, heightPx }: FrameSource, masked: number): ClipFrameCount {
  const cells = new Set<number>();
  let n = 0;
  for (const t of tracks) {
    // its frames follow each other but for those in which it was lost on one way and found on the other
    const i = t.frames.indexOf(index);
    if (i < 0 || t.weight[i] === 0) continue;
    n += 1;
    cells.add(Math.min(COLUMNS - 1, Math.floor((COLUMNS * t.xPx[i]) / widthPx)) + COLUMNS * Math.min(ROWS - 1, Math.floor((ROWS * t.yPx[i]) / heightPx)));
  }
  return { tracks: n, cells: cells.size, masked };
}

function warningsOf(tracks: readonly ClipTrack[], frames: readonly ClipFrameCount[], judged: boolean): Warning[] {
  const warnings: Warning[] = [];
  if (!judged) warnings.push(CLIP.NOBODY_JUDGED());
  for (const [from, to] of stretches(frames, (f) => f.tracks < FLOOR_TRACKS)) warnings.push(CLIP.CLIP_THIN(FLOOR_TRACKS, from, to));
  for (const [from, to] of stretches(frames, (f) => f.tracks >= FLOOR_TRACKS && f.cells <= 4)) if (to - from >= 4) warnings.push(CLIP.CLIP_CROWDED(from, to));
  const count = (note: ClipNote) => tracks.filter((t) => t.note === note).length;
  if (count('moving') > 0) warnings.push(CLIP.CLIP_MOVING(count('moving'), tracks.length));
  if (count('burn-in') > 0) warnings.push(CLIP.CLIP_BURNT_IN(count('burn-in')));
  return warnings;
}

function stretches(frames: readonly ClipFrameCount[], is: (f: ClipFrameCount) => boolean): [number, number][] {
  const out: [number, number][] = [];
  frames.forEach((f, i) => {
    if (!is(f)) return;
    const last = out[out.length - 1];
    if (last && last[1] === i - 1) last[1] = i;
    else out.push([i, i]);
  });
  return out;
}
