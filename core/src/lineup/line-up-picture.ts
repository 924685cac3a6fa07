import { distortWith, undistorter, coefficientsOf } from '../lens';
import { leastSquares } from '../estimate';
import { distance, expSO3, matToQuat, mulMat3, mulMatTVec, seededRandom, transpose3, type Mat3, type Vec3 } from '../math';
import { refinePose, samplePose, type Pose, type Sighting } from '../solve/absolute-pose';
import { readSolveSetup, type SolveLens, type SolveSetup } from '../solve/setup';
import { PICTURE, type Warning } from '../warnings';
import { anglesFrom, checkMarks, failedLineUp, MARK_SIGMA_PX, type LineUp, type LineUpAngles, type LineUpMark, type LineUpOptions, type LineUpPoint } from './line-up-result';

const FOCAL_STARTS = [1, 0.71, 1.41, 0.5, 2];
const LEAST_MARKS = 4;
/** A mark off by more than this of its own sigmas is somebody else's point, or set wrongly. */
const LEFT_SIGMAS = 5;
/** Points whose thinnest extent is this share of their widest lie in a plane. */
const FLAT_SHARE = 0.02;
/** Another place that explains the marks nearly as well. */
const AS_WELL = 2;

/**
 * Where the camera of one picture stood, how it was turned and how long its lens was, from surveyed points marked in it.
 * Model    px = lens map of (R (X − C))'s slopes at the focal length; rows over the root of the mark's variance and that of the point as it
 *          is seen; a guided focal length as one row more. Poses from three points each for several focal lengths, the best refined.
 * Sigma    from the covariance of the fit, times the misfit where that is larger than what marks and points allow.
 * @throws CoreError for bad input; what cannot be lined up comes back as failed with its reason
 */
export function lineUpPicture(marks: readonly LineUpMark[], points: readonly LineUpPoint[], setup: SolveSetup, { markSigmaPx = MARK_SIGMA_PX }: LineUpOptions = {}): LineUp {
  const lens = readSolveSetup(setup);
  const mode = setup.focal.mode ?? 'held';
  checkMarks(marks);
  const known = new Map(points.map((p) => [p.id, p]));
  const warnings: Warning[] = [];
  const strangers = marks.filter((m) => !known.has(m.id)).map((m) => m.id);
  if (strangers.length > 0) warnings.push(PICTURE.PLACE_UNKNOWN(strangers));
  const used = marks.flatMap((m) => (known.has(m.id) ? [{ ...m, point: known.get(m.id)! }] : []));
  if (used.length < LEAST_MARKS) return failedLineUp(`${used.length} marks have a known place; ${LEAST_MARKS} are the least`, warnings);
  const thin = thinnest(used.map((u) => u.point.position));
  const flat = thin < FLAT_SHARE;
  let rows = used;
  let fit = bestFit(rows, lens, setup, markSigmaPx);
  if (!fit) return failedLineUp('no camera sees the points where they were marked: a mark has the wrong name, or the picture is of another side', warnings);
  // one wrong mark among few bends the rest towards it: it is found by leaving each out
  const misfit = (f: Fit) => Math.sqrt((2 * f.cost) / Math.max(1, f.redundancy));
  const left = new Set<string>();
  while (rows.length > LEAST_MARKS + 1 && misfit(fit) > 1.5) {
    const tries: { id: string; fit: Fit }[] = [];
    for (const u of rows) {
      const without = bestFit(
        rows.filter((r) => r !== u),
        lens,
        setup,
        markSigmaPx,
      );
      if (without) tries.push({ id: u.id, fit: without });
    }
    tries.sort((a, b) => a.fit.cost - b.fit.cost);
    const [best, second] = tries;
    if (!best || misfit(best.fit) > 0.6 * misfit(fit)) break;
    if (second && second.fit.cost < AS_WELL * best.fit.cost + 1) {
      warnings.push(PICTURE.MARK_UNDECIDED(best.id, second.id));
      break;
    }
    const gone = rows.find((r) => r.id === best.id)!;
    const far = residualsOf([gone], best.fit, lens)[0];
    if (Math.hypot(far.dxPx, far.dyPx) < LEFT_SIGMAS * markSigmaPx) break;
    left.add(best.id);
    warnings.push(PICTURE.MARK_LEFT_OUT(best.id, Math.hypot(far.dxPx, far.dyPx)));
    rows = rows.filter((r) => r.id !== best.id);
    ({ fit } = best);
  }
  const residuals = residualsOf(used, fit, lens).map((r) => ({ ...r, left: left.has(r.id) }));
  const inside = residuals.filter((r) => !r.left);
  const rmsPx = Math.sqrt(inside.reduce((s, r) => s + r.dxPx ** 2 + r.dyPx ** 2, 0) / inside.length);
  const held = mode === 'held';
  const worse = Math.max(1, misfit(fit));
  if (fit.redundancy <= 0) warnings.push(PICTURE.NOTHING_CHECKS_LINE_UP());
  else if (misfit(fit) > 3) warnings.push(PICTURE.MARKS_MISS(misfit(fit)));
  if (fit.rank < fit.unknowns) return failedLineUp('the marks do not determine the camera: spread them over the picture and in depth', warnings);
  const sigma = (i: number) => worse * Math.sqrt(fit.covariance[i * fit.unknowns + i]);
  const sigmaFocalMm = held ? 0 : sigma(6);
  if (flat && !held && sigmaFocalMm > 0.02 * fit.focalMm) warnings.push(PICTURE.POINTS_IN_ONE_PLANE());
  if (fit.rival) warnings.push(PICTURE.ANOTHER_PLACE_FITS());
  const axis: Vec3 = [fit.rotation[6], fit.rotation[7], fit.rotation[8]];
  let along = 0;
  for (let i = 0; i < 3; i += 1) for (let j = 0; j < 3; j += 1) along += axis[i] * axis[j] * fit.covariance[(3 + i) * fit.unknowns + 3 + j];
  return {
    status: 'solved',
    reason: null,
    frame: 'places',
    position: fit.center,
    rotation: matToQuat(mulMat3(transpose3(fit.rotation), [1, 0, 0, 0, -1, 0, 0, 0, -1])),
    focalMm: fit.focalMm,
    sigmaFocalMm,
    sigmaPositionM: [sigma(3), sigma(4), sigma(5)],
    sigmaAlongAxisM: worse * Math.sqrt(Math.max(0, along)),
    angles: anglesOf(fit, worse),
    rmsPx,
    marks: residuals,
    places: [...points],
    facts: [],
    warnings,
  };
}

interface Row extends LineUpMark {
  point: LineUpPoint;
}
interface Fit {
  /** world to camera */
  rotation: Mat3;
  center: Vec3;
  focalMm: number;
  /** ½ Σ (residual over sigma)² */
  cost: number;
  /** rotation 3, place 3, focal length where it is free or guided */
  covariance: Float64Array;
  unknowns: number;
  rank: number;
  redundancy: number;
  rival: boolean;
}

function bestFit(rows: readonly Row[], lens: SolveLens, setup: SolveSetup, markSigmaPx: number): Fit | null {
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
function seen(rotation: Mat3, center: Vec3, focalMm: number, lens: SolveLens, point: Vec3): { x: number; y: number; pxPerM: number } | null {
  const d: Vec3 = [point[0] - center[0], point[1] - center[1], point[2] - center[2]];
  const z = rotation[6] * d[0] + rotation[7] * d[1] + rotation[8] * d[2];
  if (!(z > 1e-6)) return null;
  const { map } = lens;
  const g = map.normaliserMm;
  const x = (rotation[0] * d[0] + rotation[1] * d[1] + rotation[2] * d[2]) / z;
  const y = (rotation[3] * d[0] + rotation[4] * d[1] + rotation[5] * d[2]) / z;
  distortWith(map.distortion.model, coefficientsOf(map.distortion), (x * focalMm) / g, (y * focalMm) / g, d2, null, null);
  return { x: map.cx + g * map.pxPerMmX * d2[0], y: map.cy + g * map.pxPerMmY * d2[1], pxPerM: (focalMm * map.pxPerMmX) / z };
}

const FAR_PX = 1e4;

function refine(rows: readonly Row[], lens: SolveLens, setup: SolveSetup, markSigmaPx: number, start: Pose, focalMm: number): Fit {
  const mode = setup.focal.mode ?? 'held';
  const unknowns = mode === 'held' ? 6 : 7;
  const center = mulMatTVec(start.rotation, start.translation).map((v) => -v);
  const priorMm = (setup.focal.sigmaMm ?? 0) * (setup.adapterFactor ?? 1);
  const residual = (x: Float64Array, out: Float64Array) => {
    const rotation = mulMat3(expSO3([x[0], x[1], x[2]]), start.rotation);
    const c: Vec3 = [center[0] + x[3], center[1] + x[4], center[2] + x[5]];
    const f = mode === 'held' ? focalMm : focalMm * Math.exp(x[6]);
    rows.forEach((r, i) => {
      const q = seen(rotation, c, f, lens, r.point.position);
      const sigma = q ? Math.hypot(markSigmaPx, (r.point.sigmaM ?? 0) * q.pxPerM) : markSigmaPx;
      out[2 * i] = q ? (q.x - r.xPx) / sigma : FAR_PX;
      out[2 * i + 1] = q ? (q.y - r.yPx) / sigma : FAR_PX;
    });
    if (mode === 'guided') out[2 * rows.length] = (f - lens.recordedMm) / priorMm;
  };
  const count = 2 * rows.length + (mode === 'guided' ? 1 : 0);
  const [r0, r1] = [new Float64Array(count), new Float64Array(count)];
  const scale = distance(center as unknown as Vec3, middle(rows));
  const steps = [1e-6, 1e-6, 1e-6, 1e-6 * scale, 1e-6 * scale, 1e-6 * scale, 1e-6];
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
  if (unknowns === 7 && covariance.length > 0)
    for (let k = 0; k < 7; k += 1) {
      covariance[6 * 7 + k] *= f;
      covariance[k * 7 + 6] *= f;
    }
  return {
    rotation: mulMat3(expSO3([x[0], x[1], x[2]]), start.rotation),
    center: [center[0] + x[3], center[1] + x[4], center[2] + x[5]],
    focalMm: f,
    cost: fit.finalCost,
    covariance,
    unknowns,
    rank: fit.rank,
    redundancy: count - unknowns,
    rival: false,
  };
}

function residualsOf(rows: readonly Row[], fit: Fit, lens: SolveLens): { id: string; dxPx: number; dyPx: number }[] {
  return rows.map((r) => {
    const q = seen(fit.rotation, fit.center, fit.focalMm, lens, r.point.position);
    return { id: r.id, dxPx: q ? r.xPx - q.x : FAR_PX, dyPx: q ? r.yPx - q.y : FAR_PX };
  });
}

/** Tilt and roll of the fitted camera; a small turn w of the camera moves its axes by w ×, in the camera's own axes as the fit turns it. */
function anglesOf({ rotation: r, covariance, unknowns }: Fit, worse: number): LineUpAngles {
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
function thinnest(points: readonly Vec3[]): number {
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
