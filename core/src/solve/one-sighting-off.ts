import { slopeError } from './absolute-pose';
import type { Reconstruction } from './reconstruction';

/** Of the sightings of a place, so many have to agree, and such a share of them. */
const LEAST_AGREEING = 3;
const LEAST_SHARE = 0.6;
/** Places found in a picture that was made smaller are so much less sharp at most. */
const COARSE = 3;

/**
 * Places that were left out because one picture or another took something else for them: where most of their sightings agree the others are dropped and
 * the place comes back. What moves agrees nowhere.
 * @param limitPx how far off a sighting of weight one may be
 * @returns how many came back
 */
export function dropSightingsOff(r: Reconstruction, limitPx: number): number {
  let back = 0;
  const { obs } = r;
  obs.byTrack.forEach((all, t) => {
    if (r.points[t]) return;
    const seen = Array.from(all).filter((o) => r.poses[obs.frame[o]] && !r.dropped[o]);
    if (seen.length < LEAST_AGREEING + 1) return;
    const agreeing = mostAgreeing(r, t, seen, limitPx);
    if (agreeing.length < Math.max(LEAST_AGREEING, LEAST_SHARE * seen.length)) return;
    for (const o of seen) r.dropped[o] = agreeing.includes(o) ? 0 : 1;
    r.rejected[t] = 0;
    r.points[t] = r.intersect(t, 0, COARSE * limitPx);
    if (r.points[t]) back += 1;
    else for (const o of seen) r.dropped[o] = 0;
  });
  return back;
}

/** Of the place that each two sightings give, the sightings that are near it; the most of them. */
function mostAgreeing(r: Reconstruction, track: number, seen: readonly number[], limitPx: number): number[] {
  const { obs, focalMm } = r;
  let best: number[] = [];
  for (let i = 0; i < seen.length; i += 1)
    for (let j = i + 1; j < seen.length; j += 1) {
      for (const o of seen) r.dropped[o] = o === seen[i] || o === seen[j] ? 0 : 1;
      const point = r.intersect(track, 0, COARSE * limitPx);
      for (const o of seen) r.dropped[o] = 0;
      if (!point) continue;
      const near = seen.filter((o) => {
        const e = slopeError(r.poses[obs.frame[o]]!, { point, x: obs.xMm[o] / focalMm, y: obs.yMm[o] / focalMm });
        return e * r.slopeToPx * obs.profile[obs.frame[o]] * Math.sqrt(obs.weight[o]) <= limitPx;
      });
      if (near.length > best.length) best = near;
    }
  return best;
}
