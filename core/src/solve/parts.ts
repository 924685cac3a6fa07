import type { Observations } from './observations';
import { MIN_SHARED_TRACKS } from './start';

/**
 * Stretches of a shot that hold together by themselves: neighbouring frames share so many tracks that each can be placed by those before it. Where
 * fewer go on (a whip, a flash, a hand before the lens) the shot is parted. Stretches that share enough over a gap are one: the camera came back.
 * Frames that share too little with any other belong to none.
 * @returns indices of frames, stretch by stretch, in order
 */
export function partsOf(obs: Observations): number[][] {
  const { frames } = obs;
  const segmentOf = new Int32Array(frames.length);
  const before = new Int32Array(obs.trackIds.length).fill(-1);
  let segments = 0;
  for (let f = 0; f < frames.length; f += 1) {
    let shared = 0;
    for (const o of obs.byFrame[f]) {
      if (f > 0 && before[obs.track[o]] === f - 1) shared += 1;
      before[obs.track[o]] = f;
    }
    if (f > 0 && shared < MIN_SHARED_TRACKS) segments += 1;
    segmentOf[f] = segments;
  }
  const parent = Array.from({ length: segments + 1 }, (_, s) => s);
  const root = (s: number): number => {
    let at = s;
    while (parent[at] !== at) at = parent[at];
    return at;
  };
  const common = new Map<number, number>();
  for (const list of obs.byTrack) {
    let last = -1;
    for (const o of list) {
      const s = segmentOf[obs.frame[o]];
      if (last >= 0 && s !== last) {
        const key = last * (segments + 1) + s;
        common.set(key, (common.get(key) ?? 0) + 1);
      }
      last = s;
    }
  }
  for (const [key, count] of common) if (count >= MIN_SHARED_TRACKS) parent[root(key % (segments + 1))] = root(Math.floor(key / (segments + 1)));
  const byRoot = new Map<number, number[]>();
  segmentOf.forEach((s, f) => byRoot.set(root(s), [...(byRoot.get(root(s)) ?? []), f]));
  return [...byRoot.values()].filter((list) => list.length >= 2 && lasting(obs, list) >= MIN_SHARED_TRACKS);
}

/** Tracks that are in two frames of a stretch or more. */
function lasting(obs: Observations, frames: readonly number[]): number {
  const seen = new Map<number, number>();
  for (const f of frames) for (const o of obs.byFrame[f]) seen.set(obs.track[o], (seen.get(obs.track[o]) ?? 0) + 1);
  return [...seen.values()].filter((n) => n >= 2).length;
}
