import { CoreError } from '../errors';
import { dot, sub, type Mat3, type Vec3 } from '../math';
import { depthOfField, pictureGeometry, type DepthOfField, type PictureGeometry } from '../optics';
import { momentAt, momentBeforeObject, moveDurationS, objectPoseAt, sampleMove, type CameraMoment } from './move';
import type { PlannedSetup, SetPiece } from './planned-setup';
import { featuresOf, hasBody, hides } from './set-piece';

/** One thing that a tracker may hold on to: a mark, or a natural feature of a piece. */
export interface StudyPoint {
  id: string;
  mark: boolean;
  pieceId: string | null;
  at: Vec3;
  normal: Vec3 | null;
  diameterM: number | null;
}

/**
 * A planned setup followed through its move. Places are of the undistorted picture, px; `seen[m * points + p]` is 1 when point p is in the
 * frame of moment m, before the camera, faces it and is not hidden. Points on what moves count as seen only where the move is the object's own.
 */
export interface SetupStudy {
  setup: PlannedSetup;
  geometry: PictureGeometry;
  moments: CameraMoment[];
  /** as seen by the tracked object when it is the object that moves; the same as `moments` else */
  tracked: CameraMoment[];
  frameCount: number;
  durationS: number;
  points: StudyPoint[];
  seen: Uint8Array;
  xPx: Float64Array;
  yPx: Float64Array;
  depthM: Float64Array;
  /** marks beyond this number were left out of the study; 0 else */
  leftOut: number;
}

export const STUDY_MOMENTS = 60;
/** Beyond so many points the study samples the move more thinly, and beyond the second number it leaves points out. */
const MANY_POINTS = 400;
const MOST_POINTS = 2000;
const NEAREST_M = 0.05;

/** The points that a solve of this move may use: on the moving object when one moves, else on all that stands still. */
export function pointsOf(setup: PlannedSetup): StudyPoint[] {
  const moving = new Set(setup.pieces.filter((p) => p.moves).map((p) => p.id));
  const objectId = setup.move.kind === 'object' ? (setup.move.objectId ?? null) : null;
  const belongs = (pieceId: string | null) => (objectId ? pieceId === objectId : pieceId === null || !moving.has(pieceId));
  return [
    ...setup.marks.filter((m) => belongs(m.pieceId)).map((m) => ({ id: m.id, mark: true, pieceId: m.pieceId, at: m.at, normal: m.normal, diameterM: m.diameterM })),
    ...setup.pieces.filter((p) => belongs(p.id)).flatMap((p) => featuresOf(p).map((f) => ({ id: f.id, mark: false, pieceId: f.pieceId, at: f.at, normal: f.normal, diameterM: null }))),
  ];
}

/** Whether a projected place lies in the frame, before the camera. */
export const inFrame = (geometry: PictureGeometry, place: Float64Array): boolean =>
  place[2] > NEAREST_M && place[0] >= 0 && place[1] >= 0 && place[0] <= geometry.widthPx && place[1] <= geometry.heightPx;

/** Cosine between the view and a flat mark's face below which it is seen too obliquely: 80 degrees. */
const LEAST_FACING = 0.174;

/** Projects a world place at a moment into the undistorted picture: [x px, y px, depth m]. */
export function projectAt(geometry: PictureGeometry, effectiveFocalMm: number, moment: Pick<CameraMoment, 'position' | 'toCamera'>, at: Vec3, out: Float64Array): void {
  const d = sub(at, moment.position);
  const r = moment.toCamera;
  const z = r[6] * d[0] + r[7] * d[1] + r[8] * d[2];
  out[2] = z;
  out[0] = geometry.centerXPx + (effectiveFocalMm * geometry.pxPerMmX * (r[0] * d[0] + r[1] * d[1] + r[2] * d[2])) / z;
  out[1] = geometry.centerYPx + (effectiveFocalMm * geometry.pxPerMmY * (r[3] * d[0] + r[4] * d[1] + r[5] * d[2])) / z;
}

/**
 * Derivatives of a place in the picture by the place itself: rows of u, then v, px per metre. `fx`, `fy` are the focal length in px over the
 * depth, `a`, `b` the place over the depth, in picture axes.
 */
export function projectionByPlace(toCamera: Mat3, fx: number, fy: number, a: number, b: number, out: Float64Array): void {
  for (let c = 0; c < 3; c += 1) {
    out[c] = fx * (toCamera[c] - a * toCamera[6 + c]);
    out[3 + c] = fy * (toCamera[3 + c] - b * toCamera[6 + c]);
  }
}

/** A natural feature is found half as well again as a mark; an assumption, stated where it is shown. */
const FEATURE_TIMES = 1.5;
/** One-axis noise of a point's track on a clean picture, px. */
export const trackNoisePx = (setup: PlannedSetup, point: StudyPoint): number => setup.noisePx * (point.mark ? 1 : FEATURE_TIMES);

/** A disc of three pixels on the sensor: beyond it a tracker loses corners, though a viewer may not see it yet. */
const SHARP_PX = 3;
export const trackingCocMm = (geometry: PictureGeometry): number => SHARP_PX / geometry.pxPerMmX;

/** From where to where it is sharp at a moment; null without a stop. `stop`: another one than the setup's. */
export function sharpZone(study: SetupStudy, m: number, stop: number | null = study.setup.stop): DepthOfField | null {
  if (stop === null) return null;
  const moment = study.moments[m];
  return depthOfField({ focalMm: moment.focalMm * adapterOf(study.setup), stop, focusM: Math.max(0.1, moment.focusM), cocMm: trackingCocMm(study.geometry) });
}

export const adapterOf = (setup: PlannedSetup): number => setup.optics.adapterFactor ?? 1;

/** What stands in the way of a view. Before a moving object the rest of the set runs past it: only its own body is asked. */
export function bodiesOf(setup: PlannedSetup): SetPiece[] {
  const objectId = setup.move.kind === 'object' ? setup.move.objectId : null;
  return setup.pieces.filter((b) => hasBody(b) && (!objectId || b.id === objectId));
}

/**
 * Follows the set through the move.
 * @throws CoreError INVALID_OPTION | NON_FINITE_INPUT for a move or optics that cannot be
 */
export function studySetup(setup: PlannedSetup, momentCount = STUDY_MOMENTS): SetupStudy {
  const count = pointsOf(setup).length;
  const thinned = count > MANY_POINTS ? Math.max(12, Math.round((momentCount * MANY_POINTS) / Math.min(count, MOST_POINTS))) : momentCount;
  return studyMoments(setup, sampleMove(setup.move, thinned));
}

/** The same as seen from given places at given times, which need not be those of the setup's own move. */
export function studyMoments(setup: PlannedSetup, moments: CameraMoment[]): SetupStudy {
  if (!(setup.fps > 0)) throw new CoreError('INVALID_OPTION', `The frame rate is ${setup.fps}; it must be above 0`, 'fps');
  const geometry = pictureGeometry(setup.optics);
  const all = pointsOf(setup);
  const points = all.slice(0, MOST_POINTS);
  const tracked = moments.map((m) => {
    const pose = objectPoseAt(setup.move, m.timeS);
    return pose ? momentBeforeObject(m, pose) : m;
  });
  const n = points.length;
  const study: SetupStudy = {
    setup,
    geometry,
    moments,
    tracked,
    durationS: moveDurationS(setup.move),
    frameCount: Math.max(1, Math.round(moveDurationS(setup.move) * setup.fps) + 1),
    points,
    seen: new Uint8Array(n * moments.length),
    xPx: new Float64Array(n * moments.length),
    yPx: new Float64Array(n * moments.length),
    depthM: new Float64Array(n * moments.length),
    leftOut: all.length - n,
  };
  const bodies = bodiesOf(setup);
  const place = new Float64Array(3);
  for (let m = 0; m < moments.length; m += 1) {
    const moment = tracked[m];
    const mm = moment.focalMm * adapterOf(setup);
    for (let p = 0; p < n; p += 1) {
      const point = points[p];
      projectAt(geometry, mm, moment, point.at, place);
      const i = m * n + p;
      study.xPx[i] = place[0];
      study.yPx[i] = place[1];
      study.depthM[i] = place[2];
      if (!inFrame(geometry, place)) continue;
      if (point.normal && facing(point.normal, point.at, moment.position) < LEAST_FACING) continue;
      if (hiddenFrom(bodies, moment.position, point.at)) continue;
      study.seen[i] = 1;
    }
  }
  return study;
}

function facing(normal: Vec3, at: Vec3, eye: Vec3): number {
  const d = sub(eye, at);
  return dot(normal, d) / (Math.hypot(d[0], d[1], d[2]) || 1);
}

/** Whether any of the bodies stands between the eye and a place. */
export function hiddenFrom(bodies: readonly SetPiece[], eye: Vec3, at: Vec3): boolean {
  for (const b of bodies) if (hides(b, eye, at)) return true;
  return false;
}

/**
 * How far a still place runs over the picture within a time, px: the whole of it, by projecting at both ends. With the exposure it is
 * the motion blur, with the readout time the lean that a rolling shutter gives from the first row to the last.
 */
export function runPx(study: SetupStudy, m: number, at: Vec3, spanS: number): number {
  const { setup, geometry, moments } = study;
  const t = moments[m].timeS;
  const ends = [t - spanS / 2, t + spanS / 2].map((s) => {
    const moment = momentAt(setup.move, s);
    const pose = objectPoseAt(setup.move, s);
    const out = new Float64Array(3);
    projectAt(geometry, moment.focalMm * adapterOf(setup), pose ? momentBeforeObject(moment, pose) : moment, at, out);
    return out;
  });
  return Math.hypot(ends[1][0] - ends[0][0], ends[1][1] - ends[0][1]);
}

export const exposureS = (setup: PlannedSetup): number => setup.shutterDeg / 360 / setup.fps;
