import type { TrackPoint } from '../track/track-point';

/** Where a track was at a moment between its frames. */
export interface PlaceBetween {
  x: number;
  y: number;
  /** variance over that of one place: below 1 where several were mixed, above 1 beyond an end */
  noise: number;
  /** least of what it was made of */
  weight: number;
}

/** Frames that lie farther apart say nothing of what was between them. */
const FARTHEST = 2;
/** The polynomial of so many places is as good as a move at the rate of the pictures lets any be; beyond an end fewer, which hold back the noise. */
const MOST = 6;
const MOST_BEYOND = 4;

/** Tracks by name, each in the order of its frames. */
export function inOrder(tracks: readonly TrackPoint[]): Map<string, TrackPoint[]> {
  const byTrack = new Map<string, TrackPoint[]>();
  for (const t of tracks) {
    const mine = byTrack.get(t.track);
    if (mine) mine.push(t);
    else byTrack.set(t.track, [t]);
  }
  for (const mine of byTrack.values()) mine.sort((a, b) => a.frame - b.frame);
  return byTrack;
}

/**
 * The polynomial through the places around a moment (Lagrange; Abramowitz & Stegun 25.2), at most six of them without a gap.
 * @param points of one track, in the order of their frames
 * @param beyond so many frames past an end of what holds together it may go on
 * @returns null where the track says nothing of that moment
 */
export function placeBetween(points: readonly TrackPoint[], moment: number, beyond = 0): PlaceBetween | null {
  let [low, high] = [0, points.length - 1];
  while (low < high) {
    const middle = (low + high) >> 1;
    if (points[middle].frame < moment) low = middle + 1;
    else high = middle;
  }
  // the nearest one of the two around it
  if (low > 0 && Math.abs(points[low - 1].frame - moment) <= Math.abs(points[low].frame - moment)) low -= 1;
  let [from, to] = [low, low];
  const most = (): number => (inside(points, from, to, moment) ? MOST : MOST_BEYOND);
  for (;;) {
    if (to - from + 1 >= most()) break;
    const before = from > 0 && points[from].frame - points[from - 1].frame <= FARTHEST ? moment - points[from - 1].frame : Infinity;
    const after = to + 1 < points.length && points[to + 1].frame - points[to].frame <= FARTHEST ? points[to + 1].frame - moment : Infinity;
    if (before === Infinity && after === Infinity) break;
    if (before <= after) from -= 1;
    else to += 1;
  }
  if (!inside(points, from, to, moment) && (to === from || Math.max(points[from].frame - moment, moment - points[to].frame) > beyond)) return null;
  return mixed(points, from, to, moment);
}

const inside = (points: readonly TrackPoint[], from: number, to: number, moment: number): boolean => points[from].frame <= moment && moment <= points[to].frame;

function mixed(points: readonly TrackPoint[], from: number, to: number, moment: number): PlaceBetween {
  const place: PlaceBetween = { x: 0, y: 0, noise: 0, weight: Infinity };
  for (let i = from; i <= to; i += 1) {
    let share = 1;
    for (let j = from; j <= to; j += 1) if (j !== i) share *= (moment - points[j].frame) / (points[i].frame - points[j].frame);
    place.x += share * points[i].x;
    place.y += share * points[i].y;
    place.noise += share * share;
    place.weight = Math.min(place.weight, points[i].weight ?? 1);
  }
  return place;
}
