import { uniform } from './noise';
import { simulateShot, type ShotScene, type SimulatedShot } from './simulate-shot';

type Point = readonly [number, number, number];
/** Columns: right, up, back, in the world; row-major. */
export type Axes = readonly [number, number, number, number, number, number, number, number, number];
export interface CameraPlace {
  at: Point;
  axes: Axes;
}
/** A witness on the main camera: its pupil and its axes in those of the main camera (x right, y up, z back). */
export interface Rig {
  at: Point;
  axes: Axes;
}
export interface PairCamera {
  widthPx: number;
  heightPx: number;
  focalMm: number;
  sensorWidthMm: number;
  sensorHeightMm: number;
  k?: readonly [number, number, number];
}
export interface PairScene {
  main: PairCamera;
  witness: PairCamera;
  frames: number;
  /** of the main camera, at time 0…1 */
  path: (t: number) => Point;
  aim: (t: number) => Point;
  rig: Rig | ((t: number) => Rig);
  points: readonly { id: string; at: Point }[];
  /** frame f of the main camera is f + shift of the witness; may be a fraction */
  shift: number;
  noisePx: number;
  seed: number;
}
export interface CarriedPair {
  main: SimulatedShot;
  /** its tracks by its own frames; it ran four frames before and five after */
  witness: SimulatedShot['tracks'];
  mainAt: (t: number) => CameraPlace;
  witnessAt: (t: number) => CameraPlace;
}

const plus = (a: Point, b: Point): Point => [a[0] + b[0], a[1] + b[1], a[2] + b[2]];
const minus = (a: Point, b: Point): Point => [a[0] - b[0], a[1] - b[1], a[2] - b[2]];
const times = (a: Point, b: Point): Point => [a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]];
const along = (a: Point, b: Point): number => a[0] * b[0] + a[1] * b[1] + a[2] * b[2];
const unit = (a: Point): Point => {
  const n = Math.sqrt(along(a, a));
  return [a[0] / n, a[1] / n, a[2] / n];
};
const column = (m: Axes, k: number): Point => [m[k], m[3 + k], m[6 + k]];
const turn = (m: Axes, v: Point): Point => [along([m[0], m[1], m[2]], v), along([m[3], m[4], m[5]], v), along([m[6], m[7], m[8]], v)];
const fromColumns = (x: Point, y: Point, z: Point): Axes => [x[0], y[0], z[0], x[1], y[1], z[1], x[2], y[2], z[2]];

/** Axes that are turned to the left and then tilted up, rad. */
export function rigAxes(left: number, up: number): Axes {
  const [cl, sl, cu, su] = [Math.cos(left), Math.sin(left), Math.cos(up), Math.sin(up)];
  // about Y by left, then about the new X by up
  return [cl, sl * su, sl * cu, 0, cu, -su, -sl, cl * su, cl * cu];
}

/** Two cameras that are one rigid thing, projected frame by frame through true lenses; the witness's shutter opens at moments of its own. */
export function carriedPair(scene: PairScene): CarriedPair {
  const rigAt = (t: number): Rig => (typeof scene.rig === 'function' ? scene.rig(t) : scene.rig);
  const mainAt = (t: number): CameraPlace => {
    const at = scene.path(t);
    const forward = unit(minus(scene.aim(t), at));
    const right = unit(times(forward, [0, 1, 0]));
    return { at, axes: fromColumns(right, times(right, forward), [-forward[0], -forward[1], -forward[2]]) };
  };
  const witnessAt = (t: number): CameraPlace => {
    const main = mainAt(t);
    const { at, axes } = rigAt(t);
    return { at: plus(main.at, turn(main.axes, at)), axes: fromColumns(turn(main.axes, column(axes, 0)), turn(main.axes, column(axes, 1)), turn(main.axes, column(axes, 2))) };
  };
  const shot = (camera: PairCamera, of: (t: number) => CameraPlace, frames: number, time: (u: number) => number, seed: number): SimulatedShot => {
    const forwardAt = (u: number): Point => {
      const back = column(of(time(u)).axes, 2);
      return [-back[0], -back[1], -back[2]];
    };
    const view: ShotScene = {
      ...camera,
      frames,
      points: scene.points,
      seed,
      noisePx: (scene.noisePx * camera.widthPx) / scene.main.widthPx,
      path: (u) => of(time(u)).at,
      aim: (u) => plus(of(time(u)).at, forwardAt(u)),
      rollRad: (u) => {
        const forward = forwardAt(u);
        const level = unit(times(forward, [0, 1, 0]));
        const right = column(of(time(u)).axes, 0);
        return Math.atan2(along(right, times(forward, level)), along(right, level));
      },
    };
    return simulateShot(view);
  };
  const main = shot(scene.main, mainAt, scene.frames, (u) => u, scene.seed);
  const first = Math.floor(scene.shift) - 4;
  const count = scene.frames + 10;
  // its frame number n (from 1) is first + n of its own count, and the main camera's first + n − shift
  const side = shot(scene.witness, witnessAt, count, (u) => (1 + u * (count - 1) + first - scene.shift - 1) / (scene.frames - 1), scene.seed + 71);
  return { main, witness: side.tracks.map((t) => ({ ...t, frame: t.frame + first })), mainAt, witnessAt };
}

/** A room with a wall before the main camera, another on its left, and marks between them. */
export function pairRoom(seed: number): { id: string; at: Point }[] {
  const u = uniform(seed);
  const wall = Array.from({ length: 60 }, (_, i) => ({ id: `f${i}`, at: [-2.5 + 5 * u(), 2.6 * u(), -4.6 + 1.8 * u()] as Point }));
  const left = Array.from({ length: 60 }, (_, i) => ({ id: `g${i}`, at: [-5 + 1.6 * u(), 2.6 * u(), -4 + 5 * u()] as Point }));
  const marks = ([[-1.6, 0.5, -4.2], [-1.9, 1.7, -3.9], [-1.2, 1.1, -3.1], [-2.2, 0.9, -3.4]] as Point[]).map((at, i) => ({ id: `M${i + 1}`, at })); // prettier-ignore
  return [...wall, ...left, ...marks];
}
