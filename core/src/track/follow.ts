import { median } from '../math';
import type { GrayImage } from '../picture';
import { cornersOrTexture } from './corners';
import { flow } from './flow';
import { matchSoftened, patchAt, type Patch, type PatchChange, type Warp } from './patch';
import { pyramidOf, sharpnessOf, type Pyramid } from './pyramid';

/** The frames of a clip, by their place in it; read as often as they are asked for. */
export interface FrameSource {
  count: number;
  widthPx: number;
  heightPx: number;
  at(index: number): GrayImage;
}

/** A feature over the frames in which it was seen, sorted by frame. */
export interface FollowedTrack {
  id: string;
  /** places in the source */
  frames: number[];
  xPx: number[];
  yPx: number[];
  /** with its first look, −1…1 */
  correlation: number[];
  /** of one axis, px */
  sigmaPx: number[];
  /** in how many steps its first look was renewed: at each an error may enter that stays */
  renewals: number;
  byHand: boolean;
}

/** A feature that somebody pointed out. */
export interface HandMark {
  id: string;
  index: number;
  xPx: number;
  yPx: number;
}

export interface FollowOptions {
  /** features at once; default 300 */
  most?: number;
  change?: PatchChange;
  /** place in the source where it begins; it goes on to the end, then back to the first; default 0 */
  from?: number;
  /** whether features may be taken up there */
  allowed?: (index: number, xPx: number, yPx: number) => boolean;
  marks?: readonly HandMark[];
  /** throw inside to stop */
  onProgress?: (done: number, total: number) => void;
}

const MOST = 300;
/** Forwards and backwards must meet within this, px at HD width; blurred frames are given more. */
const MEETS_PX = 0.7;
/** The comparison with the first look may move the result of the flow by so much, px at HD width. */
const AGREES_PX = 2.5;
/** A feature is lost below this share of the likeness that it had at first, its first look renewed below the second. */
const LOST_SHARE = 0.72;
const RENEW_SHARE = 0.86;
/** Below it nothing is taken for the same, however noisy the picture. */
const LEAST_LIKENESS = 0.5;
/** A frame of less than this share of the usual sharpness is blurred: what is less alike in it is not thereby lost. */
const BLURRED = 0.6;
const LEAST_FRAMES = 3;
/** No place is known to a tenth of the frame's detail if it is not known to this, px. */
const WORST_SIGMA_PX = 0.7;
/** Off from how it went and from how its neighbours went, px at HD width. */
const LEAP_PX = 24;
const AROUND = 8;
const LEAST_AROUND = 4;
/** Level from which a search begins whose start is good to a few pixels. */
const FINE = 2;
const REFILL_EVERY = 5;
const REFILL_BELOW = 0.8;
const CELLS = [8, 5] as const;

interface Feature {
  track: FollowedTrack;
  patch: Patch;
  warp: Warp;
  shift: [number, number];
  /** false: the shift is a guess, nobody saw it go yet */
  seenToGo: boolean;
  /** likeness in its first frames */
  usual: number;
}

/** A place, and how it goes from one frame to the next, px. */
interface Going {
  x: number;
  y: number;
  shift: readonly [number, number];
}
const goingOf = ({ warp, shift }: Feature): Going => ({ x: warp.x, y: warp.y, shift });

/**
 * Features of a clip, found by themselves and followed through it: from `from` to the end, back to the beginning, and forwards again for those
 * found on the way back, so that a feature is known in every frame in which it is seen, wherever it was found.
 * Model    a shift coarse to fine from frame to frame, forwards and backwards; then the place where the first look fits best (shift, and its
 *          change by angle and size), which does not drift. New ones where few are left, spread over the frame.
 * @returns tracks of at least three frames, in the order in which they were found
 */
export function followClip(source: FrameSource, options: FollowOptions = {}): FollowedTrack[] {
  const run = new Following(source, options);
  const { count } = source;
  const from = Math.min(count - 1, Math.max(0, options.from ?? 0));
  const passes = from === 0 ? 2 : 3;
  let done = 0;
  const report = () => options.onProgress?.((done += 1), passes === 2 ? 2 * count : count - from + 2 * count);
  run.pass(from, count - 1, true, report);
  // those found ahead of here are taken up on the way back; before the start new ones are looked for too
  run.pass(count - 1, 0, false, report, from);
  if (passes === 3) run.pass(0, count - 1, false, report);
  return run.tracks();
}

class Following {
  private readonly found: { track: FollowedTrack; born: number; forward: boolean }[] = [];
  private readonly most: number;
  private readonly change: PatchChange;
  private readonly halfPx: number;
  private readonly scale: number;
  private readonly apartPx: number;
  private readonly sharpness: number[] = [];
  /** where the features were in the frame before, and how they went into it */
  private around: Going[] = [];
  private numbered = 0;
  private readonly out = new Float64Array(2);
  private readonly back = new Float64Array(2);

  constructor(
    private readonly source: FrameSource,
    private readonly options: FollowOptions,
  ) {
    this.most = options.most ?? MOST;
    this.change = options.change ?? 'affine';
    // of a frame of HD width
    this.scale = Math.max(0.5, source.widthPx / 1920);
    this.halfPx = Math.min(15, Math.max(7, Math.round(10 * this.scale)));
    this.apartPx = 0.4 * Math.sqrt((source.widthPx * source.heightPx) / this.most);
  }

  /** Sorted by frame; those seen too shortly are left out, but never one that was pointed out. */
  tracks(): FollowedTrack[] {
    return this.found.map(({ track }) => sorted(track)).filter((t) => t.byHand || t.frames.length >= LEAST_FRAMES);
  }

  /** One way through frames. Features are new at the first pass everywhere, at a later one before `newBefore`; the others are those born here. */
  pass(first: number, last: number, isNew: boolean, report: () => void, newBefore = 0): void {
    const forward = last >= first;
    let before: Pyramid | null = null;
    let spent: Pyramid | null = null;
    let active: Feature[] = [];
    let since = REFILL_EVERY;
    // after the last look for new ones: a plain wall has no more to give
    let held = 0;
    for (let index = first; forward ? index <= last : index >= last; index += forward ? 1 : -1) {
      const image = this.source.at(index);
      const now = pyramidOf(image, spent);
      const blurred = this.isBlurred(now);
      if (before) active = this.step(active, before, now, index, blurred);
      // those that another pass found here go on in this direction too
      for (const { track, born, forward: went } of this.found) if (born === index && went !== forward && !active.some((f) => f.track === track)) this.takeUp(track, now, active);
      if (isNew || index < newBefore) {
        for (const mark of this.options.marks ?? []) if (mark.index === index) this.takeMark(mark, now, active, forward);
        since += 1;
        if ((since >= REFILL_EVERY && active.length < this.most) || active.length < REFILL_BELOW * held) {
          if (!blurred || active.length < 0.5 * this.most) this.refill(image, now, index, active, forward);
          since = 0;
          held = active.length;
        }
      }
      [spent, before] = [before, now];
      report();
    }
  }

  private isBlurred(now: Pyramid): boolean {
    const sharp = sharpnessOf(now);
    const usual = this.sharpness.length ? median(this.sharpness) : sharp;
    this.sharpness.push(sharp);
    if (this.sharpness.length > 48) this.sharpness.shift();
    return sharp < BLURRED * usual;
  }

  private step(active: Feature[], before: Pyramid, now: Pyramid, index: number, blurred: boolean): Feature[] {
    const kept: Feature[] = [];
    const lost: Feature[] = [];
    this.around = active.filter((f) => f.seenToGo).map(goingOf);
    const fresh = new Set(active.filter((f) => !f.seenToGo));
    for (const f of active) (this.follow(f, before, now, f.shift, index, blurred, f.track.frames.length > 2 ? FINE : Infinity) ? kept : lost).push(f);
    // those that were lost by a start that was wrong: once more from farther off, and as the others around went
    for (const f of lost) {
      if (this.follow(f, before, now, f.shift, index, blurred)) {
        kept.push(f);
        continue;
      }
      const near = kept
        .map((k) => ({ k, d: (k.warp.x - f.warp.x) ** 2 + (k.warp.y - f.warp.y) ** 2 }))
        .sort((p, q) => p.d - q.d)
        .slice(0, 5);
      if (near.length < 3) continue;
      const guess: [number, number] = [median(near.map(({ k }) => k.shift[0])), median(near.map(({ k }) => k.shift[1]))];
      if (Math.hypot(guess[0] - f.shift[0], guess[1] - f.shift[1]) < this.scale) continue;
      if (this.follow(f, before, now, guess, index, blurred)) kept.push(f);
    }
    // nothing said beforehand where those would go that are seen to go for the first time: they are held against each other
    const going = fresh.size > 0 ? kept.map(goingOf) : [];
    const astray = new Set(kept.filter((f) => fresh.has(f) && this.strays(f.shift, f, going)));
    for (const { track } of astray) takeBack(track);
    return kept.filter((f) => !astray.has(f));
  }

  private follow(f: Feature, before: Pyramid, now: Pyramid, guess: readonly [number, number], index: number, blurred: boolean, coarsest = Infinity): boolean {
    const { out, back } = this;
    const { x, y } = f.warp;
    if (!flow(before, now, x, y, guess, out, coarsest)) return false;
    const [toX, toY] = out;
    if (!flow(now, before, toX, toY, [x - toX, y - toY], back, FINE)) return false;
    const looser = blurred ? 2.5 : 1;
    if (Math.hypot(back[0] - x, back[1] - y) > MEETS_PX * this.scale * looser) return false;
    const match = matchSoftened(f.patch, now, { ...f.warp, x: toX, y: toY });
    if (!match || Math.hypot(match.warp.x - toX, match.warp.y - toY) > AGREES_PX * this.scale * looser || match.sigmaPx > WORST_SIGMA_PX) return false;
    if (this.leaps(f, match.warp.x - x, match.warp.y - y)) return false;
    const least = Math.max(LEAST_LIKENESS, LOST_SHARE * f.usual) * (blurred ? 0.7 : 1);
    if (match.correlation < least) return false;
    if (f.track.frames.length <= 3 && !blurred) f.usual = f.track.frames.length === 1 ? match.correlation : Math.max(f.usual, match.correlation);
    f.shift = [match.warp.x - x, match.warp.y - y];
    f.seenToGo = true;
    f.warp = match.warp;
    put(f.track, index, match.warp.x, match.warp.y, match.correlation, match.sigmaPx);
    if (!blurred && match.correlation < RENEW_SHARE * f.usual) {
      const renewed = patchAt(now, f.warp.x, f.warp.y, this.halfPx, this.change);
      if (!renewed) return true;
      f.patch = renewed;
      f.warp = { x: f.warp.x, y: f.warp.y, a: 1, b: 0, c: 0, d: 1 };
      f.track.renewals += 1;
    }
    return true;
  }

  /** From one frame to the next neither as it went before nor as what is around it went: something that only looks alike was found. */
  private leaps(f: Feature, dx: number, dy: number): boolean {
    return f.seenToGo && this.isFar([dx, dy], f.shift) && this.strays([dx, dy], f, this.around);
  }

  private isFar(one: readonly [number, number], other: readonly [number, number]): boolean {
    return Math.hypot(one[0] - other[0], one[1] - other[1]) > LEAP_PX * this.scale + 0.5 * Math.hypot(...other);
  }

  /** Not as most of those around it go; false where too few are there. */
  private strays(shift: readonly [number, number], { warp }: Feature, others: readonly Going[]): boolean {
    const near = others
      .map((k) => ({ k, d: (k.x - warp.x) ** 2 + (k.y - warp.y) ** 2 }))
      .sort((p, q) => p.d - q.d)
      .slice(0, AROUND);
    return near.length >= LEAST_AROUND && this.isFar(shift, [median(near.map(({ k }) => k.shift[0])), median(near.map(({ k }) => k.shift[1]))]);
  }

  /** Another pass found it here, and knows which way it goes on the other side. */
  private takeUp(track: FollowedTrack, now: Pyramid, active: Feature[]): void {
    const [x, y] = [track.xPx[0], track.yPx[0]];
    const patch = patchAt(now, x, y, this.halfPx, this.change);
    if (!patch) return;
    const went = Math.abs((track.frames[1] ?? Infinity) - track.frames[0]) === 1;
    active.push(feature(track, patch, went ? [x - track.xPx[1], y - track.yPx[1]] : this.shiftNear(active, x, y)));
  }

  private takeMark(mark: HandMark, now: Pyramid, active: Feature[], forward: boolean): void {
    const track = this.begin(mark.id, mark.index, mark.xPx, mark.yPx, forward, true);
    const patch = patchAt(now, mark.xPx, mark.yPx, this.halfPx, this.change);
    if (patch) active.push(feature(track, patch, this.shiftNear(active, mark.xPx, mark.yPx)));
  }

  /** A number that no mark has for a name. */
  private freeName(): string {
    const taken = (name: string) => this.options.marks?.some((m) => m.id === name) ?? false;
    for (;;) {
      this.numbered += 1;
      const name = `f${String(this.numbered).padStart(4, '0')}`;
      if (!taken(name)) return name;
    }
  }

  private begin(id: string, index: number, xPx: number, yPx: number, forward: boolean, byHand: boolean): FollowedTrack {
    const track: FollowedTrack = { id, frames: [], xPx: [], yPx: [], correlation: [], sigmaPx: [], renewals: 0, byHand };
    put(track, index, xPx, yPx, 1, 0);
    this.found.push({ track, born: index, forward });
    return track;
  }

  private shiftNear(active: readonly Feature[], xPx: number, yPx: number): [number, number] {
    const near = active
      .map((f) => ({ f, d: (f.warp.x - xPx) ** 2 + (f.warp.y - yPx) ** 2 }))
      .sort((p, q) => p.d - q.d)
      .slice(0, 3);
    return near.length < 3 ? [0, 0] : [median(near.map(({ f }) => f.shift[0])), median(near.map(({ f }) => f.shift[1]))];
  }

  /** New features away from those that are followed: first where a part of the frame has few, then the strongest anywhere. */
  private refill(image: GrayImage, now: Pyramid, index: number, active: Feature[], forward: boolean): void {
    const { widthPx, heightPx } = this.source;
    const [columns, rows] = CELLS;
    const cellOf = (x: number, y: number) => Math.min(columns - 1, Math.floor((columns * x) / widthPx)) + columns * Math.min(rows - 1, Math.floor((rows * y) / heightPx));
    const held = new Int32Array(columns * rows);
    for (const f of active) held[cellOf(f.warp.x, f.warp.y)] += 1;
    const quota = Math.ceil(this.most / (columns * rows));
    const border = this.halfPx + 2;
    const corners = cornersOrTexture(image, { apartPx: Math.max(4, this.apartPx / Math.max(1, 2 ** Math.ceil(Math.log2(Math.max(widthPx, heightPx) / 1600)))) }).filter(
      ({ x, y }) =>
        x > border &&
        y > border &&
        x < widthPx - border &&
        y < heightPx - border &&
        (this.options.allowed?.(index, x, y) ?? true) &&
        !active.some((f) => Math.abs(f.warp.x - x) < this.apartPx && Math.abs(f.warp.y - y) < this.apartPx && Math.hypot(f.warp.x - x, f.warp.y - y) < this.apartPx),
    );
    const later: typeof corners = [];
    const take = ({ x, y }: { x: number; y: number }): void => {
      if (active.length >= this.most) return;
      const patch = patchAt(now, x, y, this.halfPx, this.change);
      if (!patch) return;
      held[cellOf(x, y)] += 1;
      const track = this.begin(this.freeName(), index, x, y, forward, false);
      active.push(feature(track, patch, this.shiftNear(active, x, y)));
    };
    for (const c of corners) {
      if (held[cellOf(c.x, c.y)] < quota) take(c);
      else later.push(c);
    }
    for (const c of later) take(c);
  }
}

/** At the place where its track begins. */
function feature(track: FollowedTrack, patch: Patch, shift: [number, number]): Feature {
  return { track, patch, warp: { x: track.xPx[0], y: track.yPx[0], a: 1, b: 0, c: 0, d: 1 }, shift, seenToGo: false, usual: 1 };
}

function takeBack({ frames, xPx, yPx, correlation, sigmaPx }: FollowedTrack): void {
  for (const list of [frames, xPx, yPx, correlation, sigmaPx]) list.pop();
}

function put(track: FollowedTrack, index: number, xPx: number, yPx: number, correlation: number, sigmaPx: number): void {
  track.frames.push(index);
  track.xPx.push(xPx);
  track.yPx.push(yPx);
  track.correlation.push(correlation);
  track.sigmaPx.push(sigmaPx);
}

function sorted(track: FollowedTrack): FollowedTrack {
  const order = track.frames.map((_, i) => i).sort((p, q) => track.frames[p] - track.frames[q]);
  const pick = (list: number[]) => order.map((i) => list[i]);
  // the frame of the first look has no comparison; it is as good as those beside it
  const usual = track.sigmaPx.length > 1 ? median(track.sigmaPx.filter((s) => s > 0)) : 0;
  return { ...track, frames: pick(track.frames), xPx: pick(track.xPx), yPx: pick(track.yPx), correlation: pick(track.correlation), sigmaPx: pick(track.sigmaPx).map((s) => (s > 0 ? s : usual)) };
}
