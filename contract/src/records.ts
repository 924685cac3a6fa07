import type {
  CameraMove,
  DistortionModel,
  Exposure,
  LENS_MODES,
  LengthUnit,
  PhotoLength,
  PictureDetail,
  PictureNotes,
  PlannedMark,
  PlannedMeasures,
  SetPiece,
  SideSaid,
  Shutter,
  STABILISER,
  StillLook,
  StillStation,
  SYNCS,
  WitnessPlacement,
} from '@mesure/core';

/** A length as it was measured: the form a person typed stays beside the value. */
export interface MeasuredLength {
  typed: string;
  unit: LengthUnit;
  valueM: number;
  /** as the tape or laser states it; taken as two sigma */
  toleranceM: number;
  /** what it was measured with; missing: nobody said */
  instrument?: string;
  /** readings that `valueM` is the mean of, when it was measured more than once */
  repeatsM?: number[];
}

/** An angle as it was read; positive tilts the lens up, and rolls the camera clockwise as seen from behind it. */
export interface AngleReading {
  typed: string;
  valueRad: number;
  /** taken as two sigma */
  toleranceRad: number;
  instrument?: string;
}
export const INSTRUMENTS = ['tape', 'laser', 'inclinometer', 'total station', 'typed'] as const;

/** Where on the camera a height was taken. The offset to the entrance pupil goes with it and is applied. */
export const HEIGHT_PLACES = ['lens axis', 'body base', 'dolly head'] as const;
export type HeightPlace = (typeof HEIGHT_PLACES)[number];
export interface HeightReading extends MeasuredLength {
  takenAt: HeightPlace;
  offsetM: number;
}

export interface RecordingMode {
  id: string;
  name: string;
  widthPx: number;
  heightPx: number;
  sensorWidthMm: number;
  sensorHeightMm: number;
  /** photosites that the area has, where the camera scales them to the picture's size; as many as pixels otherwise */
  photositesX?: number | null;
  photositesY?: number | null;
  fps: number;
  /** time from the first to the last row of one frame */
  readoutMs?: number | null;
  readoutSource?: Knowledge;
}

/** How a property of a part came to be known. */
export const KNOWLEDGE = ['unknown', 'stated', 'measured'] as const;
export type Knowledge = (typeof KNOWLEDGE)[number];
export interface FileRef {
  sha256: string;
  name: string;
}

export interface BodyBody {
  name: string;
  modes: RecordingMode[];
  /** the whole chip; a mode cannot see more */
  chipWidthMm?: number | null;
  chipHeightMm?: number | null;
  /** a stabiliser in the body, which must be off for tracking */
  stabiliser?: boolean;
}

export const BREATHING = ['unknown', 'none', 'some', 'measured'] as const;
export type Breathing = (typeof BREATHING)[number];
export interface LensBody {
  name: string;
  kind: 'prime' | 'zoom';
  minFocalMm: number;
  maxFocalMm: number;
  squeeze: number;
  serial: string;
  tStopMin?: number | null;
  tStopMax?: number | null;
  closeFocusM?: number | null;
  breathing?: Breathing;
  /** entrance pupil in front of the sensor mark */
  pupilMm?: number | null;
  pupilSource?: Knowledge;
  imageCircleMm?: number | null;
  /** anamorphic: the squeezed axis against the picture's width, degrees from right towards down */
  axisDeg?: number | null;
}
export interface AdapterBody {
  name: string;
  factor: number;
}
export interface PackageBody {
  camera: string;
  bodyId: string;
  modeId: string;
  lensId: string;
  adapterId: string | null;
  /** a second one behind the first; their factors multiply */
  secondAdapterId?: string | null;
  focalMm: number;
  /** from where a height is taken up to the entrance pupil, measured once for this build; missing: the usual ones */
  offsetsM?: Partial<Record<HeightPlace, number>>;
}
export const CHARTS = ['chequer', 'ruled'] as const;
export interface PlateBody {
  lensId: string;
  packageId: string;
  picture: FileRef;
  focalMm: number;
  focusM: number | null;
  cellM: number;
  /** default chequer */
  chart?: (typeof CHARTS)[number];
  shotAt: string;
  /** what the file says of itself */
  notes?: PictureNotes | null;
  /** chart to sensor mark, measured on the day; with the cell it gives the effective focal length */
  chartDistance?: MeasuredLength | null;
  /** a cell corner and the next one along a row, px: where the search starts when it finds nothing by itself */
  start?: ChartStart | null;
  /** places of found corners that a person took out, px */
  dropped?: { x: number; y: number }[];
}
export interface ChartStart {
  x: number;
  y: number;
  nextX: number;
  nextY: number;
}

/** A picture with edges that are straight in reality, or with a thing of known shape; where no grid was shot. */
export interface EdgesBody {
  lensId: string;
  packageId: string;
  picture: FileRef;
  widthPx: number;
  heightPx: number;
  focalMm: number;
  focusM: number | null;
  model: DistortionModel;
  /** px of the picture; marks with the same number lie on one edge */
  marks: { edge: number; x: number; y: number }[];
  lineUp: LineUp | null;
  shotAt: string;
}
/** A circle or a square in reality, laid over the picture by hand, px. */
export interface LineUp {
  shape: 'circle' | 'square';
  x: number;
  y: number;
  widthPx: number;
  heightPx: number;
}
/** A photo of a set with lengths that were measured in it: a beginning where there is no plan. */
export interface RecceBody {
  setupId: string;
  picture: FileRef;
  widthPx: number;
  heightPx: number;
  /** as the file or a person says, by the diagonal of 36 × 24 mm; null: nobody knows */
  focal35Mm: number | null;
  /** px of the photo */
  lengths: { kind: PhotoLength['kind']; a: { x: number; y: number }; b: { x: number; y: number }; length: MeasuredLength }[];
  /** what it offers a tracker; null where no device could look at it */
  detail: PictureDetail | null;
  shotAt: string;
}
/** One picture of a stills walk, taken from one of its planned stations. */
export interface StillBody {
  setupId: string;
  /** index of the station in the plan's walk */
  station: number;
  picture: FileRef;
  widthPx: number;
  heightPx: number;
  /** what the file says of itself */
  notes: PictureNotes | null;
  /** what a device saw in it; null where none could open it */
  look: StillLook | null;
  shotAt: string;
  /** when it was put to its station: of several the last one given counts, whatever their clocks say */
  givenAt: string;
}
/** A photo of a set on which marks are pointed out, so that others find them again. */
export interface PhotoBody {
  setId: string;
  picture: FileRef;
  widthPx: number;
  heightPx: number;
  /** px of the photo */
  marks: { mark: string; x: number; y: number }[];
  shotAt: string;
}
export interface SetBody {
  name: string;
  /** names of all marks that ties and levels may speak of, those of the sheet among them */
  marks: string[];
  /** floor, walls and things, drawn to scale */
  pieces?: SetPiece[];
  /** the mark sheet: marks with a place */
  sheet?: PlannedMark[];
  /** which of two mirror images of the tape net is meant, as somebody said who stood there */
  turn?: { a: string; b: string; c: string; left: boolean } | null;
  /** on which side of the marks that it is tied to a mark stands, as somebody said who stood there */
  sides?: SideSaid[];
}
export interface DayBody {
  name: string;
  date: string;
}
export interface SetupBody {
  dayId: string;
  setId: string;
  name: string;
  scene: string;
  order: number;
  levelMarks: string[];
  originMark: string | null;
  headingMarks: [string, string] | null;
}
/** How a setup is to be shot: move, camera and measurements. The set is the set's own. */
export interface PlanBody {
  setupId: string;
  packageId: string;
  move: CameraMove;
  shutterDeg: number;
  stop: number | null;
  iso: number | null;
  lensMode: (typeof LENS_MODES)[number];
  /** of a guided focal length */
  lensSigmaPct: number;
  measures: PlannedMeasures;
  stabiliser: (typeof STABILISER)[number];
  sync: (typeof SYNCS)[number];
  zoomNoted: boolean;
  exterior: boolean;
  stillsPlanned: boolean;
  lightPlanned: boolean;
  /** frame lines: width over height of the desqueezed picture; none: the whole of it is used */
  frameAspect?: number | null;
  /** further cameras that watch the same shot */
  witnesses?: PlannedWitness[];
  stills?: StillsPlan | null;
  light?: LightPlan | null;
  /** where HDR panoramas of the light are to be taken */
  panoramas?: PanoramaPlace[];
  /** cautions that somebody has taken note of, with the reason */
  answered: AnsweredCaution[];
}
export interface PlannedWitness {
  packageId: string;
  stabiliser: (typeof STABILISER)[number];
  /** as marked on the lens; else the package's own */
  focalMm?: number;
  /** missing: nobody has placed it yet */
  placement?: WitnessPlacement;
}
export const STILLS_WAYS = ['along', 'round', 'room'] as const;
/** The stills walk of a setup: how it was laid, and which pictures are taken. */
export interface StillsPlan {
  way: (typeof STILLS_WAYS)[number];
  pieceId: string;
  packageId: string;
  distanceM: number;
  heightM: number;
  /** of neighbouring pictures, share of the width; missing: the usual quarter */
  overlap?: number;
  stations: StillStation[];
  /** indices of stations that are ticked off */
  taken: number[];
}
export interface PanoramaPlace {
  xM: number;
  zM: number;
  heightM: number;
}
/** Where and when an exterior is shot. */
export interface LightPlan {
  latitudeDeg: number;
  longitudeDeg: number;
  /** where north lies on the plan: 0 is away from the camera (−Z), clockwise from above */
  northDeg: number;
  from: string;
  to: string;
}
export interface AnsweredCaution {
  rule: string;
  reason: string;
  by: string;
  at: string;
}
/** One run of the camera, as it was. What is missing or null was not noted. */
export interface TakeBody {
  setupId: string;
  /** missing: the setup's */
  scene?: string | null;
  slate: string;
  take: number;
  /** the letter on the slate; missing: the package's */
  camera?: string | null;
  clip?: string | null;
  packageId: string;
  /** at the start; at the end too where the next is missing */
  focalMm: number;
  focalEndMm?: number | null;
  /** first and last frame of the zoom */
  zoomFrom?: number | null;
  zoomTo?: number | null;
  /** focal length per frame, as a lens or a camera told it */
  focalByFrame?: { frame: number; mm: number }[] | null;
  focusM: number | null;
  focusEndM?: number | null;
  /** T-stop */
  stop?: number | null;
  iso?: number | null;
  shutter?: Shutter | null;
  fps?: number | null;
  filter?: string | null;
  stabiliser?: (typeof STABILISER)[number] | null;
  timecodeIn?: string | null;
  timecodeOut?: string | null;
  /** the move was the planned one; what differed stands beside it */
  asPlanned?: boolean | null;
  moveNote?: string | null;
  height: HeightReading | null;
  /** frame of the tracks at which the height was taken */
  heightFrame: number;
  heightEnd?: HeightReading | null;
  tilt?: AngleReading | null;
  roll?: AngleReading | null;
  /** from the camera's sensor mark to something that has a name */
  distance?: (MeasuredLength & { to: string }) | null;
  /** what moves in the picture and must be left out of the tracking */
  movers?: string[];
  /** of each witness camera that ran */
  witnesses?: WitnessClip[];
  pictures?: FileRef[];
  circled: boolean;
  notes: string;
  tracks: FileRef | null;
  loggedAt: string;
  /** fields taken over from the take before and not touched since */
  carried: string[];
}
export interface WitnessClip {
  packageId: string;
  clip: string;
  /** of its first frame */
  timecodeIn?: string | null;
  focusM: number | null;
  stabiliser: (typeof STABILISER)[number];
}
/** How a witness camera is mounted from a moment on. Somebody touched it: a new one begins. */
export interface RigBody {
  setupId: string;
  /** the witness camera */
  packageId: string;
  since: string;
  placement: WitnessPlacement;
  /** of each of the three distances, two sigma */
  toleranceM: number;
  why: string;
}
/** What is known of when a witness camera's clip ran against the main camera's. */
export interface SyncBody {
  takeId: string;
  /** the witness camera */
  packageId: string;
  /** sound or clip of each camera */
  main: FileRef | null;
  witness: FileRef | null;
  /** frames, from 0, in which the clap is closed first */
  clap: { mainFrame: number; witnessFrame: number } | null;
}
/** One light reference that was shot: what, where, when, and where the sun stood then. */
export interface LightShotBody {
  setupId: string;
  what: (typeof LIGHT_SHOTS)[number];
  /** of a panorama: which of the planned places, from 0; null elsewhere */
  place: number | null;
  shotAt: string;
  /** computed for that minute, where the place of the setup is known; azimuth from north, clockwise */
  sun: { azimuthDeg: number; elevationDeg: number } | null;
  note: string;
  /** its pictures; of a panorama one for each exposure and direction */
  pictures?: LightPicture[];
}
export interface LightPicture extends FileRef {
  /** as its file says; null where it does not */
  exposure: Exposure | null;
}
export const LIGHT_SHOTS = ['panorama', 'grey ball', 'mirror ball'] as const;
/** What a production notes of each take, and how its clips are named. One to a production, under its id. */
export interface FloorBody {
  /** keys of take fields */
  shown: string[];
  clips: { camera: string; pattern: string }[];
}
/** What one person prefers. Under the person's id. */
export interface PersonBody {
  lengthUnit: LengthUnit;
}
export interface TieBody {
  setId: string;
  from: string;
  to: string;
  length: MeasuredLength;
  instrument: string;
  measuredAt: string;
}

export const FACT_KINDS = ['height', 'level', 'plumb', 'wall', 'point'] as const;
/** What is known of marks beside their ties: a height over the floor, one level, one above the other, a distance from a wall, a place. */
export interface FactBody {
  setId: string;
  what: (typeof FACT_KINDS)[number];
  /** one mark of a height; two of a level or plumb line; of a wall the mark, and two that lie on the wall */
  marks: string[];
  /** of a height and of a distance from a wall */
  length: MeasuredLength | null;
  /** of a place: metres, Y up from the floor, in the axes of whatever measured it */
  at?: [number, number, number] | null;
  /** of a level, a plumb line or a place, two sigma */
  toleranceM: number;
  instrument?: string;
  measuredAt: string;
}

export interface RecordBodies {
  body: BodyBody;
  lens: LensBody;
  adapter: AdapterBody;
  package: PackageBody;
  plate: PlateBody;
  edges: EdgesBody;
  recce: RecceBody;
  set: SetBody;
  day: DayBody;
  setup: SetupBody;
  plan: PlanBody;
  take: TakeBody;
  tie: TieBody;
  fact: FactBody;
  rig: RigBody;
  sync: SyncBody;
  light: LightShotBody;
  still: StillBody;
  photo: PhotoBody;
  floor: FloorBody;
  person: PersonBody;
}
export type RecordKind = keyof RecordBodies;
/** A table and not a list: one that misses a kind does not compile. */
const KINDS: Record<RecordKind, true> = {
  body: true,
  lens: true,
  adapter: true,
  package: true,
  plate: true,
  edges: true,
  recce: true,
  set: true,
  day: true,
  setup: true,
  plan: true,
  take: true,
  tie: true,
  fact: true,
  rig: true,
  sync: true,
  light: true,
  still: true,
  photo: true,
  floor: true,
  person: true,
};
export const RECORD_KINDS = Object.keys(KINDS) as readonly RecordKind[];

export interface StoredRecord<K extends RecordKind = RecordKind> {
  id: string;
  kind: K;
  /** 1 at creation, one more at each change */
  version: number;
  deleted: boolean;
  body: RecordBodies[K];
  updatedAt: string;
  updatedBy: string;
}

/** One change of one record, as it waits in the outbox and crosses the wire. */
export interface RecordWrite<K extends RecordKind = RecordKind> {
  /** made by the client; the same change sent twice is done once */
  mutationId: string;
  /** version that the change was made on; 0 creates */
  baseVersion: number;
  /** the change of the same device that this one was made on, when the server may not have had it yet: it goes before `baseVersion` */
  follows?: string | null;
  deleted: boolean;
  body: RecordBodies[K];
}
