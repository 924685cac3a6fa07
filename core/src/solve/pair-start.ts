import { Matrix, SVD } from 'ml-matrix';
import {
  FLIP,
  meanTurn,
  applySimilarity,
  centroid,
  cross,
  expSO3,
  matToQuat,
  median,
  mulMat3,
  mulMatTVec,
  mulMatVec,
  norm,
  rotationAngle,
  scale,
  sub,
  transpose3,
  type Mat3,
  type Quat,
  type Similarity,
  type Vec3,
} from '../math';
import type { Pose } from './absolute-pose';
import { laidOn, poseOf } from './join-parts';
import { centerOf } from './reconstruction';
import type { SolveResult } from './result';
import type { RecordedMounting } from './setup';
import { turnOf } from './turn';

/** How a witness is mounted, in picture axes of the main camera (x right, y down, z forward): its pupil, and its axes from those of the main camera. */
export interface Mounting {
  /** of the witness's pupil, metres */
  at: Vec3;
  rotation: Mat3;
}

/** Where both cameras were, in the main camera's world, and how the one sat on the other. */
export interface PairStart {
  rotation: Mat3;
  /** Xw = R Xc + t */
  translation: Vec3;
  /** of the main camera, by frame */
  poses: Map<number, Pose>;
  /** carries places of the witness's own solve into the main camera's world */
  carry: (place: Vec3) => Vec3;
}

/** Turns between frames that are smaller than this say nothing of how the cameras are turned against each other. */
const LEAST_TURN_RAD = 0.03;
/** Axes of such turns that lie nearer to each other than this are one: about it nobody knows how the witness is turned. */
const APART_RAD = 0.15;
/** Of the largest singular value: below it path and turns do not tell where the witness sits. */
const TELLS = 1e-3;

interface Both {
  main: Pose;
  witness: Pose;
  frame: number;
}

/** Has a solve cameras with places, enough to lay another path on it? */
export const hasPath = (s: SolveResult): boolean => s.status !== 'failed' && s.motion !== 'pan' && s.frames.length >= 3;

/** @returns null where neither shared places nor the turns of the move say how the cameras sit on each other, and nobody noted it */
export function startPair(main: SolveResult, witness: SolveResult, recorded: Mounting | null, random: () => number): PairStart | null {
  if (!hasPath(witness)) return hasPath(main) && recorded && main.anchoring.scale !== null ? byRecord(main, recorded) : null;
  if (!hasPath(main)) return recorded && witness.anchoring.scale !== null ? mainByRecord(witness, recorded) : null;
  const ofWitness = new Map(witness.frames.map((f) => [f.frame, poseOf(f)]));
  const both = main.frames.flatMap((f): Both[] => (ofWitness.has(f.frame) ? [{ frame: f.frame, main: poseOf(f), witness: ofWitness.get(f.frame)! }] : []));
  if (both.length < 3) return null;
  const found = byPlaces(main, witness, random) ?? byTurns(both, main.anchoring.scale !== null ? recorded : null);
  if (!found) return null;
  const carried = both.map((b) => ({ ...b, witness: carriedPose(b.witness, found) }));
  const rotation = meanTurn(carried.map((b) => mulMat3(b.witness.rotation, transpose3(b.main.rotation))));
  const offs = carried.map((b): Vec3 => sub(b.witness.translation, mulMatVec(rotation, b.main.translation)));
  const translation = [0, 1, 2].map((k) => median(offs.map((o) => o[k]))) as unknown as Vec3;
  const poses = new Map(main.frames.map((f) => [f.frame, poseOf(f)]));
  // where the main camera alone saw too little, the witness carries it
  for (const f of witness.frames) if (!poses.has(f.frame)) poses.set(f.frame, mainUnder(carriedPose(poseOf(f), found), rotation, translation));
  return { rotation, translation, poses, carry: (place) => applySimilarity(found, place) };
}

/** R and t of Xw = R Xc + t. */
const asMoved = ({ at, rotation }: Mounting): { rotation: Mat3; translation: Vec3 } => ({ rotation, translation: scale(mulMatVec(rotation, at), -1) });

function mainUnder(witness: Pose, rotation: Mat3, translation: Vec3): Pose {
  return { rotation: mulMat3(transpose3(rotation), witness.rotation), translation: mulMatTVec(rotation, sub(witness.translation, translation)) };
}

function byRecord(main: SolveResult, recorded: Mounting): PairStart {
  return { ...asMoved(recorded), poses: new Map(main.frames.map((f) => [f.frame, poseOf(f)])), carry: (place) => place };
}

function mainByRecord(witness: SolveResult, recorded: Mounting): PairStart {
  const { rotation, translation } = asMoved(recorded);
  return { rotation, translation, poses: new Map(witness.frames.map((f) => [f.frame, mainUnder(poseOf(f), rotation, translation)])), carry: (place) => place };
}

function carriedPose(pose: Pose, s: Similarity): Pose {
  const rotation = mulMat3(pose.rotation, transpose3(s.rotation));
  return { rotation, translation: scale(mulMatVec(rotation, applySimilarity(s, centerOf(pose))), -1) };
}

/** By three places or more that both have. */
function byPlaces(main: SolveResult, witness: SolveResult, random: () => number): Similarity | null {
  const there = new Map(witness.points.map((p) => [p.track, p.position]));
  const pairs = main.points.flatMap((p) => (there.has(p.track) ? [{ from: there.get(p.track)!, to: p.position }] : []));
  return pairs.length < 3 ? null : (laidOn(pairs, centroid(main.frames.map((f) => f.position)), random)?.similarity ?? null);
}

/**
 * By the move alone: turns of the one are those of the other in its own axes, and the paths differ by an offset that turns along.
 * Source   Horaud & Dornaika, Hand-eye calibration, IJRR 14(3), 1995: first the rotation, then what is linear; here with the scale that one of two solves is free of.
 */
function byTurns(both: readonly Both[], recorded: Mounting | null): Similarity | null {
  const rotation = turnByTurns(both) ?? recorded?.rotation ?? null;
  if (!rotation) return null;
  // from the main camera's world to the witness's
  const world = meanTurn(both.map((b) => mulMat3(transpose3(b.witness.rotation), mulMat3(rotation, b.main.rotation))));
  const rows: number[][] = [];
  const right: number[] = [];
  for (const b of both) {
    const own = mulMatTVec(world, centerOf(b.witness));
    const at = centerOf(b.main);
    // s · own + τ − Rᵀ o = at
    for (let k = 0; k < 3; k += 1) {
      rows.push([own[k], k === 0 ? 1 : 0, k === 1 ? 1 : 0, k === 2 ? 1 : 0, -b.main.rotation[k], -b.main.rotation[3 + k], -b.main.rotation[6 + k]]);
      right.push(at[k]);
    }
  }
  if (recorded)
    for (let k = 0; k < 3; k += 1) {
      rows.push([0, 0, 0, 0, k === 0 ? 1 : 0, k === 1 ? 1 : 0, k === 2 ? 1 : 0]);
      right.push(recorded.at[k]);
    }
  const svd = new SVD(new Matrix(rows));
  if (!(svd.diagonal[6] > TELLS * svd.diagonal[0])) return null;
  const [s, ...rest] = svd.solve(Matrix.columnVector(right)).to1DArray();
  return s > 0 ? { scale: s, rotation: transpose3(world), translation: [rest[0], rest[1], rest[2]] } : null;
}

/** Null where the camera turned too little, or about one axis only. */
export function turnByTurns(both: readonly Pick<Both, 'main' | 'witness'>[]): Mat3 | null {
  const step = Math.max(1, Math.floor(both.length / 12));
  const pairs: { from: Vec3; to: Vec3 }[] = [];
  for (let i = 0; i < both.length; i += step)
    for (let j = i + step; j < both.length; j += step) {
      const from = turnBetween(both[i].main.rotation, both[j].main.rotation);
      if (norm(from) > LEAST_TURN_RAD) pairs.push({ from, to: turnBetween(both[i].witness.rotation, both[j].witness.rotation) });
    }
  const apart = pairs.some((p) => norm(cross(p.from, pairs[0].from)) > APART_RAD * norm(p.from) * norm(pairs[0].from));
  return apart ? turnOf(pairs) : null;
}

/** Rotation vector from one pose to another, in the camera's own axes. */
function turnBetween(a: Mat3, b: Mat3): Vec3 {
  const m = mulMat3(b, transpose3(a));
  const angle = rotationAngle([1, 0, 0, 0, 1, 0, 0, 0, 1], m);
  const axis: Vec3 = [m[7] - m[5], m[2] - m[6], m[3] - m[1]];
  const n = norm(axis);
  return n < 1e-12 ? [0, 0, 0] : scale(axis, angle / n);
}

/** By how much the turns of two cameras that are one rigid thing differ from it, rad: the middle over the frames. Only turns are asked, which have no world. */
export function unlikeTurns(main: ReadonlyMap<number, Pose>, witness: ReadonlyMap<number, Pose>): number | null {
  const both = [...main].flatMap(([frame, pose]) => (witness.has(frame) ? [{ main: pose, witness: witness.get(frame)! }] : []));
  if (both.length < 6) return null;
  const rotation = turnByTurns(both);
  if (!rotation) return null;
  const world = meanTurn(both.map((b) => mulMat3(transpose3(b.witness.rotation), mulMat3(rotation, b.main.rotation))));
  return median(both.map((b) => rotationAngle(mulMat3(rotation, b.main.rotation), mulMat3(b.witness.rotation, world))));
}

/** Where the witness's pupil is in the main camera, in a camera's axes; given is Xw = R Xc + t in those of pictures. */
export const pupilOf = (rotation: Mat3, translation: Vec3): Vec3 => {
  const at = mulMatTVec(rotation, translation);
  return mulMatVec(FLIP, [-at[0], -at[1], -at[2]]);
};
/** From the witness's camera axes to the main camera's. */
export const turnOfWitness = (rotation: Mat3): Mat3 => mulMat3(FLIP, mulMat3(transpose3(rotation), FLIP));

/** Right, up and forward of the main camera's pupil, turned to the left and tilted up, as a pose in the main camera's axes. */
export function mountedAs(p: Pick<RecordedMounting, 'rightM' | 'upM' | 'forwardM' | 'turnRad' | 'tiltRad'>): { translation: Vec3; rotation: Quat } {
  return { translation: [p.rightM, p.upM, -p.forwardM], rotation: matToQuat(mulMat3(expSO3([0, p.turnRad, 0]), expSO3([p.tiltRad, 0, 0]))) };
}
