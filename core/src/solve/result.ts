import type { Distortion } from '../lens';
import type { Quat, Vec3 } from '../math';
import type { CountingQuestion } from '../track/counting';
import type { Bending } from './bending';
import type { FirstAnswer } from './first-answer';
import type { FocalAsked } from './focal-asked';
import type { MovedAfterAll } from './moved-after-all';
import type { ReadoutSeen } from './readout-asked';
import type { ReadoutLeft } from './readout-left';
import type { Squeezed } from './squeezed';
import type { AnchorResidual, PlaceCovariance, Undecided } from '../anchor';
import type { Warning } from '../warnings';

export interface SolvedFrame {
  frame: number;
  position: Vec3;
  rotation: Quat;
  focalMm: number;
  /** of a zoom */
  sigmaFocalMm?: number | null;
  rmsPx: number;
  tracks: number;
  /** by coordinate, as the root of the mean of the three variances: depth may be far worse than it, see `covarianceM2` */
  sigmaPositionM: number | null;
  /** xx, xy, xz, yy, yz, zz in the world; missing in results from before it was kept */
  covarianceM2?: PlaceCovariance | null;
}
export interface SolvedPoint {
  track: string;
  position: Vec3;
  /** as that of a camera */
  sigmaM: number | null;
  covarianceM2?: PlaceCovariance | null;
  rmsPx: number;
  observations: number;
}
/** Of a camera that only turns: where a track lies, without a depth. */
export interface SolvedDirection {
  track: string;
  /** unit length, in the world */
  direction: Vec3;
  rmsPx: number;
  observations: number;
}
/** Where an object was before a still camera: its own frame in the set's. */
export interface SolvedObject {
  frame: number;
  position: Vec3;
  rotation: Quat;
}
/** `frame` is null when the whole track was left out. */
export interface TrimmedObservation {
  track: string;
  frame: number | null;
  residualPx: number;
  reason: 'moving' | 'trim';
}

/** The places of a solve that lie beyond the limit of a trim, before anything is adjusted without them. */
export interface TrimPreview {
  places: number;
  of: number;
  /** on which they lie */
  tracks: number;
  limitPx: number;
  /** of those that would stay, px */
  restRmsPx: number;
}

/** A witness camera that was carried by the main one, solved with it. */
export interface PairedWitness {
  name: string;
  focalMm: number;
  sigmaFocalMm: number | null;
  /** of its own tracks */
  rmsPx: number;
  /** of its entrance pupil in the main camera (x right, y up, −z forwards), in metres where the solve has a scale */
  translation: Vec3;
  /** from its camera axes to the main camera's */
  rotation: Quat;
  /** of one axis */
  sigmaM: number | null;
  sigmaDeg: number | null;
  frames: SolvedFrame[];
  /** tracks that are one place in both */
  shared: string[];
  /** frame f of the main camera ran together with f + this of its own */
  addFrames: number;
}

export interface SolveProgress {
  stage: string;
  done: number;
  total: number;
  /** the first answer, from a few frames and tracks, not yet adjusted with the rest; and once more where the whole is doubted for its rows */
  coarse?: FirstAnswer;
}

/** Frames of a shot that hold together by themselves, and that too few tracks tie to the others: a whip lies between, or a flash. */
export interface ShotPart {
  from: number;
  to: number;
  /** with tracks */
  frames: number;
  /** `first`: the others hang on it; `nothing`: its frames have no camera here */
  holds: 'first' | 'tracks' | 'surveyed' | 'nothing';
  /** the tracks, or the surveyed ones, that hold it to the others */
  by: string[];
  /** what it says by itself; null: it cannot be solved alone, or was not asked */
  alone: { focalMm: number; sigmaFocalMm: number | null; noisePx: number | null } | null;
}

/** The solve result of conventions.md. */
export interface SolveResult {
  /**
   * `pan`: the camera turns about its entrance pupil, frames have a rotation and no place, and there are directions instead of points.
   * `object`: frames and points are in the frame of an object that moved before a still camera. Missing: free
   */
  motion?: 'free' | 'pan' | 'object';
  status: 'solved' | 'partial' | 'failed';
  reason: string | null;
  width: number;
  height: number;
  focalMm: number | null;
  sigmaFocalMm: number | null;
  /** what of it comes from a lens that nobody measured, which usually bends a little; null where no deviations could be had; missing in results from before it was asked */
  sigmaByLensMm?: number | null;
  focalMode: 'held' | 'guided' | 'free' | 'zoom';
  distortion: Distortion & {
    mode: 'held' | 'none' | 'free' | 'guided';
    normalisedWithMm: number;
    follows: boolean;
    /** of the coefficients that were found, by name */
    sigma?: Record<string, number>;
  };
  /**
   * Of the lens, beside focal length and distortion; missing: nothing was asked for. `told` is false where the tracks say no more than was known
   * beforehand: then it is the record, and no finding.
   */
  found?: {
    /** px of the recorded picture */
    principalPx?: { x: number; y: number; sigmaX: number | null; sigmaY: number | null; told: boolean };
    squeeze?: { value: number; sigma: number | null; told: boolean };
  };
  rmsPx: number | null;
  rmsPerMille: number | null;
  /** one-axis noise of the tracks, px, from the residuals and their redundancy */
  noisePx: number | null;
  /** by how much more is known so poorly since errors go along their tracks; 1: white noise. Missing in results from before it was kept */
  driftFactor?: number;
  frames: SolvedFrame[];
  points: SolvedPoint[];
  /** of an object, one for each frame */
  object?: SolvedObject[];
  /** of a pan */
  directions?: SolvedDirection[];
  trimmed: TrimmedObservation[];
  /** what a trim of this solve would leave out first; null where it was trimmed already, missing in results from before it was asked */
  trimWould?: TrimPreview | null;
  anchoring: {
    /** metres per unit of the unanchored solve; null when nothing gave a scale */
    scale: number | null;
    sigmaScalePct: number | null;
    datum: string[];
    residuals: AnchorResidual[];
    /** tilt and roll that were recorded, as solved; one entry for each of the setup's `cameraAngles`, null where nothing tells what is up */
    angles?: ({ rad: number; sigmaRad: number } | null)[];
    /** facts contradict each other and nothing tells which is wrong; missing in results from before it was asked */
    undecided?: Undecided | null;
  };
  /** the lens bends and was taken as straight; null when nothing shows it, or distortion was held; missing in results from before it was asked */
  bending?: Bending | null;
  /** a second camera, where one was solved with it */
  witness?: PairedWitness;
  /** where the shot is parted; missing: it is one piece */
  parts?: ShotPart[];
  /** longest over shortest focal length, where one was solved for and the tracks show that it changed; null or missing: they do not */
  zoomed?: number | null;
  /** another squeeze than was recorded, where the tracks show it; null: they do not; missing: nobody asked them */
  squeezed?: Squeezed | null;
  /** what the residuals keep of rows that were read one after the other; null: too few places tell it; missing in results from before it was asked */
  rowsLean?: ReadoutLeft | null;
  /** another readout than was taken out, where the tracks show it; missing: they do not */
  readoutSeen?: ReadoutSeen;
  /** another focal length than was held or guided, where the tracks ask for it; missing: they do not, or it was free */
  focalAsked?: FocalAsked;
  /** one-axis noise of tracks that nothing explains, px; missing: they are explained */
  misfitPx?: number;
  /** it was asked for as a turn, and the camera moved; missing: it was not, or nothing shows it */
  movedAfterAll?: MovedAfterAll;
  /** the tracks seem to count otherwise than they were read; missing in results from before it was asked */
  question?: CountingQuestion | null;
  warnings: Warning[];
  iterations: number;
}

/** What a solve says that has no world: nothing of a lens, no frames, no points, nothing laid on what was measured. */
export const noWorld = () =>
  ({
    focalMm: null,
    sigmaFocalMm: null,
    rmsPx: null,
    rmsPerMille: null,
    noisePx: null,
    frames: [],
    points: [],
    trimmed: [],
    anchoring: { scale: null, sigmaScalePct: null, datum: [], residuals: [] },
  }) satisfies Partial<SolveResult>;
