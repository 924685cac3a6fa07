import type {
  ClipFacts,
  ElsewhereOutcome,
  FootageMark,
  FootageMask,
  GivenLens,
  GridOutcome,
  LensFilesOutcome,
  SolveOutcome,
  SyncOutcome,
  TieBody,
  TracksOutcome,
  WalkOutcome,
  WalkToPlace,
} from '@mesure/contract';
import type { FramesFile } from '@mesure/formats/picture';
import type {
  ChartKind,
  ForeignReading,
  KitAround,
  TurnOrder,
  FrameLens,
  LatticeStart,
  MeasuredChart,
  NetInput,
  Overscan,
  SolveSetup,
  Sound,
  TrackCounting,
  Vec3,
  WalkFeatures,
  WitnessInput,
} from '@mesure/core';

/** All that a computation needs, as plain data: a snapshot of the record at the time it was asked for, and the file by its hash. */
export type ComputeInput = GridInput | LensFilesInput | SyncInput | SolveInput | TracksInput | ElsewhereInput | WalkInput;

export interface SolveInput {
  kind: 'solve';
  file: { sha256: string; name: string };
  setup: SolveSetup;
  trim: boolean;
  /** how the file counts; missing: nobody said it yet */
  counting?: TrackCounting;
  /** a witness camera that was carried by the main one */
  witness?: WitnessSnapshot;
  /** the set's tape net, whose places become anchors */
  net: NetSnapshot | null;
  /** the rest of the kit, for the causes of what contradicts; missing in inputs from before it was looked at. Nothing is old because of it */
  around?: KitAround;
}

/** A witness camera of a take as it is kept with its job. */
export interface WitnessSnapshot extends Pick<WitnessInput, 'name' | 'setup' | 'shift' | 'mounted'> {
  packageId: string;
  file: { sha256: string; name: string };
  shared: string[];
}

/** A tape net as it is kept with its job: JSON has no maps. */
export type NetSnapshot = Omit<NetInput, 'near'> & { near: [string, Vec3][] };

/** Two cameras of a take by their sound; `file` is the main camera's. */
export interface SyncInput {
  kind: 'sync';
  file: { sha256: string; name: string };
  witness: { sha256: string; name: string };
}

/** A camera move of another program, how it is read, and what it is laid against. */
export interface ElsewhereInput extends Pick<SolveInput, 'setup' | 'net' | 'around'> {
  kind: 'elsewhere';
  file: { sha256: string; name: string };
  points: { sha256: string; name: string } | null;
  /** null: as the file says */
  reading: ForeignReading | null;
  order: TurnOrder | null;
}

/** A clip, and what somebody said of it before it is tracked. */
export interface TracksInput {
  kind: 'tracks';
  file: { sha256: string; name: string };
  firstFrame: number;
  most: number | null;
  masks: FootageMask[];
  marks: FootageMark[];
  /** of the lens that was on; 1 where nobody knows */
  squeeze: number;
}

/** The pictures of a stills walk; where they were to be taken from, and what was taped between the marks in them. */
export interface WalkInput extends WalkToPlace, Pick<SolveInput, 'net' | 'around'> {
  kind: 'walk';
  ties: TieBody[];
}

export interface GridInput {
  kind: 'grid';
  file: { sha256: string; name: string };
  setup: SolveSetup;
  chart?: ChartKind;
  start?: LatticeStart | null;
  dropped?: { x: number; y: number }[];
  measured?: MeasuredChart;
  /** made elsewhere: the file is a map or coefficients, read so */
  given?: GivenLens;
}

/** The lens as it was fitted to a plate, and the plate itself where it is a picture. */
export interface LensFilesInput {
  kind: 'lens-files';
  file: { sha256: string; name: string };
  /** of the files that are made */
  name: string;
  lens: FrameLens;
  overscan: Overscan;
  /** made elsewhere: there is none to straighten */
  noPicture?: boolean;
  mapFormat: 'exr' | 'tiff';
}
/** A file that a computation made; its worker keeps it in the store. */
export interface MadeFile {
  name: string;
  mime: string;
  what: string;
  bytes: Uint8Array;
}

/** What is made of the stored files before: a thread has no store, and runs no programs. */
export interface Given {
  /** of a picture, or of tracks */
  bytes: Uint8Array;
  /** of a move whose points came in a file of their own */
  points?: Uint8Array;
  /** of a witness camera: its tracks */
  witness?: Uint8Array;
  /** of two cameras */
  sounds?: { sound: Sound; facts: ClipFacts }[];
  /** of the pictures of a walk, in its order */
  features?: WalkFeatures[];
  /** of a clip, laid out on this machine's disk */
  clip?: { frames: FramesFile; strip: { file: string; everyNth: number }; facts: ClipFacts };
}

export interface ComputeTask<I extends ComputeInput = ComputeInput> {
  input: I;
  given: Given;
  port: import('node:worker_threads').MessagePort;
}
export interface ComputeProgress {
  progress: number;
  stage: string;
}
/** An answer, or a refusal in words for the person; a fault of ours is thrown. */
export type ComputeAnswer =
  | { ok: true; outcome: GridOutcome | SolveOutcome | SyncOutcome | ElsewhereOutcome | WalkOutcome }
  | { ok: true; made: MadeFile[]; outcome: Unkept<LensFilesOutcome> | Unkept<TracksOutcome> }
  | { ok: false; message: string };
/** An outcome whose files are not in the store yet. */
type Unkept<O> = Omit<O, 'files'>;

export type Report = (progress: number, stage: string) => void;
export type Computation<I extends ComputeInput> = (task: ComputeTask<I>, report: Report) => ComputeAnswer | Promise<ComputeAnswer>;
