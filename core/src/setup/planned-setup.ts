import type { LengthFact, Planned, PlannedPlace } from '../facts';
import type { Vec3 } from '../math';
import type { OpticsInput } from '../optics';

/** What stands on a set. All are upright boxes: a wall is a thin one, a floor a flat one, a person a stand-in. */
export const PIECE_KINDS = ['floor', 'wall', 'platform', 'box', 'post', 'person', 'plant', 'water', 'vehicle', 'screen', 'sky'] as const;
export type PieceKind = (typeof PIECE_KINDS)[number];

/** How much of a piece's surface a tracker can hold on to by itself. */
export const DETAILS = ['none', 'some', 'rich'] as const;
export type Detail = (typeof DETAILS)[number];

export interface SetPiece {
  id: string;
  name: string;
  kind: PieceKind;
  /** middle of the footprint on the ground plan, and the height of its underside */
  xM: number;
  zM: number;
  baseM: number;
  /** along its own x, along its own z, upwards */
  widthM: number;
  depthM: number;
  heightM: number;
  /** about the upright, seen from above: turns +X towards −Z */
  turnRad: number;
  moves: boolean;
  detail: Detail;
  /** share of the frame that it covers, 0…1, when somebody says so; else it is computed. A sky has no size and needs it */
  coversShare: number | null;
}

export const MARK_KINDS = ['cross', 'disc', 'quartered disc', 'ball', 'lamp'] as const;
export type MarkKind = (typeof MARK_KINDS)[number];
/** What a mark sits on, as far as it matters to whoever must paint it out. */
export const MARK_GROUNDS = ['plain', 'fine texture', 'edge', 'screen', 'hair'] as const;
export type MarkGround = (typeof MARK_GROUNDS)[number];

/** A tracking marker of the mark sheet. */
export interface PlannedMark {
  id: string;
  kind: MarkKind;
  diameterM: number;
  at: Vec3;
  /** the way a flat mark faces; null: seen from all sides, as balls and lamps are */
  normal: Vec3 | null;
  /** the piece that it sits on, and with which it moves */
  pieceId: string | null;
  ground: MarkGround;
  /** false: only planned yet */
  placed: boolean;
}

export const MOVE_KINDS = ['still', 'pan', 'dolly', 'crane', 'handheld', 'vehicle', 'zoom', 'object', 'stills walk'] as const;
export type MoveKind = (typeof MOVE_KINDS)[number];

/** The camera at one time of the move. */
export interface MoveStation {
  timeS: number;
  /** entrance pupil; of a pan: the axis of the head, at the pupil's height */
  xM: number;
  zM: number;
  heightM: number;
  /** 0 looks along −Z, positive to the left (about the upright) */
  headingRad: number;
  /** positive looks up */
  tiltRad: number;
  rollRad: number;
  /** as marked on the lens */
  focalMm: number;
  focusM: number;
}

/** Where the moving object stands at one time: its own middle on the ground plan and how it has turned. */
export interface ObjectStation {
  timeS: number;
  xM: number;
  zM: number;
  baseM: number;
  turnRad: number;
}

export interface CameraMove {
  kind: MoveKind;
  /** in the order of time; one is enough for a still camera */
  stations: readonly MoveStation[];
  /** of a pan: how far the entrance pupil lies before the axis of the head */
  pupilAheadM?: number;
  /** of a handheld camera: one standard deviation of its sway, and of its turning */
  swayM?: number;
  swayRad?: number;
  /** of an object before a still camera: which piece, and its way */
  objectId?: string | null;
  objectStations?: readonly ObjectStation[];
}

export const STABILISER = ['off', 'on', 'unknown'] as const;
export const SYNCS = ['none', 'timecode', 'clap', 'timecode and clap'] as const;

/** Where a witness camera is: fixed to the main one, in its axes, or standing on the set. */
export type WitnessPlacement =
  | { way: 'rigid'; rightM: number; upM: number; forwardM: number; /** to the left and up of where the main camera looks */ turnRad: number; tiltRad: number }
  | { way: 'free'; xM: number; zM: number; heightM: number; headingRad: number; tiltRad: number };

/** A further camera that watches the same shot. */
export interface WitnessCamera {
  optics: OpticsInput;
  /** as marked on the lens */
  focalMm: number;
  placement: WitnessPlacement;
}

/** How a later solve may treat the lens. */
export const LENS_MODES = ['held', 'guided', 'free'] as const;

/** What will be measured on the day. Sigmas are of the tape or laser at hand. */
export interface PlannedMeasures {
  /** ids of marks on the floor, the level of the ground */
  level: readonly string[];
  levelSigmaM: number;
  /** measured lengths between marks */
  ties: readonly Planned<LengthFact>[];
  /** camera heights, at times of the move */
  heights: readonly { timeS: number; sigmaM: number }[];
  /** marks whose places will be surveyed; three of them level and scale the set by themselves */
  surveyed?: readonly PlannedPlace[];
}

/** A setup as it is planned: the set, the marks, the move, the camera, and what will be measured. */
export interface PlannedSetup {
  optics: OpticsInput;
  /** from the first row to the last */
  readoutMs: number | null;
  fps: number;
  shutterDeg: number;
  stop: number | null;
  iso: number | null;
  pieces: readonly SetPiece[];
  marks: readonly PlannedMark[];
  move: CameraMove;
  lens: { mode: (typeof LENS_MODES)[number]; /** of a guided focal length, per cent */ sigmaPct: number; /** a plate says how it bends; one that is held is held by a plate */ plated?: boolean };
  measures: PlannedMeasures;
  /** one-axis noise of a track, px */
  noisePx: number;
}

/** What else is known of a setup: kit, crew and plans, as far as cautions ask for it. */
export interface SetupFacts {
  lensRangeMm: readonly [number, number];
  /** plates of this lens on this body and mode */
  plates: readonly { focalMm: number; focusM: number | null }[];
  squeezeMeasured: boolean;
  breathing: 'unknown' | 'none' | 'some' | 'measured';
  stabiliser: (typeof STABILISER)[number];
  /** where a zoom begins and ends is noted by somebody */
  zoomNoted: boolean;
  witnesses: readonly { name: string; fps: number; stabiliser: (typeof STABILISER)[number]; /** null: nobody has placed it yet */ camera: WitnessCamera | null }[];
  sync: (typeof SYNCS)[number];
  stillsPlanned: boolean;
  exterior: boolean;
  lightPlanned: boolean;
  /** how far the sun goes over the sky while this is shot, degrees; null: not known */
  sunTravelDeg: number | null;
  /** corners that a photo of the set shows, and the share of the frame's cells that hold one; null: no photo */
  detail: { corners: number; spread: number } | null;
}

export const NO_SETUP_FACTS: SetupFacts = {
  lensRangeMm: [1, 3000],
  plates: [],
  squeezeMeasured: false,
  breathing: 'unknown',
  stabiliser: 'unknown',
  zoomNoted: false,
  witnesses: [],
  sync: 'none',
  stillsPlanned: false,
  exterior: false,
  lightPlanned: false,
  sunTravelDeg: null,
  detail: null,
};
