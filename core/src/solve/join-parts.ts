import {
  add,
  applySimilarity,
  centroid,
  cross,
  distance,
  median,
  mulMat3,
  mulMatVec,
  norm,
  quatToMat,
  sampleIndices,
  scale,
  sub,
  transpose3,
  umeyama,
  type Mat3,
  type Similarity,
  type Vec3,
} from '../math';
import { refinePose, samplePose, type Pose, type Sighting } from './absolute-pose';
import { reprofile } from './observations';
import { partsOf } from './parts';
import { centerOf, type Reconstruction } from './reconstruction';
import { MIN_RAY_ANGLE_RAD } from './start';
import type { ShotPart, SolvedFrame, SolveResult } from './result';

/** A stretch of a shot as it lies in a reconstruction. */
export interface PlacedPart {
  part: ShotPart;
  /** indices of its frames */
  frames: number[];
  /** tracks that tie it, at least: below that it hangs loose */
  leastTies: number;
}

/** Two clouds of points are laid on each other by three places that lie on no line. */
const LEAST_POINTS = 3;
/** A camera that only turned is placed by four known points: three leave up to four places. */
const LEAST_SIGHTINGS = 4;
/** Of the longest side squared; flatter triangles are a line. */
export const LEAST_TRIANGLE = 0.02;
const TRIPLES = 200;
export const LOOSE_PX = 20;
/** Of the distance to the camera: by so much places of two stretches may differ before anything is adjusted. */
const LOOSE = 0.1;

/**
 * Places the stretches that no frame leads to: each is solved by itself and laid on what is placed by the tracks that both have, three of them
 * at least and on no line. What follows adjusts all of it at once, so that these tracks weigh as what they are.
 * @param solveStretch solves some frames by themselves, without anchors
 * @returns the stretches, the placed one first; none where the shot is one piece
 */
export function joinParts(r: Reconstruction, solveStretch: (frames: ReadonlySet<number>) => SolveResult, random: () => number): PlacedPart[] {
  const all = partsOf(r.obs);
  const placed = all.filter((frames) => frames.some((f) => r.poses[f]));
  const open = all.filter((frames) => frames.every((f) => !r.poses[f])).sort((a, b) => b.length - a.length);
  if (placed.length === 0 || open.length === 0) return [];
  const first: PlacedPart = { part: partOf(r, placed.flat(), 'first', null), frames: placed.flat(), leastTies: 0 };
  const rest = open.map((frames): PlacedPart & { solved: SolveResult } => {
    const solved = solveStretch(new Set(frames.map((f) => r.obs.frames[f])));
    return { part: partOf(r, frames, 'nothing', solved), frames, leastTies: solved.motion === 'pan' ? LEAST_SIGHTINGS : LEAST_POINTS, solved };
  });
  // one that is joined may carry the next
  for (let joined = true; joined;) {
    joined = false;
    for (const p of rest) {
      if (p.part.holds !== 'nothing' || p.solved.status === 'failed') continue;
      if (!(p.solved.motion === 'pan' ? joinTurned(r, p.solved, random) : joinMoved(r, p.solved, random))) continue;
      p.part.holds = 'tracks';
      joined = true;
    }
  }
  return [first, ...rest.map(({ part, frames, leastTies }) => ({ part, frames, leastTies }))];
}

export function partOf(r: Reconstruction, frames: readonly number[], holds: ShotPart['holds'], solved: SolveResult | null): ShotPart {
  const numbers = frames.map((f) => r.obs.frames[f]);
  const alone = solved && solved.status !== 'failed' && solved.focalMm !== null ? { focalMm: solved.focalMm, sigmaFocalMm: solved.sigmaFocalMm, noisePx: solved.noisePx } : null;
  return { from: Math.min(...numbers), to: Math.max(...numbers), frames: frames.length, holds, by: [], alone };
}

/** World to camera in picture axes, of a frame as a result tells it. */
export function poseOf(frame: SolvedFrame): Pose {
  const c = quatToMat(frame.rotation);
  const rotation: Mat3 = [c[0], c[3], c[6], -c[1], -c[4], -c[7], -c[2], -c[5], -c[8]];
  const t = mulMatVec(rotation, frame.position);
  return { rotation, translation: [-t[0], -t[1], -t[2]] };
}

function joinMoved(r: Reconstruction, solved: SolveResult, random: () => number): boolean {
  const { obs } = r;
  const trackIndex = new Map(obs.trackIds.map((id, t) => [id, t]));
  const pairs = solved.points.flatMap((p) => {
    const t = trackIndex.get(p.track)!;
    const to = r.points[t];
    return to && !r.rejected[t] ? [{ track: t, from: p.position, to }] : [];
  });
  const laid = laidOn(pairs, centroid(r.poses.flatMap((p) => (p ? [centerOf(p)] : []))), random);
  if (!laid) return false;
  const { similarity } = laid;
  // what lies elsewhere on this side is another thing under the same name: it ties nothing
  for (const i of laid.off) r.points[pairs[i].track] = null;
  const frameIndex = new Map(obs.frames.map((f, i) => [f, i]));
  const back = transpose3(similarity.rotation);
  const profile = obs.profile.slice();
  for (const frame of solved.frames) {
    const f = frameIndex.get(frame.frame)!;
    const own = poseOf(frame);
    const rotation = mulMat3(own.rotation, back);
    const t = mulMatVec(rotation, applySimilarity(similarity, centerOf(own)));
    r.poses[f] = { rotation, translation: [-t[0], -t[1], -t[2]] };
    profile[f] = frame.focalMm / r.focalMm;
  }
  if (r.zoom) reprofile(obs, profile);
  for (const p of solved.points) {
    const t = trackIndex.get(p.track)!;
    if (!r.points[t] && !r.rejected[t] && !laid.off.some((i) => pairs[i].track === t)) r.points[t] = applySimilarity(similarity, p.position);
  }
  // as it lies now it is loose by more than a track that stands still may be off
  r.adjustAll(LOOSE_PX, 15, 1e-5);
  return true;
}

/** What carries one cloud onto the other: the triple of places that most of the others agree with, then all that do. */
export function laidOn(pairs: readonly { from: Vec3; to: Vec3 }[], eye: Vec3, random: () => number): { similarity: Similarity; off: number[] } | null {
  let best: { similarity: Similarity; miss: number[]; score: number } | null = null;
  for (const triple of triplesOf(pairs.length, random)) {
    const [a, b, c] = triple.map((i) => pairs[i]);
    if (isLine([a.from, b.from, c.from]) || isLine([a.to, b.to, c.to])) continue;
    const similarity = umeyama([a.from, b.from, c.from], [a.to, b.to, c.to]);
    const miss = pairs.map((p) => distance(applySimilarity(similarity, p.from), p.to) / Math.max(1e-12, distance(p.to, eye)));
    const score = miss.reduce((s, m) => s + Math.min(m, LOOSE) ** 2, 0);
    if (!best || score < best.score) best = { similarity, miss, score };
  }
  if (!best) return null;
  const limit = Math.min(LOOSE, Math.max(0.01, 4 * median(best.miss)));
  const { miss } = best;
  const kept = pairs.filter((_, i) => miss[i] <= limit);
  if (kept.length < LEAST_POINTS) return null;
  const similarity = umeyama(
    kept.map((p) => p.from),
    kept.map((p) => p.to),
  );
  return { similarity, off: miss.flatMap((m, i) => (m <= limit ? [] : [i])) };
}

/** Every triple of few, some of many. */
function triplesOf(n: number, random: () => number): number[][] {
  if ((n * (n - 1) * (n - 2)) / 6 > TRIPLES) return Array.from({ length: TRIPLES }, () => sampleIndices(n, 3, random));
  const every: number[][] = [];
  for (let a = 0; a < n; a += 1) for (let b = a + 1; b < n; b += 1) for (let c = b + 1; c < n; c += 1) every.push([a, b, c]);
  return every;
}

export function isLine([a, b, c]: readonly Vec3[]): boolean {
  const longest = Math.max(distance(a, b), distance(b, c), distance(a, c));
  return !(norm(cross(sub(b, a), sub(c, a))) > LEAST_TRIANGLE * longest * longest);
}

/** Of the half circle before a camera: what lies farther to the side has no slope worth using. */
const AHEAD = 0.2;

/** A stretch in which the camera only turned is one wide picture: where it stood is seen by the known points in it. */
function joinTurned(r: Reconstruction, solved: SolveResult, random: () => number): boolean {
  const { obs } = r;
  const known = new Map<string, Vec3>();
  obs.trackIds.forEach((id, t) => {
    const p = r.points[t];
    if (p && !r.rejected[t]) known.set(id, p);
  });
  const seen = (solved.directions ?? []).filter((d) => known.has(d.track));
  if (seen.length < LEAST_SIGHTINGS) return false;
  // looking at the middle of them
  const z = centroid(seen.map((d) => d.direction));
  const forward: Vec3 = [z[0] / norm(z), z[1] / norm(z), z[2] / norm(z)];
  const side = Math.abs(forward[1]) < 0.9 ? cross([0, 1, 0], forward) : cross([1, 0, 0], forward);
  const across: Vec3 = [side[0] / norm(side), side[1] / norm(side), side[2] / norm(side)];
  const look: Mat3 = [...across, ...cross(forward, across), ...forward] as unknown as Mat3;
  const sightings = seen.flatMap((d): Sighting[] => {
    const v = mulMatVec(look, d.direction);
    return v[2] > AHEAD ? [{ point: known.get(d.track)!, x: v[0] / v[2], y: v[1] / v[2] }] : [];
  });
  const huber = 4 / r.slopeToPx;
  const sampled = samplePose(sightings, 3 * huber, random);
  if (!sampled) return false;
  const { pose, inliers } = refinePose(sampled, sightings, huber);
  if (inliers < Math.max(LEAST_SIGHTINGS, 0.6 * sightings.length)) return false;
  // world → the wide picture → its own axes → the camera of a frame
  const world = mulMat3(transpose3(look), pose.rotation);
  const at = centerOf(pose);
  const frameIndex = new Map(obs.frames.map((f, i) => [f, i]));
  for (const frame of solved.frames) {
    const rotation = mulMat3(poseOf(frame).rotation, world);
    const t = mulMatVec(rotation, at);
    r.poses[frameIndex.get(frame.frame)!] = { rotation, translation: [-t[0], -t[1], -t[2]] };
  }
  // what has no depth holds the frames to each other all the same: a few known points alone would let them shake
  const depth = median(sightings.map((s) => distance(s.point, at)));
  const back = transpose3(world);
  obs.trackIds.forEach((id, t) => {
    const d = r.points[t] || r.rejected[t] ? undefined : solved.directions!.find((q) => q.track === id);
    if (d) r.points[t] = add(at, mulMatVec(back, scale(d.direction, depth)));
  });
  r.adjustAll(LOOSE_PX, 15, 1e-5);
  return true;
}

/** Places that only a turn saw are none: they were there to hold its frames together, and any depth would have done. */
export function forgetDepthless(r: Reconstruction, parts: readonly PlacedPart[]): void {
  if (!parts.some((p) => p.part.holds === 'tracks' && p.leastTies === LEAST_SIGHTINGS)) return;
  r.points.forEach((p, t) => {
    if (p && !r.intersect(t, MIN_RAY_ANGLE_RAD, Infinity)) r.points[t] = null;
  });
}

/** Tracks that have a place and are seen from a stretch and from outside it. */
function tiesOf(r: Reconstruction, frames: readonly number[]): number[] {
  const inside = new Set(frames);
  return r.points.flatMap((p, t) => {
    if (!p || r.rejected[t]) return [];
    let [here, there] = [false, false];
    for (const o of r.obs.byTrack[t]) {
      if (!r.poses[r.obs.frame[o]] || r.dropped[o]) continue;
      if (inside.has(r.obs.frame[o])) here = true;
      else there = true;
    }
    return here && there ? [t] : [];
  });
}

/**
 * Once all is adjusted: a stretch whose ties were left out since they do not fit hangs loose, and has no place.
 * @returns true where one was let go
 */
export function partAgain(r: Reconstruction, parts: readonly PlacedPart[]): boolean {
  let changed = false;
  for (const { part, frames, leastTies } of parts) {
    if (part.holds !== 'tracks') continue;
    const ties = tiesOf(r, frames);
    part.by = ties.map((t) => r.obs.trackIds[t]);
    if (ties.length >= leastTies && frames.some((f) => r.poses[f])) continue;
    part.holds = 'nothing';
    part.by = [];
    for (const f of frames) r.poses[f] = null;
    r.points.forEach((p, t) => {
      if (p && r.obs.byTrack[t].filter((o) => r.poses[r.obs.frame[o]]).length < 2) r.points[t] = null;
    });
    changed = true;
  }
  return changed;
}
