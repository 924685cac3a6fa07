import { CoreError } from '../errors';
import type { Mat3, Quat, Vec3 } from '../math';
import type { NetFact } from '../facts';
import type { Warning } from '../warnings';

/** A point of the set marked in one picture, px of the recorded picture. */
export interface LineUpMark {
  id: string;
  xPx: number;
  yPx: number;
}
export interface LineUpPoint {
  id: string;
  position: Vec3;
  /** of one axis, m; 0 or missing: exact */
  sigmaM?: number;
}

/**
 * In what the camera stands. places: the frame of the places that were given. Where only lengths were: floor: over the floor under the
 * camera, looking along −Z; level: the same, from the camera itself; camera: the camera's own axes.
 */
export type LineUpFrame = 'places' | 'floor' | 'level' | 'camera';

export interface LineUp {
  status: 'solved' | 'failed';
  reason: string | null;
  frame: LineUpFrame;
  /** entrance pupil, m */
  position: Vec3 | null;
  /** camera to world, −Z forwards, Y up */
  rotation: Quat | null;
  /** effective, mm */
  focalMm: number | null;
  /** 0 where it was held */
  sigmaFocalMm: number | null;
  /** by axis, m; of lengths only the height: the rest defines the frame */
  sigmaPositionM: Vec3 | null;
  /** m: along the lens axis, where a camera is known worst; of lengths how far away the marks are, the middle one of them */
  sigmaAlongAxisM: number | null;
  /** against the up of the frame: the height of the line of sight, and the lean of the picture's rows (clockwise from behind is positive) */
  angles: LineUpAngles | null;
  rmsPx: number | null;
  /** of each mark that took part, px; `left`: it does not belong to the others and was left out */
  marks: { id: string; dxPx: number; dyPx: number; left: boolean }[];
  /** where the marks are: as given, or as the lengths put them */
  places: LineUpPoint[];
  /** what was known between the marks, and how far off each comes out, m */
  facts: { fact: NetFact; offM: number; left: boolean }[];
  warnings: Warning[];
}

export interface LineUpAngles {
  tiltRad: number;
  rollRad: number;
  sigmaTiltRad: number;
  sigmaRollRad: number;
}

export interface LineUpOptions {
  /** how well a mark is set, one axis, px; default 0.7 */
  markSigmaPx?: number;
}
export const MARK_SIGMA_PX = 0.7;

export const failedLineUp = (reason: string, warnings: Warning[]): LineUp => ({
  status: 'failed',
  reason,
  frame: 'places',
  position: null,
  rotation: null,
  focalMm: null,
  sigmaFocalMm: null,
  sigmaPositionM: null,
  sigmaAlongAxisM: null,
  angles: null,
  rmsPx: null,
  marks: [],
  places: [],
  facts: [],
  warnings,
});

/** @throws CoreError for marks that are no numbers, or named twice */
export function checkMarks(marks: readonly LineUpMark[]): void {
  const seen = new Set<string>();
  for (const m of marks) {
    if (![m.xPx, m.yPx].every(Number.isFinite)) throw new CoreError('NON_FINITE_INPUT', `Mark ${m.id}: x and y must be numbers`, 'marks');
    if (seen.has(m.id)) throw new CoreError('INVALID_OPTION', `${m.id} is marked twice`, 'marks');
    seen.add(m.id);
  }
}

/** Tilt and roll of a camera given as world to picture (right, down, forward). */
export function anglesFrom(toCamera: Mat3): Pick<LineUpAngles, 'tiltRad' | 'rollRad'> {
  const [right, down, forward] = [toCamera[1], toCamera[4], toCamera[7]];
  return { tiltRad: Math.asin(Math.max(-1, Math.min(1, forward))), rollRad: Math.atan2(-right, -down) };
}
