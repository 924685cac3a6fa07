import { sigmaFromMedianRadius } from '../estimate';
import { IDENTITY3, median } from '../math';
import type { Pose } from './absolute-pose';
import type { SlopePair } from './five-point';
import { flatPoses } from './flat-poses';
import { Reconstruction, type FocalRule } from './reconstruction';
import { estimateRelativePose, rotationOnly } from './relative-pose';
import type { Observations } from './observations';
import type { LensMap } from './setup';

/** Rays that meet flatter than this (half a degree) leave a depth good to a few per cent at best with tracks of half a pixel. */
export const MIN_RAY_ANGLE_RAD = 0.008;

/** Where a shot would end for want of places, flatter ones lead on: what they lack in depth the adjustment after them knows. */
const FLATTER_RAD = [0.004, 0.002, 0.001] as const;

/** Gives places to tracks of flatter rays, no flatter than is needed. Returns how many; 0: nothing leads on. */
export function triangulateFlatter(r: Reconstruction): number {
  for (const rad of FLATTER_RAD) {
    const added = r.triangulate(rad, 4);
    if (added > 0) return added;
  }
  return 0;
}

/** Tracks that a starting pair needs: eight is the trade's floor; the essential matrix itself is fixed by five. */
export const MIN_SHARED_TRACKS = 8;

/**
 * Frames far enough apart to carry parallax and near enough to share tracks: from each one the farthest that still shares 60 % of its
 * tracks (and at least twelve), every frame counted.
 */
export function chooseKeyframes(obs: Observations, maxCount = 60): number[] {
  const frames = obs.frames.length;
  const tracksOf = obs.byFrame.map((list) => new Set(Array.from(list, (o) => obs.track[o])));
  const minStep = Math.max(1, Math.floor(frames / maxCount));
  const keys = [0];
  for (;;) {
    const from = keys[keys.length - 1];
    if (from >= frames - 1) break;
    let next = Math.min(frames - 1, from + minStep);
    const longest = Math.min(frames - 1, from + Math.max(minStep, Math.ceil(frames / 12)));
    for (let f = next + 1; f <= longest; f += 1) {
      let shared = 0;
      for (const t of tracksOf[f]) if (tracksOf[from].has(t)) shared += 1;
      if (shared < Math.max(12, 0.6 * tracksOf[from].size)) break;
      next = f;
    }
    keys.push(next);
  }
  return keys;
}

export interface PairCandidate {
  a: number;
  b: number;
  shared: number;
  parallaxRad: number;
  score: number;
}

/** Among so many keyframes the best pair is hardly worse than among all, and the pairs are few enough to rank them for every start. */
const RANKED_KEYFRAMES = 24;
/** Shared tracks that the parallax of a pair is judged by. */
const RANKED_TRACKS = 48;

/** A pair of fewer fits any model: nobody can tell by it whether the camera moved. */
export const RICH_SHARED = 24;

/** Keyframes in even steps, no more of them than is needed; of a long shot with tracks that live shortly so many that neighbours share enough. */
function spreadKeys(r: Reconstruction, all: readonly number[]): number[] {
  for (let stride = Math.ceil(all.length / RANKED_KEYFRAMES); ; stride -= 1) {
    const keys = all.filter((_, i) => i % stride === 0 || i === all.length - 1);
    if (stride <= 1) return keys;
    const shared = keys.slice(1).map((b, i) => r.sharedPairs(keys[i], b).pairs.length);
    if (median(shared) >= RICH_SHARED) return keys;
  }
}

/**
 * Pairs of keyframes ranked by parallax: what is left of the motion after the best pure rotation, as an angle, times the root of the
 * number of shared tracks. Parallax above 8° counts no more: beyond it tracks get lost rather than stronger.
 */
export function rankPairs(r: Reconstruction, all: readonly number[]): PairCandidate[] {
  const keys = spreadKeys(r, all);
  const list: PairCandidate[] = [];
  for (let i = 0; i < keys.length; i += 1) {
    for (let j = i + 1; j < keys.length; j += 1) {
      const { pairs } = r.sharedPairs(keys[i], keys[j]);
      if (pairs.length < MIN_SHARED_TRACKS) break; // later keyframes share fewer still
      const every = Math.ceil(pairs.length / RANKED_TRACKS);
      const parallaxRad = rotationOnly(every === 1 ? pairs : pairs.filter((_, k) => k % every === 0)).medianSlope;
      const angle = Math.min(parallaxRad, 0.14);
      list.push({ a: keys[i], b: keys[j], shared: pairs.length, parallaxRad, score: angle * Math.sqrt(Math.min(pairs.length, 60)) });
    }
  }
  return list.sort((p, q) => q.score - p.score);
}

/**
 * How many times the criterion's own penalty the gain must be. 1 decides a pan of 25 tracks by luck, since the sampled essential matrix
 * fits noise; 3 asks for parallax of about four times the noise, without which depths are useless anyway.
 */
const MOTION_EVIDENCE = 3;

/**
 * Whether a pair shows more than a turn of the camera, by a criterion that counts parameters: the homography of a pure rotation (a
 * surface of dimension 2 in the space of picture pairs, 3 parameters) against the essential matrix (dimension 3, 5 parameters).
 * Source  Kanatani, Geometric information criterion for model selection, IJCV 26(3), 1998; distances truncated at 5 sigma as in Torr 1997.
 */
export function hasParallax(pairs: readonly SlopePair[], slopeToPx: number, random: () => number): boolean {
  const essential = estimateRelativePose(pairs, 3 / slopeToPx, random, 40);
  const turn = rotationOnly(pairs);
  if (!essential) return false;
  const n = pairs.length;
  // five parameters fitted to n distances shrink them; the floor is a twentieth of a pixel: below it every real motion shows
  const sigma = Math.max(essential.sigmaSlope * Math.sqrt(n / Math.max(1, n - 5)), 0.05 / slopeToPx);
  const cap = 25 * sigma * sigma;
  let turnSum = 0;
  for (const d of turn.residualsSlope) turnSum += Math.min(2 * cap, (d * d) / 2); // two pictures share the error
  const essentialSum = Math.min(essential.cost, n * cap);
  return turnSum - essentialSum > MOTION_EVIDENCE * 2 * (n + 2) * sigma * sigma;
}

/**
 * Two cameras and the points between them, adjusted: none when the pair does not carry, several where what it shows is flat and fits as many poses.
 * @param mayBeFlat false where a turn explains the pair: what it leaves is flat too
 */
export function startsFromPair(obs: Observations, lens: LensMap, focalMm: number, rule: FocalRule, pair: PairCandidate, random: () => number, mayBeFlat: boolean): Reconstruction[] {
  const bare = new Reconstruction(obs, lens, focalMm, { held: true });
  const { pairs, tracks } = bare.sharedPairs(pair.a, pair.b);
  const relative = estimateRelativePose(pairs, 4 / bare.slopeToPx, random, 80);
  if (!relative || relative.inliers < MIN_SHARED_TRACKS - 1) return [];
  const flat = mayBeFlat ? flatPoses(pairs, relative, FLAT_PX / bare.slopeToPx) : [];
  return [relative, ...relative.others, ...flat].flatMap((pose) => startAt(obs, lens, focalMm, rule, pair, pose, tracks) ?? []);
}
/** Half of what a pair shows lies within this of a plane: the poses that a plane leaves open are tried too. */
const FLAT_PX = 2;

function startAt(obs: Observations, lens: LensMap, focalMm: number, rule: FocalRule, pair: PairCandidate, pose: Pose, tracks: number[]): Reconstruction | null {
  const r = new Reconstruction(obs, lens, focalMm, { held: true });
  r.poses[pair.a] = { rotation: IDENTITY3, translation: [0, 0, 0] };
  r.poses[pair.b] = { rotation: pose.rotation, translation: pose.translation };
  r.triangulate(0.005, 12, tracks);
  if (r.points.filter(Boolean).length < MIN_SHARED_TRACKS - 2) return null;
  r.adjustAll(2, 15);
  // points that the two views alone throw far off would pull the next frames
  const depths = r.points.flatMap((p) => (p ? [p[2]] : []));
  const typical = median(depths);
  r.points.forEach((p, t) => {
    if (p && (p[2] <= 0 || p[2] > 50 * typical)) r.points[t] = null;
  });
  const started = new Reconstruction(obs, lens, r.focalMm, rule);
  r.poses.forEach((p, f) => {
    started.poses[f] = p;
  });
  r.points.forEach((p, t) => {
    started.points[t] = p;
  });
  return started;
}

/**
 * Grows a reconstruction over the wanted frames: the frame that sees most known points next, new tracks triangulated, an adjustment
 * after every third frame and at the end.
 * @returns frames that could not be placed
 */
export function growOver(r: Reconstruction, wanted: readonly number[], random: () => number, onPlaced?: (placed: number) => void): number[] {
  const open = new Set(wanted.filter((f) => !r.poses[f]));
  let sincePlaced = 0;
  const failed = new Set<number>();
  while (open.size > 0) {
    let best = -1;
    let most = 0;
    for (const f of open) {
      if (failed.has(f)) continue;
      let known = 0;
      for (const o of r.obs.byFrame[f]) if (r.points[r.obs.track[o]]) known += 1;
      if (known > most) {
        most = known;
        best = f;
      }
    }
    if (best < 0 || most < 6) {
      if (triangulateFlatter(r) === 0) break;
      r.adjustAll(2, 6, 1e-4);
      failed.clear();
      continue;
    }
    if (!r.place(best, 3, random)) {
      failed.add(best);
      continue;
    }
    open.delete(best);
    sincePlaced += 1;
    r.triangulate(
      MIN_RAY_ANGLE_RAD,
      4,
      Array.from(r.obs.byFrame[best], (o) => r.obs.track[o]),
    );
    if (sincePlaced % 3 === 0 || r.placedFrames().length <= 5) {
      const { residualPx, obsOf } = r.adjustAll(2, 6, 1e-4);
      dropWild(r, residualPx, obsOf);
      failed.clear();
    }
    onPlaced?.(r.placedFrames().length);
  }
  return [...open];
}

/** Forgets points whose median residual is far above everybody's: a later, better view may place them again. */
export function dropWild(r: Reconstruction, residualPx: Float64Array, obsOf: Int32Array, factor = 6): number {
  const sigma = Math.max(0.1, sigmaFromMedianRadius(median(residualPx)));
  const byTrack = new Map<number, number[]>();
  obsOf.forEach((o, i) => {
    const list = byTrack.get(r.obs.track[o]);
    if (list) list.push(residualPx[i]);
    else byTrack.set(r.obs.track[o], [residualPx[i]]);
  });
  let dropped = 0;
  for (const [t, list] of byTrack) {
    if (median(list) > factor * sigma) {
      r.points[t] = null;
      dropped += 1;
    }
  }
  return dropped;
}
