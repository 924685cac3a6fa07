import { expSO3, matToQuat, median, mulMat3, mulMatVec, quatToMat, transpose3, type Mat3, type Vec3 } from '../math';
import type { TrackPoint } from '../track/track-point';
import type { SolvedObject, SolveResult } from './result';
import type { AnchorFacts } from '../facts';
import type { SolveSetup } from './setup';
import { SOLVE } from '../warnings';

/** A track that spans less than this share of what the usual one spans belongs to what stands still with the camera. */
const STILL_SHARE = 0.1;
const STILL_PX = 1.5;

/**
 * An object that moves before a still camera is the same picture as a camera that moves round a still object: it is solved so, in the object's own
 * frame, and then put before the camera, which stands where it was measured to.
 * Facts    lengths, distances, and places of marks on the object hold in its frame; the camera's height and angles are of the set, and say where
 *          the still camera is in it: at the height over the origin, looking along −Z but for tilt and roll.
 */
export function objectSetup(setup: SolveSetup): SolveSetup {
  const anchors: AnchorFacts = { ...setup.anchors, cameraHeights: [], cameraAngles: [] };
  return { ...setup, motion: 'free', anchors };
}

/** Without the tracks of what stands still: the camera does too, so that they stay where they are in the picture. */
export function withoutStill(tracks: readonly TrackPoint[]): { tracks: TrackPoint[]; still: number } {
  const spans = new Map<string, [number, number, number, number]>();
  for (const t of tracks) {
    const s = spans.get(t.track);
    if (!s) spans.set(t.track, [t.x, t.x, t.y, t.y]);
    else spans.set(t.track, [Math.min(s[0], t.x), Math.max(s[1], t.x), Math.min(s[2], t.y), Math.max(s[3], t.y)]);
  }
  const span = (s: [number, number, number, number]) => Math.hypot(s[1] - s[0], s[3] - s[2]);
  const moving = [...spans.values()].map(span).filter((v) => v > STILL_PX);
  if (moving.length === 0) return { tracks: [...tracks], still: 0 };
  const limit = Math.max(STILL_PX, STILL_SHARE * median(moving));
  const still = new Set([...spans].filter(([, s]) => span(s) < limit).map(([id]) => id));
  return { tracks: tracks.filter((t) => !still.has(t.track)), still: still.size };
}

/** The result of the object's frame, with the object's way before the still camera. */
export function asObject(solve: SolveResult, setup: SolveSetup, still: number): SolveResult {
  if (solve.status === 'failed') return { ...solve, motion: 'object' };
  const warnings = solve.warnings.filter((w) => w.code !== 'NO_GROUND');
  if (still > 0) warnings.push(SOLVE.SET_TRACKS(still));
  if (solve.motion === 'pan')
    return { ...solve, motion: 'object', status: 'partial', reason: 'the object only turned about the camera, or was too far away for its size: no shape and no place of it is seen', warnings };
  const heights = setup.anchors?.cameraHeights ?? [];
  if (heights.length === 0) warnings.push(SOLVE.OBJECT_WITHOUT_HEIGHT());
  if (heights.length > 1) warnings.push(SOLVE.OBJECT_MANY_HEIGHTS());
  const angle = (of: 'tilt' | 'roll') => setup.anchors?.cameraAngles?.find((a) => a.of === of)?.rad ?? 0;
  const world = mulMat3(expSO3([angle('tilt'), 0, 0]), expSO3([0, 0, -angle('roll')]));
  const camera: Vec3 = [0, heights[0]?.m ?? 0, 0];
  return {
    ...solve,
    motion: 'object',
    object: solve.frames.map((f): SolvedObject => {
      const turn: Mat3 = mulMat3(world, transpose3(quatToMat(f.rotation)));
      const at = mulMatVec(turn, f.position);
      return { frame: f.frame, position: [camera[0] - at[0], camera[1] - at[1], camera[2] - at[2]], rotation: matToQuat(turn) };
    }),
    warnings,
  };
}
