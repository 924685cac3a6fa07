import type { Vec3 } from '../math';
import { adjust } from './adjust';
import type { BundleProblem, BundleState } from './bundle-problem';

const PROFILE_ITERATIONS = 60;
/** Nearer than this to the record there is nothing to ask. */
const SAME_FOCAL = 0.02;

/**
 * How far the focal length may be off by the cost itself: it is held at the record, everything else adjusted, and the distance to the record
 * counts as so many sigmas as the cost rose by. Where a move hardly shows the focal length the valley is long and bent, and its curvature at
 * one place, made by the noise itself, promises far too much: a camera that slides sideways without turning fits any.
 * Source   profile likelihood; Bates & Watts, Nonlinear Regression Analysis (1988), sec. 6.1.
 * @returns one standard deviation, mm; null when the solved length is the recorded one
 */
export function focalProfile(problem: BundleProblem, state: BundleState, recordedMm: number, variance: number): number | null {
  const off = Math.abs(state.focalMm - recordedMm);
  if (off < SAME_FOCAL * recordedMm) return null;
  const free = adjust({ ...problem, focal: { held: false } }, state, { maxIterations: PROFILE_ITERATIONS, costTolerance: 1e-9 });
  const ratio = recordedMm / free.state.focalMm;
  // to begin with, depths along each view as the other length would have them
  const held = adjust({ ...problem, focal: { held: true } }, deepened(free.state, ratio), { maxIterations: PROFILE_ITERATIONS, costTolerance: 1e-9 });
  const rise = (2 * (held.finalCost - free.finalCost)) / Math.max(1e-12, variance);
  return off / Math.sqrt(Math.max(1e-6, rise));
}

/** The same directions with all depths longer by a factor, as a camera sees them that does not turn: along the mean line of sight. */
export function deepened(s: BundleState, ratio: number): BundleState {
  const cameras = s.translations.length / 3;
  let sight: Vec3 = [0, 0, 0];
  for (let c = 0; c < cameras; c += 1) sight = [sight[0] + s.rotations[9 * c + 6], sight[1] + s.rotations[9 * c + 7], sight[2] + s.rotations[9 * c + 8]];
  const n = Math.hypot(...sight) || 1;
  const [a, b, c] = sight.map((v) => v / n);
  const stretch = (x: ArrayLike<number>, at: number): Vec3 => {
    const along = (ratio - 1) * (a * x[at] + b * x[at + 1] + c * x[at + 2]);
    return [x[at] + along * a, x[at + 1] + along * b, x[at + 2] + along * c];
  };
  const points = new Float64Array(s.points.length);
  for (let i = 0; i < points.length; i += 3) points.set(stretch(s.points, i), i);
  const translations = new Float64Array(s.translations.length);
  for (let k = 0; k < cameras; k += 1) {
    const r = s.rotations.subarray(9 * k, 9 * k + 9);
    const t = s.translations.subarray(3 * k, 3 * k + 3);
    const center = stretch(
      [0, 1, 2].map((i) => -(r[i] * t[0] + r[3 + i] * t[1] + r[6 + i] * t[2])),
      0,
    );
    for (let i = 0; i < 3; i += 1) translations[3 * k + i] = -(r[3 * i] * center[0] + r[3 * i + 1] * center[1] + r[3 * i + 2] * center[2]);
  }
  return { rotations: s.rotations.slice(), translations, points, focalMm: s.focalMm * ratio };
}
