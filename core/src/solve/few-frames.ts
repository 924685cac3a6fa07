import { median } from '../math';
import { adjust } from './adjust';
import type { Reconstruction } from './reconstruction';

/** Shorter shots are adjusted as a whole at once. */
const LEAST_FRAMES = 300;
/** Of the frames that a track lives through so many are enough to carry what it says of path and lens. */
const SIGHTINGS_A_TRACK = 14;
const LEAST_STRIDE = 3;
/** Where tracks live through a larger share of the shot, its ends see each other, and no valley is flat. */
const LONG_LIFE = 1 / 3;
/** Each costs little beside one over all frames. */
const MOST_ITERATIONS = 200;

/**
 * Every n-th placed frame of a long shot whose tracks live shortly; null: it is adjusted as a whole.
 * Why   The normal equations of such a shot have a band as wide as a track lives, and cost frames × life². Errors that build up along the path
 *       (focal length, depth and curvature against each other) take tens of steps; on every n-th frame each takes n³ times less.
 */
export function fewFramesOf(r: Reconstruction): ReadonlySet<number> | null {
  const placed = r.placedFrames();
  if (placed.length < LEAST_FRAMES || r.turnOnly || r.pair) return null;
  const lives = r.obs.byTrack.flatMap((list, t) => (r.points[t] ? [list.length] : []));
  if (lives.length === 0) return null;
  const life = median(lives);
  const stride = Math.floor(life / SIGHTINGS_A_TRACK);
  if (stride < LEAST_STRIDE || life > LONG_LIFE * placed.length) return null;
  return new Set(placed.filter((_, i) => i % stride === 0 || i === placed.length - 1));
}

/**
 * Adjusts these frames to their floor and forgets where all others were, and the places that these frames do not see twice: they are to be
 * placed anew from what was adjusted.
 */
export function adjustFew(r: Reconstruction, few: ReadonlySet<number>, huberPx: number): void {
  const { problem, state, frameOf, trackOf } = r.toBundle(few);
  const adjusted = adjust(problem, state, { huberPx, maxIterations: MOST_ITERATIONS, costTolerance: 1e-3 / problem.camera.length, settle: true });
  r.poses.fill(null);
  r.points.fill(null);
  r.absorb(adjusted.state, frameOf, trackOf);
}
