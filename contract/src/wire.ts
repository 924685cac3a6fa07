import type { ClipFrameCount, ForeignMove, ForeignReading, GridReport, KeptWarning, MapCount, PlacedWalk, ReadingDoubt, ReconcileReport, SolveResult, SolveSetup } from '@mesure/core';
import type { RecordBodies, RecordKind, StoredRecord } from './records';
import type { FileRef } from './kinds/shared';
import type { DayLine } from './handover-in';
import type { Role } from './roles';

/** A field that is at fault, by its path, and what would be right. */
export interface FieldProblem {
  field: string;
  message: string;
}

/** RFC 9457 problem details: the one shape of every error. `code` is stable; `fields` names what is at fault. */
export interface Problem {
  type: string;
  title: string;
  status: number;
  code: ProblemCode;
  detail: string;
  instance: string;
  fields?: FieldProblem[];
  /** with 409: what the server holds, and what the change was made on */
  current?: unknown;
  base?: unknown;
  /** with 409: the fields that both sides changed; the others would go together */
  clashes?: FieldClash[];
  /** with FILE_MISSING: what the production was not given */
  files?: FileRef[];
}
/** A field that somebody else changed too since this change was begun. */
export interface FieldClash {
  field: string;
  who: string;
  when: string;
}
/** Records that changed after a cursor, and the cursor of this answer. `whole`: all of them, since the cursor was not this server's. */
export interface RecordBatch {
  records: StoredRecord[];
  cursor: number;
  whole: boolean;
  /** of the database that answers */
  epoch: string;
}
/** What became of a change: the record as it was right after it. */
export interface WriteAnswer<K extends RecordKind = RecordKind> {
  record: StoredRecord<K>;
  /** somebody else had changed other fields meanwhile; both changes hold */
  merged: boolean;
}
export type ProblemCode =
  | 'NOT_SIGNED_IN'
  | 'WRONG_SIGN_IN'
  | 'CODE_NEEDED'
  | 'TOO_MANY_ATTEMPTS'
  | 'BAD_CSRF'
  | 'FORBIDDEN'
  | 'NOT_FOUND'
  | 'INVALID'
  | 'STALE'
  | 'TOO_LARGE'
  | 'UNREADABLE_FILE'
  | 'FILE_MISSING'
  | 'NO_ROOM'
  | 'NOT_READY'
  | 'UNAVAILABLE'
  | 'INTERNAL';

export interface ProductionOfPerson {
  id: string;
  name: string;
  role: Role;
  demo: boolean;
  /** when it is removed for good, and who asked for it; not there while it stays */
  ends?: { at: string; by: string };
}
export interface SessionInfo {
  userId: string;
  name: string;
  /** in `production` */
  role: Role;
  production: { id: string; name: string };
  /** all that the person is part of, this one among them */
  productions: ProductionOfPerson[];
  /** which database stands behind the address; another one after a restore */
  epoch: string;
  csrfToken: string;
}
/** A film that an owner removes goes after so long: enough for a crew that reads its phones once a week to say no. */
export const ENDS_AFTER_DAYS = 14;
/** What a link is for. */
export const LINK_PURPOSES = ['begin', 'join', 'password'] as const;
export type LinkPurpose = (typeof LINK_PURPOSES)[number];
export interface LinkSays {
  what: LinkPurpose;
  production: string | null;
  role: Role | null;
  /** whose password it sets */
  name: string | null;
  madeBy: string;
  expiresAt: string;
}
export interface CrewMember {
  id: string;
  name: string;
  role: Role;
  /** when a device of the person was in this production last; null: signed in nowhere */
  seen: string | null;
  /** what devices of the person still had to send when they were here last */
  waiting: number;
  you: boolean;
}
export interface Invitation {
  id: string;
  role: Role;
  madeBy: string;
  expiresAt: string;
}
export interface NewInvitation extends Invitation {
  /** shown once */
  token: string;
}
export interface Device {
  id: string;
  device: string;
  since: string;
  seen: string;
  thisOne: boolean;
}

/** A code of an authenticator beside the password. */
export interface SecondStep {
  /** null: a password is enough */
  since: string | null;
  recoveryLeft: number;
}
/** Shown once, to be taken into an authenticator. */
export interface NewSecondStep {
  /** RFC 4648 base32, in fours */
  secret: string;
  /** otpauth://, for a code to scan */
  address: string;
}

/** What is kept of one person, for himself. */
export interface MyData {
  madeAt: string;
  name: string;
  /** of each production */
  preferences: { production: string }[];
  productions: { name: string; role: Role }[];
  devices: { device: string; since: string; seen: string }[];
  /** since when a code is asked for as well; null: it is not */
  secondStepSince: string | null;
  /** what was entered where and when; the values are the film's */
  entries: { production: string; kind: string; record: string; version: number; at: string }[];
}

/** How the machine is, for who owns a film on it: counts over all films. */
export interface ServerState {
  /** by the database's clock, which dates everything */
  at: string;
  /** when that clock was last seen to have moved by days, or back; nothing is removed by it for a day; null: never */
  clock: { movedAt: string | null };
  queue: { waiting: number; running: number; oldestWaitS: number | null; failedToday: number };
  disk: { filesBytes: number; databaseBytes: number; freeBytes: number };
  /** seen within an hour */
  devices: number;
  /** null: none was made from this database */
  lastBackupAt: string | null;
  /** what failed here, newest first */
  faults: { at: string; what: string; requestId: string }[];
}

/** Room for the files of a production, bytes. */
export interface Space {
  usedBytes: number;
  /** announced by uploads that are not at their end */
  begunBytes: number;
  limitBytes: number;
  /** on the server's disk, beyond what is kept free */
  freeBytes: number;
}

export interface UploadedFile {
  sha256: string;
  name: string;
  mime: string;
  sizeBytes: number;
  widthPx: number | null;
  heightPx: number | null;
  /** of a clip or a sound, what it says of itself */
  clip?: ClipFacts;
}

export type AnalysisStatus = 'queued' | 'running' | 'done' | 'failed' | 'stopped';
/** A lattice corner with its residual, px: [row, col, x, y, dx, dy, used 0|1]. */
export type CornerRow = [number, number, number, number, number, number, number];
export interface GridOutcome {
  kind: 'grid';
  report: GridReport;
  corners: CornerRow[];
  widthPx: number;
  heightPx: number;
  /** of a map that was made elsewhere: how it was found to count */
  count?: MapCount;
}
export interface SolveOutcome {
  kind: 'solve';
  solve: SolveResult;
  reconcile: ReconcileReport | null;
  setup: SolveSetup;
  /** of a witness camera that was solved with it */
  witnessSetup?: SolveSetup;
}
/** One change of a record, as the server keeps it. */
export interface RecordChange<K extends RecordKind = RecordKind> {
  version: number;
  who: string;
  when: string;
  before: { deleted: boolean; body: RecordBodies[K] } | null;
  after: { deleted: boolean; body: RecordBodies[K] };
}

/** Files of a lens made on the server: both ST maps and the undistorted plate. */
/** A file that a computation made and the store keeps. */
export interface KeptFile {
  name: string;
  sha256: string;
  mime: string;
  sizeBytes: number;
  what: string;
}
export interface LensFilesOutcome {
  kind: 'lens-files';
  files: KeptFile[];
  /** largest error there and back through both maps, px */
  roundTripPx: number;
}
/** What a clip says of itself. */
export interface ClipFacts {
  name: string;
  durationS: number;
  /** null: sound only */
  fps: number | null;
  /** of the first frame */
  timecode: string | null;
  hasSound: boolean;
  /** of a sound recorder: when it begins, seconds of the day; missing: it says none, or nobody looked */
  startsAtS?: number | null;
  /** its frames do not follow each other evenly, so that a number of frames is no length of time; missing: nobody looked */
  varies?: boolean;
  /** of its picture, upright; missing in what was kept before it was asked */
  widthPx?: number | null;
  heightPx?: number | null;
  frames?: number;
  /** of a picture sequence: the number of its first picture */
  firstNumber?: number;
}
/** Offset of two cameras by their sound. */
export interface SyncOutcome {
  kind: 'sync';
  sound: { offsetS: number; confidence: number; driftPpm: number | null; warnings: KeptWarning[] };
  main: ClipFacts;
  witness: ClipFacts;
}
/** Features of a clip, followed through it. */
export interface TracksOutcome {
  kind: 'tracks';
  /** `tracks`: the CSV; `strip`: small pictures of every n-th frame as JPEGs, one after the other */
  files: KeptFile[];
  clip: ClipFacts;
  widthPx: number;
  heightPx: number;
  /** number of the first frame, as the CSV counts */
  firstFrame: number;
  everyNth: number;
  /** one for each frame; empty in lists */
  frames: ClipFrameCount[];
  /** tracks by what became of them */
  counts: { used: number; moving: number; burntIn: number; masked: number; byHand: number };
  /** false: nobody could tell what moves */
  judged: boolean;
  warnings: KeptWarning[];
}
/** A solve of another program, tied to the set and laid against the record. */
export interface ElsewhereOutcome extends Omit<SolveOutcome, 'kind'> {
  kind: 'elsewhere';
  /** as it was read */
  reading: ForeignReading;
  scale: { factor: number; sigma: number } | null;
  doubts: ReadingDoubt[];
  /** what the file says of itself */
  says: Pick<ForeignMove, 'format' | 'metres' | 'up' | 'fps' | 'notes'> & { firstFrame: number; lastFrame: number; points: number; hasFocal: boolean };
}
/** The pictures of a setup's stills walk, placed together. */
export interface WalkOutcome {
  kind: 'walk';
  /** its places are empty in lists */
  placed: PlacedWalk;
  /** in the order of the placed ones */
  stills: { id: string; name: string; station: number; widthPx: number; heightPx: number; focalBy: 'record' | 'file' }[];
  /** px of a lens's pictures to a mm of their sensor; null where nobody knows how large that is */
  pxPerMm: Record<string, number | null>;
  /** of the recorded camera's focal length; null where the pictures do not tell it */
  reconcile: ReconcileReport | null;
}
export const ANALYSIS_KINDS = ['grid', 'solve', 'lens-files', 'sync', 'tracks', 'elsewhere', 'walk'] as const;
export type AnalysisKind = (typeof ANALYSIS_KINDS)[number];
/** What changed in the record after a computation was begun; its answer is of the record before that. */
export interface Stale {
  when: string;
  who: string;
  /** the record that changed last, in words */
  what: string;
}
export interface Analysis {
  id: string;
  kind: AnalysisKind;
  subjectId: string;
  status: AnalysisStatus;
  progress: number;
  stage: string;
  error: string | null;
  outcome: GridOutcome | SolveOutcome | LensFilesOutcome | SyncOutcome | TracksOutcome | ElsewhereOutcome | WalkOutcome | null;
  createdAt: string;
  finishedAt: string | null;
  /** null: the record is as it was computed; missing: nobody looked */
  stale?: Stale | null;
  /** of one that waits: how many are before it, those that run among them */
  ahead?: number;
}

/** Until when something that is missing can still be had. */
export const LACK_TIMES = ['set', 'kit', 'notes', 'desk', 'gone'] as const;
export type LackTime = (typeof LACK_TIMES)[number];

export interface MissingThing {
  /** stays the same while its words change; an answer is kept under it */
  code: string;
  until: LackTime;
  /** null, and `take` the path in the handover, where a file is missing */
  takeId: string | null;
  take: string;
  what: string;
  /** why it cannot be had */
  answer: { id: string; reason: string; by: string; at: string } | null;
}

export interface HandoverPlan {
  missing: MissingThing[];
  files: { path: string; what: string; readWith: string }[];
  /** how many files the receiver's wishes leave out */
  leftOut: number;
  /** ST maps that could go along, two for each lens and setting of the takes that is known, and their size at most */
  maps: { count: number; maxBytes: number };
  /** who signed the day; null while it is open */
  closed: { by: string; at: string } | null;
  /** what was changed after the day was signed */
  changedAfterClose: { what: string; who: string; when: string }[];
  /** newest first */
  handedOver: { id: string; to: string; receiverId: string | null; by: string; at: string; supplementTo: string | null; files: number; sizeBytes: number; zip: FileRef | null; missing: number }[];
  /** what was changed after the newest of them */
  changedSince: { what: string; who: string; when: string }[];
}

/** What bringing a handover in would do, or did. */
export interface HandoverInAnswer {
  production: string;
  day: { id: string; name: string; date: string };
  lines: DayLine[];
  /** pictures, tracks: in the zip and not here yet; named by its records and neither in it nor here */
  files: { coming: number; comingBytes: number; missing: number };
  /** test solves in the zip, of takes that have none here */
  solves: number;
  /** records that came in; null: nothing was asked to */
  brought: number | null;
}

/** To whom a day goes; with `supplementTo` only what is new or other since that handover. */
export interface HandOver {
  id: string;
  to: string;
  supplementTo: string | null;
  /** ST maps of the takes' lenses, which are large; a phone of before asks for none */
  maps?: 'none' | 'exr' | 'tiff';
  /** whose wishes it follows, maps included; missing or null: everything, as it is kept */
  receiverId?: string | null;
  /** `server`: the zip is kept there, and fetched from there whenever it suits; missing: it leaves with the answer */
  target?: 'download' | 'server';
}
/** What was kept on the server. */
export interface KeptHandover {
  name: string;
  sha256: string;
  sizeBytes: number;
  /** where the server put a copy, where it was told to */
  copiedTo: string | null;
}
