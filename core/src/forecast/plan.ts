import { USUAL_SIGMA, type LengthFact, type Planned, type PlannedPlace } from '../facts';
import type { Mat3, Vec3 } from '../math';
import type { PictureGeometry } from '../optics';

/** A sampled frame of the planned shot. */
export interface ForecastFrame {
  frame: number;
  /** entrance pupil, world */
  position: Vec3;
  /** world to picture axes: x right, y down, z forward */
  toCamera: Mat3;
  effectiveMm: number;
  /** how many frames of the shot this one stands for, at least 1 */
  standsFor: number;
}

/** What will be known of the world. Frames are indices into `frames`, marks ids of points. */
export interface ForecastFacts {
  level: readonly string[];
  levelSigmaM: number;
  lengths: readonly Planned<LengthFact>[];
  cameraHeights: readonly { frame: number; sigmaM: number }[];
  /** surveyed points; three of them are a datum of their own */
  surveyed: readonly PlannedPlace[];
  origin: string | null;
  heading: readonly [string, string] | null;
}

/** A lens that nobody measured. */
export interface UnknownBend {
  /** one standard deviation: the corner of the picture moves by such a share of its distance from the middle */
  sigmaAtCorner: number;
  /** straight: a later solve takes it so, and what it bends spoils the rest; found: it is one more unknown of the solve */
  later: 'straight' | 'found';
}

/** Everything that the information matrix of a later solve is made of. */
export interface ForecastPlan {
  geometry: PictureGeometry;
  frames: readonly ForecastFrame[];
  points: readonly { id: string; at: Vec3 }[];
  /** one-axis sigma of the observation of point p in frame i at [i * points + p], px; 0: not seen */
  sigmaPx: Float64Array;
  focal: { mode: 'held' | 'guided' | 'free'; sigmaMm: number; /** one unknown focal length a frame instead of one for all */ perFrame: boolean };
  /** null: a plate says how the lens bends */
  bend: UnknownBend | null;
  facts: ForecastFacts;
  /** places of the set at which a still object is asked for; none: some of the points, far apart */
  places?: readonly Vec3[];
}

export const NO_FACTS: ForecastFacts = { level: [], levelSigmaM: USUAL_SIGMA.levelM, lengths: [], cameraHeights: [], surveyed: [], origin: null, heading: null };
