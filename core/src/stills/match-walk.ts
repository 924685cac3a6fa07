import { estimateEssential, sampson, type SlopePair } from '../solve';
import { matchPatch, patchAt, type Patch, type Pyramid } from '../track';
import type { TrackPoint } from '../track/track-point';
import { mutualNearest } from './binary-features';
import { AROUND_PX, WALK_WORDS, type WalkFeatures } from './walk-features';

/** One picture of a walk, as far as matching needs it. */
export interface WalkView {
  features: WalkFeatures;
  /** as recorded, px of the picture */
  focalPx: number;
}

/** Two pictures that show the same things from places that fit together. */
export interface WalkTie {
  a: number;
  b: number;
  matches: number;
}
export interface WalkMatches {
  /** `frame` is the picture's index; px of that picture, corner origin; weight: one over the square of how large its px are */
  tracks: TrackPoint[];
  ties: WalkTie[];
}

/** of 256; random features differ in 128 */
const NEARNESS = { words: WALK_WORDS, farBits: 72, ratio: 0.85 };
/** How far from the line that another picture allows, in px of a picture of `OF_PX` along its long side. */
const CAP_PX = 4;
const OF_PX = 1600;
const ROUNDS = 150;
/** By chance matches agree with some pose too: so many, and such a share of them, are none. */
const LEAST_MATCHES = 16;
const LEAST_SHARE = 0.3;

const HALF_PX = 8;
const ALIKE = 0.8;
/** What lies further from where it was found than this is another thing. */
const FURTHEST_PX = 5;

/**
 * Features that pictures have in common, as tracks: nearest ones of every two pictures that hold a pose between them, joined over all pictures, then
 * each placed to a part of a pixel by laying the surroundings of one over those of the others.
 * @param pairs which pictures may show the same things; all of them where nobody knows
 */
export function matchWalk(views: readonly WalkView[], pairs: readonly (readonly [number, number])[], random: () => number, onPair?: (done: number) => void): WalkMatches {
  const links: { a: number; b: number; i: number; j: number; apart: number }[] = [];
  const ties: WalkTie[] = [];
  for (const [n, [a, b]] of pairs.entries()) {
    onPair?.(n);
    const held = heldTogether(views[a], views[b], random);
    if (!held) continue;
    ties.push({ a, b, matches: held.length });
    for (const { i, j, apart } of held) links.push({ a, b, i, j, apart });
  }
  return { tracks: placedTracks(views, joined(views, links)), ties };
}

/** Matches that one pose of the second picture against the first explains. */
function heldTogether(a: WalkView, b: WalkView, random: () => number): { i: number; j: number; apart: number }[] | null {
  const links = mutualNearest(a.features, b.features, NEARNESS);
  if (links.length < LEAST_MATCHES) return null;
  const pairs = links.map(({ i, j }): SlopePair => {
    const [p, q] = [slopeOf(a, i), slopeOf(b, j)];
    return { x1: p.x, y1: p.y, x2: q.x, y2: q.y };
  });
  const pixel = ({ features: f, focalPx }: WalkView) => Math.max(1, Math.max(f.widthPx, f.heightPx) / OF_PX) / focalPx;
  const cap = CAP_PX * Math.max(pixel(a), pixel(b));
  const found = estimateEssential(pairs, cap, random, ROUNDS);
  if (!found) return null;
  const { e } = found;
  const held = links.filter((_, k) => Math.abs(sampson(e, pairs[k])) < cap);
  return held.length >= Math.max(LEAST_MATCHES, LEAST_SHARE * links.length) ? held : null;
}

const slopeOf = ({ features: f, focalPx }: WalkView, k: number) => ({ x: (f.x[k] - f.widthPx / 2) / focalPx, y: (f.y[k] - f.heightPx / 2) / focalPx });

interface Group {
  /** of each picture the feature, by picture */
  members: Map<number, number>;
}

/** Features that are one thing, the surest matches first; what would be two places of one picture stays apart. */
function joined(views: readonly WalkView[], links: readonly { a: number; b: number; i: number; j: number; apart: number }[]): Group[] {
  const groups = views.map((v) => new Array<Group | undefined>(v.features.count));
  for (const { a, b, i, j } of [...links].sort((p, q) => p.apart - q.apart)) {
    const one = groups[a][i] ?? { members: new Map([[a, i]]) };
    const two = groups[b][j] ?? { members: new Map([[b, j]]) };
    groups[a][i] = one;
    groups[b][j] = two;
    if (one === two || [...two.members.keys()].some((v) => one.members.has(v))) continue;
    for (const [v, k] of two.members) {
      one.members.set(v, k);
      groups[v][k] = one;
    }
  }
  return [...new Set(groups.flat())].filter((g): g is Group => g !== undefined && g.members.size >= 2);
}

/** A picture of what lies round a feature. */
function lookAt(f: WalkFeatures, k: number): Pyramid {
  const size = AROUND_PX * AROUND_PX;
  return { levels: [{ widthPx: AROUND_PX, heightPx: AROUND_PX, data: Float32Array.from(f.around.subarray(k * size, (k + 1) * size)) }] };
}

/** Each group's places, from the feature that the others are most alike to. */
function placedTracks(views: readonly WalkView[], groups: readonly Group[]): TrackPoint[] {
  const tracks: TrackPoint[] = [];
  groups.forEach((group, n) => {
    const members = [...group.members].sort((p, q) => p[0] - q[0]);
    // the middle one: what is seen from both sides is most alike to it
    const middle = members[members.length >> 1];
    const patch = patchAt(lookAt(views[middle[0]].features, middle[1]), AROUND_PX / 2, AROUND_PX / 2, HALF_PX, 'affine');
    if (!patch) return;
    const placed = members.flatMap(([v, k]): TrackPoint[] => {
      const { features: f } = views[v];
      const own = v === middle[0] ? { dx: 0, dy: 0 } : laidOver(patch, lookAt(f, k));
      return own ? [{ track: `w${n + 1}`, frame: v, x: f.x[k] + own.dx * f.scale[k], y: f.y[k] + own.dy * f.scale[k], weight: 1 / f.scale[k] ** 2 }] : [];
    });
    if (placed.length >= 2) tracks.push(...placed);
  });
  return tracks;
}

function laidOver(patch: Patch, other: Pyramid): { dx: number; dy: number } | null {
  const match = matchPatch(patch, other, { x: AROUND_PX / 2, y: AROUND_PX / 2, a: 1, b: 0, c: 0, d: 1 });
  if (!match || match.correlation < ALIKE) return null;
  const [dx, dy] = [match.warp.x - AROUND_PX / 2, match.warp.y - AROUND_PX / 2];
  return Math.hypot(dx, dy) <= FURTHEST_PX ? { dx, dy } : null;
}
