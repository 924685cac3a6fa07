import { median } from '../math';
import type { ClipMask, Corner2 } from './mask';

/** A track with whether it was left out because it goes its own way; frames are places in the clip, rising. */
export interface JudgedTrack {
  id: string;
  frames: readonly number[];
  xPx: readonly number[];
  yPx: readonly number[];
  moving: boolean;
}
export interface MoverProposal extends ClipMask {
  from: number;
  to: number;
  keys: { index: number; outline: Corner2[] }[];
  /** names of the tracks that share its motion */
  tracks: string[];
}

/** Nearer than this share of the width, and keeping that distance to within the second, two tracks sit on one thing. */
const NEAR_SHARE = 0.2;
const KEEPS_SHARE = 0.03;
/** Frames that two tracks must share before they say anything of each other. */
const SHARED_FRAMES = 4;
/** A thing of its own goes so far against the still features around it, by share of the width, and mostly one way: what slides along the edge of
 * something nearer is left out of a solve too, and stays where it is. */
const OWN_WAY_SHARE = 0.03;
const ONE_WAY_SHARE = 0.6;
/** Still features around it whose middle step is that of the picture there. */
const AROUND = 7;
const LEAST_AROUND = 3;
/** Two that are of one thing go alike to this share of the faster one. */
const ALIKE_SHARE = 0.5;
/** Fewer tracks are a slip of one of them, and no thing. */
const LEAST_TRACKS = 3;
/** A thing is larger than the features on it, by this share of the width. */
const PAD_SHARE = 0.025;
const KEY_EVERY = 6;

/**
 * Things that move by themselves, as masks: tracks that were left out as moving and that share a motion of their own, each with a box about them that
 * follows them from frame to frame.
 * Method  of each the step from frame to frame against the middle step of the still features around it is its own motion; two tracks with one are of one
 *         thing where their own motions are alike and, in the frames that both have, they stay near each other and at the same distance. Things are
 *         the groups that such pairs join (single linkage).
 */
export function proposeMasks(tracks: readonly JudgedTrack[], widthPx: number, heightPx: number): MoverProposal[] {
  const still = stepsByFrame(tracks.filter((t) => !t.moving));
  const moving = tracks.flatMap((t) => {
    const own = t.moving && t.frames.length >= SHARED_FRAMES ? ownMotion(t, still, widthPx) : null;
    return own ? [{ ...t, own }] : [];
  });
  const group = moving.map((_, i) => i);
  const rootOf = (i: number): number => (group[i] === i ? i : (group[i] = rootOf(group[i])));
  for (let i = 0; i < moving.length; i += 1) for (let j = i + 1; j < moving.length; j += 1) if (rootOf(i) !== rootOf(j) && together(moving[i], moving[j], widthPx)) group[rootOf(j)] = rootOf(i);
  const members = new Map<number, Mover[]>();
  moving.forEach((t, i) => members.set(rootOf(i), [...(members.get(rootOf(i)) ?? []), t]));
  return [...members.values()].filter((m) => m.length >= LEAST_TRACKS).map((m) => boxAbout(m, widthPx, heightPx));
}

/** A track with its own step a frame, px. */
interface Mover extends JudgedTrack {
  own: Corner2;
}
interface Step {
  x: number;
  y: number;
  dx: number;
  dy: number;
}

/** Of each frame the steps that lead on from it. */
function stepsByFrame(tracks: readonly JudgedTrack[]): Map<number, Step[]> {
  const steps = new Map<number, Step[]>();
  for (const t of tracks)
    for (let i = 0; i + 1 < t.frames.length; i += 1) {
      if (t.frames[i + 1] !== t.frames[i] + 1) continue;
      const list = steps.get(t.frames[i]) ?? [];
      list.push({ x: t.xPx[i], y: t.yPx[i], dx: t.xPx[i + 1] - t.xPx[i], dy: t.yPx[i + 1] - t.yPx[i] });
      steps.set(t.frames[i], list);
    }
  return steps;
}

/** The picture's own step at a place; none is known where too little of it stands still. */
function stepOfPicture(steps: readonly Step[], x: number, y: number): Corner2 {
  const around = steps
    .map((s) => ({ s, far: (s.x - x) ** 2 + (s.y - y) ** 2 }))
    .sort((a, b) => a.far - b.far)
    .slice(0, AROUND);
  return around.length < LEAST_AROUND ? [0, 0] : [median(around.map(({ s }) => s.dx)), median(around.map(({ s }) => s.dy))];
}

/** How a track goes against the picture around it, px a frame; null where it does not go a way of its own. */
function ownMotion(t: JudgedTrack, still: ReadonlyMap<number, Step[]>, widthPx: number): Corner2 | null {
  let [x, y, length, n] = [0, 0, 0, 0];
  for (let i = 0; i + 1 < t.frames.length; i += 1) {
    if (t.frames[i + 1] !== t.frames[i] + 1) continue;
    const [px, py] = stepOfPicture(still.get(t.frames[i]) ?? [], t.xPx[i], t.yPx[i]);
    const [dx, dy] = [t.xPx[i + 1] - t.xPx[i] - px, t.yPx[i + 1] - t.yPx[i] - py];
    x += dx;
    y += dy;
    length += Math.hypot(dx, dy);
    n += 1;
  }
  const way = Math.hypot(x, y);
  return n > 0 && way > OWN_WAY_SHARE * widthPx && way > ONE_WAY_SHARE * length ? [x / n, y / n] : null;
}

function together(a: Mover, b: Mover, widthPx: number): boolean {
  if (Math.hypot(a.own[0] - b.own[0], a.own[1] - b.own[1]) > ALIKE_SHARE * Math.max(Math.hypot(...a.own), Math.hypot(...b.own))) return false;
  const at = new Map(b.frames.map((f, i) => [f, i]));
  const apart = a.frames.flatMap((f, i) => {
    const j = at.get(f);
    return j === undefined ? [] : [Math.hypot(a.xPx[i] - b.xPx[j], a.yPx[i] - b.yPx[j])];
  });
  if (apart.length < SHARED_FRAMES) return false;
  const [least, most] = [Math.min(...apart), Math.max(...apart)];
  return most < NEAR_SHARE * widthPx && most - least < KEEPS_SHARE * widthPx;
}

function boxAbout(members: readonly JudgedTrack[], widthPx: number, heightPx: number): MoverProposal {
  const byFrame = new Map<number, Corner2[]>();
  for (const t of members) t.frames.forEach((f, i) => byFrame.set(f, [...(byFrame.get(f) ?? []), [t.xPx[i], t.yPx[i]]]));
  const frames = [...byFrame.keys()].sort((a, b) => a - b);
  const [from, to] = [frames[0], frames[frames.length - 1]];
  const pad = PAD_SHARE * widthPx;
  const within = (v: number, most: number) => Math.round(10 * Math.min(most, Math.max(0, v))) / 10;
  // over the frames around a key: a feature that is lost for a moment does not make the thing smaller
  const keyAt = (index: number) => {
    const near = frames.filter((f) => Math.abs(f - index) <= KEY_EVERY / 2).flatMap((f) => byFrame.get(f)!);
    const [x0, x1] = [Math.min(...near.map((p) => p[0])) - pad, Math.max(...near.map((p) => p[0])) + pad];
    const [y0, y1] = [Math.min(...near.map((p) => p[1])) - pad, Math.max(...near.map((p) => p[1])) + pad];
    const corner = (x: number, y: number): Corner2 => [within(x, widthPx), within(y, heightPx)];
    return { index, outline: [corner(x0, y0), corner(x1, y0), corner(x1, y1), corner(x0, y1)] };
  };
  const keys = frames.filter((f, i) => i === 0 || f === to || (f - from) % KEY_EVERY === 0).map(keyAt);
  return { from, to, keys, tracks: members.map((t) => t.id) };
}

/** A frame of strips along the borders, where mattes, letters and half a feature are. */
export function edgeMasks(widthPx: number, heightPx: number, share = 0.03): Corner2[][] {
  const d = Math.round(share * widthPx);
  const box = (x0: number, y0: number, x1: number, y1: number): Corner2[] => [[x0, y0], [x1, y0], [x1, y1], [x0, y1]]; // prettier-ignore
  return [box(0, 0, widthPx, d), box(0, heightPx - d, widthPx, heightPx), box(0, d, d, heightPx - d), box(widthPx - d, d, widthPx, heightPx - d)];
}
