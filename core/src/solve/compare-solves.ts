import { applySimilarity, distance, IDENTITY3, median, mulMat3, quatToMat, rotationAngle, umeyama, type Similarity, type Vec3 } from '../math';
import type { SolveResult } from './result';

/** How far two paths are apart where both have a frame; in metres where both solves have a scale, else in units of the first. */
export interface PathGap {
  medianM: number;
  worstM: number;
  worstFrame: number;
}
export interface SolveComparison {
  /** that both have */
  frames: number;
  /** as each is anchored by itself; null where one of them has no scale, so that its place and size are its own */
  anchored: PathGap | null;
  /** after the second was laid onto the first by turning, moving and scaling it: what is left is of the shape */
  shape: PathGap;
  /** by how much the second had to be made larger for that, and turned, degrees; of an anchored pair this is what the anchors disagree about */
  scaledBy: number;
  turnedDeg: number;
  /** greatest angle between the cameras of one frame, after that, degrees */
  worstTurnDeg: number;
  /** the second's path in the world of the first: as anchored where both are, else as laid onto it */
  path: { frame: number; position: Vec3 }[];
}

const DEG = 180 / Math.PI;
const FEWEST_FRAMES = 3;
/** Of its longest extent: a path that is a line, or a point, does not say how it is turned. */
const FLAT = 1e-3;

/** Below this the pairs lie on one line, which may be turned about itself at will. */
function spansAPlane(points: readonly Vec3[]): boolean {
  const a = points[0];
  const far = points.reduce((best, p) => (distance(p, a) > distance(best, a) ? p : best), a);
  const length = distance(a, far);
  if (length === 0) return false;
  const axis = far.map((v, k) => (v - a[k]) / length);
  return points.some((p) => {
    const d = p.map((v, k) => v - a[k]);
    const along = d[0] * axis[0] + d[1] * axis[1] + d[2] * axis[2];
    return Math.sqrt(Math.max(0, d[0] ** 2 + d[1] ** 2 + d[2] ** 2 - along ** 2)) > FLAT * length;
  });
}

const gapOf = (frames: readonly number[], a: readonly Vec3[], b: readonly Vec3[]): PathGap => {
  const gaps = a.map((p, i) => distance(p, b[i]));
  const worst = gaps.reduce((w, g, i) => (g > gaps[w] ? i : w), 0);
  return { medianM: median(gaps), worstM: gaps[worst], worstFrame: frames[worst] };
};

/**
 * Two solves of one take laid over each other: as both are anchored, and by their shape alone (Umeyama 1991 over the camera's places and the
 * points whose tracks both have). Rotations are of the camera in the world.
 * Returns null where they cannot be: a pan has no places, an object's world moves, fewer than three frames in common, or all that both have
 * lies on one line.
 */
export function compareSolves(first: SolveResult, second: SolveResult): SolveComparison | null {
  const free = (s: SolveResult) => s.status !== 'failed' && (s.motion ?? 'free') === 'free';
  if (!free(first) || !free(second)) return null;
  const bFrames = new Map(second.frames.map((f) => [f.frame, f]));
  const both = first.frames.filter((f) => bFrames.has(f.frame));
  if (both.length < FEWEST_FRAMES) return null;
  const frames = both.map((f) => f.frame);
  const a = both.map((f) => f.position);
  const b = frames.map((n) => bFrames.get(n)!.position);
  const points = new Map(second.points.map((q) => [q.track, q.position]));
  const shared = first.points.filter((q) => points.has(q.track));
  const from = [...b, ...shared.map((q) => points.get(q.track)!)];
  const onto = [...a, ...shared.map((q) => q.position)];
  if (!spansAPlane(from) || !spansAPlane(onto)) return null;
  const laying: Similarity = umeyama(from, onto);
  const laid = b.map((p) => applySimilarity(laying, p));
  const anchored = first.anchoring.scale !== null && second.anchoring.scale !== null;
  const turns = both.map((f) => {
    const there = mulMat3(laying.rotation, quatToMat(bFrames.get(f.frame)!.rotation));
    return rotationAngle(quatToMat(f.rotation), there);
  });
  return {
    frames: both.length,
    anchored: anchored ? gapOf(frames, a, b) : null,
    shape: gapOf(frames, a, laid),
    scaledBy: laying.scale,
    turnedDeg: DEG * rotationAngle(IDENTITY3, laying.rotation),
    worstTurnDeg: DEG * Math.max(...turns),
    path: frames.map((frame, i) => ({ frame, position: anchored ? b[i] : laid[i] })),
  };
}
