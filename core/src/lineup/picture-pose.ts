import { leastSquares } from '../estimate';
import { coefficientsOf, distortWith, undistorter } from '../lens';
import { distance, expSO3, mulMat3, mulMatTVec, seededRandom, type Mat3, type Vec3 } from '../math';
import { refinePose, samplePose, type Pose, type Sighting } from '../solve/absolute-pose';
import type { SolveLens, SolveSetup } from '../solve/setup';
import { bendOf, bentBy } from './unmeasured-bend';
import { anglesFrom, type LineUpAngles, type LineUpMark, type LineUpPoint } from './line-up-result';

const FOCAL_STARTS = [1, 0.71, 1.41, 0.5, 2];
/** Another place that explains the marks nearly as well. */
const AS_WELL = 2;

/** A mark with the place of its point. */
export interface Row extends LineUpMark {
  point: LineUpPoint;
}
/** The pose of one picture as it was fitted. */
export interface Fit {
  /** world to camera */
  rotation: Mat3;
  center: Vec3;
  focalMm: number;
  /** of a lens that nobody measured; else 0 */
  bend: number;
  /** ½ Σ (residual over sigma)² */
  cost: number;
  /** rotation 3, place 3, focal length in mm where it is free or guided, bend where nobody measured it */
  covariance: Float64Array;
  unknowns: number;
  rank: number;
  redundancy: number;
  rival: boolean;
}

/** The pose and focal length that these marks give, from several starts; null where no camera sees their points so. */
export function bestFit(rows: readonly Row[], lens: SolveLens, setup: SolveSetup, markSigmaPx: number): Fit | null {
  const mode = setup.focal.mode ?? 'held';
  const random = seededRandom(1);
  const fits: Fit[] = [];
  for (const factor of mode === 'free' || mode === 'zoom' ? FOCAL_STARTS : [1]) {
    const focalMm = factor * lens.recordedMm;
    const sightings = sightingsAt(rows, lens, focalMm);
    if (!sightings) continue;
    const slopePx = focalMm * lens.map.pxPerMmX;
    const start = samplePose(sightings, 40 / slopePx, random, 96);
    if (!start) continue;
    fits.push(refine(rows, lens, setup, markSigmaPx, refinePose(start, sightings, 8 / slopePx, 30).pose, focalMm));
  }
  fits.sort((a, b) => a.cost - b.cost);
  const [best] = fits;
  if (!best || !Number.isFinite(best.cost)) return null;
  // of points in a plane seen from far away there are two places; the other one is looked for from its mirror image
  const other = rivalOf(best, rows, lens, setup, markSigmaPx);
  if (other && other.cost < best.cost) return { ...other, rival: best.cost < AS_WELL * other.cost + rows.length };
  return { ...best, rival: other !== null && distance(other.center, best.center) > 0.02 * distance(best.center, middle(rows)) && other.cost < AS_WELL * best.cost + rows.length };
}

const middle = (rows: readonly Row[]): Vec3 => [0, 1, 2].map((k) => rows.reduce((s, r) => s + r.point.position[k], 0) / rows.length) as unknown as Vec3;

/** The pose mirrored about the line from the middle of the points: the second solution of a plane seen nearly without perspective. */
function rivalOf(best: Fit, rows: readonly Row[], lens: SolveLens, setup: SolveSetup, markSigmaPx: number): Fit | null {
  const sightings = sightingsAt(rows, lens, best.focalMm);
  if (!sightings) return null;
  const slopePx = best.focalMm * lens.map.pxPerMmX;
  const random = seededRandom(7);
  for (let n = 0; n < 8; n += 1) {
    const start = samplePose(sightings, 40 / slopePx, random, 3);
    if (!start) continue;
    const center = mulMatTVec(start.rotation, start.translation).map((v) => -v) as unknown as Vec3;
    if (distance(center, best.center) < 0.05 * distance(best.center, middle(rows))) continue;
    const fit = refine(rows, lens, setup, markSigmaPx, refinePose(start, sightings, 8 / slopePx, 30).pose, best.focalMm);
    if (distance(fit.center, best.center) > 0.02 * distance(best.center, middle(rows))) return fit;
  }
  return null;
}

function sightingsAt(rows: readonly Row[], lens: SolveLens, focalMm: number): Sighting[] | null {
  const { map } = lens;
  const undistort = undistorter(map.distortion);
  const out = new Float64Array(2);
  const list: Sighting[] = [];
  for (const r of rows) {
    if (!undistort((r.xPx - map.cx) / (map.normaliserMm * map.pxPerMmX), (r.yPx - map.cy) / (map.normaliserMm * map.pxPerMmY), out)) return null;
    list.push({ point: r.point.position, x: (out[0] * map.normaliserMm) / focalMm, y: (out[1] * map.normaliserMm) / focalMm });
  }
  return list;
}

const d2 = new Float64Array(2);
/** Place of a point in the picture, and px a metre across its line of sight; null behind the camera. */
function seen({ rotation, center, focalMm, bend }: Pick<Fit, 'rotation' | 'center' | 'focalMm' | 'bend'>, lens: SolveLens, point: Vec3): { x: number; y: number; pxPerM: number } | null {
  const d: Vec3 = [point[0] - center[0], point[1] - center[1], point[2] - center[2]];
  const z = rotation[6] * d[0] + rotation[7] * d[1] + rotation[8] * d[2];
  if (!(z > 1e-6)) return null;
  const { map } = lens;
  const g = map.normaliserMm;
  const x = (rotation[0] * d[0] + rotation[1] * d[1] + rotation[2] * d[2]) / z;
  const y = (rotation[3] * d[0] + rotation[4] * d[1] + rotation[5] * d[2]) / z;
  const unknown = bendOf(lens);
  const by = unknown ? bentBy(bend, x * focalMm, y * focalMm, unknown) : 1;
  distortWith(map.distortion.model, coefficientsOf(map.distortion), (by * x * focalMm) / g, (by * y * focalMm) / g, d2, null, null);
  return { x: map.cx + g * map.pxPerMmX * d2[0], y: map.cy + g * map.pxPerMmY * d2[1], pxPerM: (focalMm * map.pxPerMmX) / z };
}

const FAR_PX = 1e4;

function refine(rows: readonly Row[], lens: SolveLens, setup: SolveSetup, markSigmaPx: number, start: Pose, focalMm: number): Fit {
  const mode = setup.focal.mode ?? 'held';
  const poseUnknowns = mode === 'held' ? 6 : 7;
  const unknownBend = bendOf(lens);
  const unknowns = poseUnknowns + (unknownBend ? 1 : 0);
  const center = mulMatTVec(start.rotation, start.translation).map((v) => -v);
  const priorMm = (setup.focal.sigmaMm ?? 0) * (setup.adapterFactor ?? 1);
  const residual = (x: Float64Array, out: Float64Array) => {
    const rotation = mulMat3(expSO3([x[0], x[1], x[2]]), start.rotation);
    const c: Vec3 = [center[0] + x[3], center[1] + x[4], center[2] + x[5]];
    const f = mode === 'held' ? focalMm : focalMm * Math.exp(x[6]);
    const bend = unknownBend ? x[poseUnknowns] : 0;
    rows.forEach((r, i) => {
      const q = seen({ rotation, center: c, focalMm: f, bend }, lens, r.point.position);
      const sigma = q ? Math.hypot(markSigmaPx, (r.point.sigmaM ?? 0) * q.pxPerM) : markSigmaPx;
      out[2 * i] = q ? (q.x - r.xPx) / sigma : FAR_PX;
      out[2 * i + 1] = q ? (q.y - r.yPx) / sigma : FAR_PX;
    });
    if (mode === 'guided') out[2 * rows.length] = (f - lens.recordedMm) / priorMm;
    if (unknownBend) out[count - 1] = bend / unknownBend.sigma;
  };
  const count = 2 * rows.length + (mode === 'guided' ? 1 : 0) + (unknownBend ? 1 : 0);
  const [r0, r1] = [new Float64Array(count), new Float64Array(count)];
  const scale = distance(center as unknown as Vec3, middle(rows));
  const steps = [1e-6, 1e-6, 1e-6, 1e-6 * scale, 1e-6 * scale, 1e-6 * scale, 1e-6, 1e-6];
  const jacobian = new Float64Array(count * unknowns);
  const one = new Float64Array(unknowns);
  const fit = leastSquares(new Float64Array(unknowns), {
    maxIterations: 100,
    rows(x, row, derivatives) {
      if (derivatives)
        for (let k = 0; k < unknowns; k += 1) {
          const moved = x.slice();
          moved[k] += steps[k];
          residual(moved, r1);
          moved[k] -= 2 * steps[k];
          residual(moved, r0);
          for (let i = 0; i < count; i += 1) jacobian[i * unknowns + k] = (r1[i] - r0[i]) / (2 * steps[k]);
        }
      residual(x, r0);
      for (let i = 0; i < count; i += 1) {
        if (derivatives) for (let k = 0; k < unknowns; k += 1) one[k] = jacobian[i * unknowns + k];
        row(r0[i], one);
      }
    },
  });
  const { x } = fit;
  const f = mode === 'held' ? focalMm : focalMm * Math.exp(x[6]);
  const covariance = fit.covariance.slice();
  // of the focal length itself, not of its logarithm
  if (mode !== 'held' && covariance.length > 0)
    for (let k = 0; k < unknowns; k += 1) {
      covariance[6 * unknowns + k] *= f;
      covariance[k * unknowns + 6] *= f;
    }
  return {
    rotation: mulMat3(expSO3([x[0], x[1], x[2]]), start.rotation),
    center: [center[0] + x[3], center[1] + x[4], center[2] + x[5]],
    focalMm: f,
    bend: unknownBend ? x[poseUnknowns] : 0,
    cost: fit.finalCost,
    covariance,
    unknowns,
    rank: fit.rank,
    redundancy: count - unknowns,
    rival: false,
  };
}

/** From where the camera sees each point to where it was marked, px. */
export function residualsOf(rows: readonly Row[], fit: Fit, lens: SolveLens): { id: string; dxPx: number; dyPx: number }[] {
  return rows.map((r) => {
    const q = seen(fit, lens, r.point.position);
    return { id: r.id, dxPx: q ? r.xPx - q.x : FAR_PX, dyPx: q ? r.yPx - q.y : FAR_PX };
  });
}

/** How far a mark lies off a camera that was found without it, in sigmas of the mark and of its point as it is seen. */
export function offSigmasOf({ point, xPx, yPx }: Row, fit: Fit, lens: SolveLens, markSigmaPx: number): number {
  const q = seen(fit, lens, point.position);
  return q ? Math.hypot(q.x - xPx, q.y - yPx) / Math.hypot(markSigmaPx, (point.sigmaM ?? 0) * q.pxPerM) : Infinity;
}

/** Tilt and roll of the fitted camera; a small turn w of the camera moves its axes by w ×, in the camera's own axes as the fit turns it. */
export function anglesOf({ rotation: r, covariance, unknowns }: Fit, worse: number): LineUpAngles {
  const [right, down, forward] = [r[1], r[4], r[7]];
  const level = Math.max(1e-9, right ** 2 + down ** 2);
  const sigma = (g: Vec3): number => {
    let variance = 0;
    for (let i = 0; i < 3; i += 1) for (let j = 0; j < 3; j += 1) variance += g[i] * g[j] * covariance[i * unknowns + j];
    return worse * Math.sqrt(Math.max(0, variance));
  };
  const byTilt = Math.sqrt(level);
  return {
    ...anglesFrom(r),
    sigmaTiltRad: sigma([down / byTilt, -right / byTilt, 0]),
    sigmaRollRad: sigma([(-forward * right) / level, (-forward * down) / level, 1]),
  };
}

/** Root of the smallest over the largest eigenvalue of the points' scatter. */
export function thinnest(points: readonly Vec3[]): number {
  const m = [0, 1, 2].map((k) => points.reduce((s, p) => s + p[k], 0) / points.length);
  const c = new Float64Array(9);
  for (const p of points) for (let i = 0; i < 3; i += 1) for (let j = 0; j < 3; j += 1) c[3 * i + j] += (p[i] - m[i]) * (p[j] - m[j]);
  // of a symmetric 3×3 in closed form (Smith 1961)
  const q = (c[0] + c[4] + c[8]) / 3;
  const off = c[1] ** 2 + c[2] ** 2 + c[5] ** 2;
  const p = Math.sqrt(((c[0] - q) ** 2 + (c[4] - q) ** 2 + (c[8] - q) ** 2 + 2 * off) / 6);
  if (!(p > 0)) return 1;
  const b = c.map((v, k) => (v - (k % 4 === 0 ? q : 0)) / p);
  const det = b[0] * (b[4] * b[8] - b[5] * b[7]) - b[1] * (b[3] * b[8] - b[5] * b[6]) + b[2] * (b[3] * b[7] - b[4] * b[6]);
  const angle = Math.acos(Math.min(1, Math.max(-1, det / 2))) / 3;
  const largest = q + 2 * p * Math.cos(angle);
  const smallest = q + 2 * p * Math.cos(angle + (2 * Math.PI) / 3);
  return Math.sqrt(Math.max(0, smallest) / largest);
}
