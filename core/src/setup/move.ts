import { CoreError } from '../errors';
import { mulMat3, mulMatVec, type Mat3, type Vec3 } from '../math';
import type { CameraMove, MoveStation, ObjectStation } from './planned-setup';

/** The camera at a moment of the move. */
export interface CameraMoment {
  timeS: number;
  /** entrance pupil, world */
  position: Vec3;
  /** world to picture axes: x right, y down, z forward */
  toCamera: Mat3;
  /** as marked on the lens */
  focalMm: number;
  focusM: number;
  headingRad: number;
  tiltRad: number;
}

/** World to picture axes (right, down, forward) of a camera that looks along −Z, turned by heading, then tilt, then roll. */
export function toCameraOf(headingRad: number, tiltRad: number, rollRad: number): Mat3 {
  const [ch, sh, ct, st, cr, sr] = [Math.cos(headingRad), Math.sin(headingRad), Math.cos(tiltRad), Math.sin(tiltRad), Math.cos(rollRad), Math.sin(rollRad)];
  // camera to world is Ry(heading) Rx(tilt) Rz(roll); its columns are right, up, back
  const right: Vec3 = [ch * cr + sh * st * sr, ct * sr, -sh * cr + ch * st * sr];
  const up: Vec3 = [-ch * sr + sh * st * cr, ct * cr, sh * sr + ch * st * cr];
  const forward: Vec3 = [-sh * ct, st, -ch * ct];
  return [right[0], right[1], right[2], -up[0], -up[1], -up[2], forward[0], forward[1], forward[2]];
}

export const moveDurationS = (move: CameraMove): number => (move.stations.length > 1 ? move.stations[move.stations.length - 1].timeS - move.stations[0].timeS : 0);

/**
 * Value between stations: cubic Hermite whose slopes come from the neighbours (Catmull–Rom over unequal times), at rest before the first
 * and after the last. A camera starts and stops; a broken line would jump in speed at each station.
 */
function between(times: readonly number[], values: readonly number[], timeS: number): number {
  const n = times.length;
  if (n === 1 || timeS <= times[0]) return values[0];
  if (timeS >= times[n - 1]) return values[n - 1];
  let i = 0;
  while (timeS > times[i + 1]) i += 1;
  const h = times[i + 1] - times[i];
  const t = (timeS - times[i]) / h;
  if (n === 2) return values[0] + t * (values[1] - values[0]);
  const slope = (k: number) =>
    k === 0 ? (values[1] - values[0]) / (times[1] - times[0]) : k === n - 1 ? (values[k] - values[k - 1]) / (times[k] - times[k - 1]) : (values[k + 1] - values[k - 1]) / (times[k + 1] - times[k - 1]);
  const [a, b] = [slope(i) * h, slope(i + 1) * h];
  const t2 = t * t,
    t3 = t2 * t;
  return (2 * t3 - 3 * t2 + 1) * values[i] + (t3 - 2 * t2 + t) * a + (3 * t2 - 2 * t3) * values[i + 1] + (t3 - t2) * b;
}

/** Sway of a hand: a few unrelated slow swings, of standard deviation 1. The same at every call. */
const SWINGS = [
  [0.71, 0.3],
  [1.13, 1.9],
  [1.87, 4.4],
] as const;
const sway = (timeS: number, phase: number): number => SWINGS.reduce((sum, [hz, p]) => sum + Math.sin(2 * Math.PI * hz * timeS + p + phase), 0) * Math.sqrt(2 / SWINGS.length);

/** @throws CoreError INVALID_OPTION when there is no station, or when times do not rise */
export function checkMove(move: CameraMove): void {
  if (move.stations.length === 0) throw new CoreError('INVALID_OPTION', 'A move needs at least one place for the camera', 'move.stations');
  for (let i = 1; i < move.stations.length; i += 1)
    if (!(move.stations[i].timeS > move.stations[i - 1].timeS))
      throw new CoreError('INVALID_OPTION', `Station ${i + 1} is at ${move.stations[i].timeS} s, not after the one before it`, `move.stations[${i}].timeS`);
}

export function momentAt(move: CameraMove, timeS: number): CameraMoment {
  const times = move.stations.map((s) => s.timeS);
  const at = (pick: (s: MoveStation) => number) => between(times, move.stations.map(pick), timeS);
  let [x, y, z] = [at((s) => s.xM), at((s) => s.heightM), at((s) => s.zM)];
  let heading = at((s) => s.headingRad);
  let tilt = at((s) => s.tiltRad);
  if (move.kind === 'handheld') {
    const [m, r] = [move.swayM ?? 0.02, move.swayRad ?? 0.01];
    x += m * sway(timeS, 0);
    y += m * sway(timeS, 2.1);
    z += m * sway(timeS, 4.2);
    heading += r * sway(timeS, 1);
    tilt += r * sway(timeS, 3.3);
  }
  if (move.kind === 'pan' && move.pupilAheadM) {
    const level = Math.cos(tilt) * move.pupilAheadM;
    x -= Math.sin(heading) * level;
    z -= Math.cos(heading) * level;
    y += Math.sin(tilt) * move.pupilAheadM;
  }
  return {
    timeS,
    position: [x, y, z],
    toCamera: toCameraOf(
      heading,
      tilt,
      at((s) => s.rollRad),
    ),
    // a barrel turns by ratios, a focus ring about by inverse distances
    focalMm: Math.exp(at((s) => Math.log(s.focalMm))),
    focusM:
      1 /
      Math.max(
        1e-9,
        at((s) => 1 / s.focusM),
      ),
    headingRad: heading,
    tiltRad: tilt,
  };
}

/** How the moving object has gone from where it stands on the plan: world ← world at rest. */
export interface ObjectPose {
  rotation: Mat3;
  translation: Vec3;
}

export function objectPoseAt(move: CameraMove, timeS: number): ObjectPose | null {
  const list = move.objectStations ?? [];
  if (move.kind !== 'object' || list.length === 0) return null;
  const times = list.map((s) => s.timeS);
  const at = (pick: (s: ObjectStation) => number) => between(times, list.map(pick), timeS);
  const turn = at((s) => s.turnRad) - list[0].turnRad;
  const [c, s] = [Math.cos(turn), Math.sin(turn)];
  const rotation: Mat3 = [c, 0, s, 0, 1, 0, -s, 0, c];
  const rest: Vec3 = [list[0].xM, list[0].baseM, list[0].zM];
  const turnedRest = mulMatVec(rotation, rest);
  return { rotation, translation: [at((q) => q.xM) - turnedRest[0], at((q) => q.baseM) - turnedRest[1], at((q) => q.zM) - turnedRest[2]] };
}

/** The camera as the moving object sees it: object points stay still and the camera goes round them. */
export function momentBeforeObject(moment: CameraMoment, pose: ObjectPose): CameraMoment {
  const r = pose.rotation;
  const d: Vec3 = [moment.position[0] - pose.translation[0], moment.position[1] - pose.translation[1], moment.position[2] - pose.translation[2]];
  return {
    ...moment,
    position: [r[0] * d[0] + r[3] * d[1] + r[6] * d[2], r[1] * d[0] + r[4] * d[1] + r[7] * d[2], r[2] * d[0] + r[5] * d[1] + r[8] * d[2]],
    toCamera: mulMat3(moment.toCamera, r),
  };
}

/** `count` moments evenly over the move. */
export function sampleMove(move: CameraMove, count: number): CameraMoment[] {
  checkMove(move);
  const first = move.stations[0].timeS;
  const duration = moveDurationS(move);
  const n = duration > 0 ? Math.max(2, count) : 1;
  return Array.from({ length: n }, (_, i) => momentAt(move, first + (n > 1 ? (duration * i) / (n - 1) : 0)));
}
