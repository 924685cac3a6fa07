import { brownConrady, type Lens } from './lens';
import { normals, uniform } from './noise';

type Point = readonly [number, number, number];

export interface ShotScene {
  widthPx: number;
  heightPx: number;
  /** effective focal length as it really was; of a zoom, at time 0…1 */
  focalMm: number | ((time: number) => number);
  sensorWidthMm: number;
  sensorHeightMm: number;
  k?: readonly [number, number, number];
  p?: readonly [number, number];
  /** principal point right of and below the middle, px */
  center?: readonly [number, number];
  /** pixels a degree across over those down; 1: as the sensor says */
  ratio?: number;
  frames: number;
  /** camera place in metres, Y up, at time 0…1 */
  path: (time: number) => Point;
  /** what the camera looks at, at time 0…1 */
  aim: (time: number) => Point;
  /** clockwise as seen from behind, at time 0…1 */
  rollRad?: (time: number) => number;
  /** still points, named; Y up, metres */
  points: readonly { id: string; at: Point; /** moves by itself, m per frame: an outlier track */ drift?: Point }[];
  noisePx: number;
  seed?: number;
  /** a track lives at most this many frames; default all */
  lifeFrames?: number;
  /** of a frame's time, from the first row that is read to the last; the middle one is read at the moment of the frame. Default: all at once */
  readoutShare?: number;
}

export interface SimulatedShot {
  tracks: { track: string; frame: number; x: number; y: number }[];
  /** camera truth: position in metres and the rows right, down, forward of the world-to-camera rotation */
  cameras: { frame: number; position: Point; right: Point; down: Point; forward: Point }[];
}

const minus = (a: Point, b: Point): Point => [a[0] - b[0], a[1] - b[1], a[2] - b[2]];
const times = (a: Point, b: Point): Point => [a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]];
const along = (a: Point, b: Point): number => a[0] * b[0] + a[1] * b[1] + a[2] * b[2];
const unit = (a: Point): Point => {
  const n = Math.sqrt(along(a, a));
  return [a[0] / n, a[1] / n, a[2] / n];
};

const turned = (a: Point, b: Point, rad: number): Point => [0, 1, 2].map((k) => Math.cos(rad) * a[k] + Math.sin(rad) * b[k]) as unknown as Point;

/** Projects a scene through a true lens frame by frame. Frames count from 1. */
export function simulateShot(scene: ShotScene): SimulatedShot {
  const { focalMm } = scene;
  const lensAt = (mm: number): Lens => ({
    fxPx: ((scene.ratio ?? 1) * mm * scene.widthPx) / scene.sensorWidthMm,
    fyPx: (mm * scene.heightPx) / scene.sensorHeightMm,
    cx: scene.widthPx / 2 + (scene.center?.[0] ?? 0),
    cy: scene.heightPx / 2 + (scene.center?.[1] ?? 0),
    k1: scene.k?.[0] ?? 0,
    k2: scene.k?.[1] ?? 0,
    k3: scene.k?.[2] ?? 0,
    p1: scene.p?.[0] ?? 0,
    p2: scene.p?.[1] ?? 0,
  });
  const noise = normals(scene.seed ?? 7);
  const random = uniform((scene.seed ?? 7) + 1000);
  const births = scene.points.map(() => (scene.lifeFrames ? Math.floor(random() * (scene.frames + scene.lifeFrames)) - scene.lifeFrames : 0));
  const tracks: SimulatedShot['tracks'] = [];
  const cameras: SimulatedShot['cameras'] = [];
  const cameraAt = (time: number) => {
    const position = scene.path(time);
    const forward = unit(minus(scene.aim(time), position));
    const level = unit(times(forward, [0, 1, 0]));
    const plumb = times(forward, level);
    const roll = scene.rollRad?.(time) ?? 0;
    return { position, right: turned(level, plumb, roll), down: turned(plumb, level, -roll), forward };
  };
  /** Where a place falls at a moment; null: behind the camera. */
  const project = (at: Point, frame: number): [number, number] | null => {
    const time = scene.frames > 1 ? (frame - 1) / (scene.frames - 1) : 0;
    const lens = lensAt(typeof focalMm === 'number' ? focalMm : focalMm(time));
    const { position, right, down, forward } = cameraAt(time);
    const d = minus(at, position);
    const z = along(d, forward);
    if (z < 0.1) return null;
    const [xd, yd] = brownConrady(lens, along(d, right) / z, along(d, down) / z);
    return [lens.cx + lens.fxPx * xd, lens.cy + lens.fyPx * yd];
  };
  /** The same through a sensor whose row has a moment of its own. */
  const read = (at: Point, frame: number): [number, number] | null => {
    let seen = project(at, frame);
    for (let i = 0; i < 20 && seen && scene.readoutShare; i += 1) seen = project(at, frame + scene.readoutShare * (seen[1] / scene.heightPx - 0.5));
    return seen;
  };
  for (let f = 1; f <= scene.frames; f += 1) {
    cameras.push({ frame: f, ...cameraAt(scene.frames > 1 ? (f - 1) / (scene.frames - 1) : 0) });
    scene.points.forEach((point, i) => {
      if (scene.lifeFrames && (f - 1 < births[i] || f - 1 >= births[i] + scene.lifeFrames)) return;
      const at: Point = point.drift ? [point.at[0] + point.drift[0] * f, point.at[1] + point.drift[1] * f, point.at[2] + point.drift[2] * f] : point.at;
      const seen = read(at, f);
      if (!seen) return;
      const x = seen[0] + scene.noisePx * noise();
      const y = seen[1] + scene.noisePx * noise();
      if (x < 0 || y < 0 || x > scene.widthPx || y > scene.heightPx) return;
      tracks.push({ track: point.id, frame: f, x, y });
    });
  }
  return { tracks, cameras };
}
