import type { Distortion } from '../distortion';
import type { Quat, Vec3 } from '../math';
import type { AnchorResidual } from '../anchor';

export interface SolvedFrame {
  frame: number;
  position: Vec3;
  rotation: Quat;
  focalMm: number;
  rmsPx: number;
  tracks: number;
  sigmaPositionM: number | null;
}
export interface SolvedPoint {
  track: string;
  position: Vec3;
  sigmaM: number | null;
  rmsPx: number;
  observations: number;
}
/** `frame` is null when the whole track was left out. */
export interface TrimmedObservation {
  track: string;
  frame: number | null;
  residualPx: number;
  reason: 'moving' | 'trim';
}

/** The solve result of conventions.md. */
export interface SolveResult {
  status: 'solved' | 'partial' | 'failed';
  reason: string | null;
  width: number;
  height: number;
  focalMm: number | null;
  sigmaFocalMm: number | null;
  focalMode: 'held' | 'guided' | 'free';
  distortion: Distortion & { mode: 'held' | 'none'; normalisedWithMm: number; follows: boolean };
  rmsPx: number | null;
  rmsPerMille: number | null;
  /** one-axis noise of the tracks, px, from the residuals and their redundancy */
  noisePx: number | null;
  frames: SolvedFrame[];
  points: SolvedPoint[];
  trimmed: TrimmedObservation[];
  anchoring: {
    /** metres per unit of the unanchored solve; null when nothing gave a scale */
    scale: number | null;
    sigmaScalePct: number | null;
    datum: string[];
    residuals: AnchorResidual[];
  };
  warnings: string[];
  iterations: number;
}
