import { CoreError } from '../errors';
import { distance, type Vec3 } from '../math';
import { inFrame, projectAt } from '../setup';
import { informationOf, knowledgeOf, LEAST_POINTS, placeJacobian, type FrameElimination, type InformationResult } from './information';
import { plateWorth, type PlateFigures } from './plate-worth';
import { withBend } from './shared-lens';
import type { ForecastPlan } from './plan';
import { FORECAST, type Warning } from '../warnings';

export interface FrameForecast {
  frame: number;
  visible: number;
  /** all null where the frame sees too little to be placed */
  sigmaHeightM: number | null;
  sigmaPositionM: number | null;
  sigmaFocalMm: number | null;
  /** of the place of the set where it is worst, among those that this frame sees */
  slipPx: number | null;
}

export interface Forecast {
  /** solvable: every frame can be placed; directions: no parallax, only directions come out; poor: some frames see too little; none: nothing does */
  status: 'solvable' | 'directions' | 'poor' | 'none';
  /** null where it is held, or cannot be determined */
  sigmaFocalMm: number | null;
  /** root mean square over the frames; null without a ground or a scale */
  sigmaHeightM: number | null;
  /** null: not observable, nothing that is measured gives a scale */
  sigmaScalePct: number | null;
  /** tilt of the whole set against the plumb line; null without a ground */
  sigmaLevelDeg: number | null;
  /** at its worst over frames and places; null when nothing can be solved */
  slipPx: number | null;
  worstFrame: number | null;
  worstPlace: Vec3 | null;
  frames: FrameForecast[];
  /** what a plate of the lens would make of it; null where one says how it bends, or where it would change little */
  withPlate: PlateFigures | null;
  warnings: Warning[];
}

/** Largest parallax against the noise below which a solve tells no depth from it. */
const PARALLAX_SIGMAS = 3;
/** A flat scene still shows a move by how its perspective changes: about this share of what it would show by depth. */
const FLAT_SHARE = 0.15;
/** A focal length that is not known to so much of itself is not known. */
const UNKNOWN_SHARE = 0.3;
/** Places where slip is looked at, when none are named. */
const PLACES = 6;

/**
 * Expected quality of a later solve, from the inverse of its information matrix (`informationOf`).
 * Slip   An object is set at a place X of the solved world where it fits best over the shot (an artist lines it up by eye). It then
 *        moves against the picture by e_i = J_i δcamera_i + J_l δlens + J_X δX, with δX from least squares over the frames that see X. The number
 *        is sqrt(E|e_i|²) in px. It does not depend on datum or scale, since δX takes up both.
 */
export function forecast(plan: ForecastPlan): Forecast {
  const np = plan.points.length;
  const visible = plan.frames.map((_, i) => {
    let n = 0;
    for (let p = 0; p < np; p += 1) if (plan.sigmaPx[i * np + p] > 0) n += 1;
    return n;
  });
  const warnings: Warning[] = [];
  const directions = !hasParallax(plan);
  const found = visible.some((v) => v >= LEAST_POINTS) ? informationOf(plan, directions) : null;
  const info = found && plan.bend?.later === 'straight' ? withBend(found, plan.bend.sigmaAtCorner) : found;
  const short = visible.filter((v) => v < LEAST_POINTS).length;
  if (short > 0) warnings.push(short === visible.length ? FORECAST.NO_FRAME_SEES(LEAST_POINTS) : FORECAST.FRAMES_SEE_FEW(percentOf(short, visible.length), LEAST_POINTS));
  if (!info) {
    if (short < visible.length) warnings.push(FORECAST.CAMERA_NOT_DETERMINED());
    const frames = plan.frames.map((f, i) => ({ frame: f.frame, visible: visible[i], sigmaHeightM: null, sigmaPositionM: null, sigmaFocalMm: null, slipPx: null }));
    return { status: 'none', sigmaFocalMm: null, sigmaHeightM: null, sigmaScalePct: null, sigmaLevelDeg: null, slipPx: null, worstFrame: null, worstPlace: null, frames, withPlate: null, warnings };
  }
  if (directions) warnings.push(FORECAST.NO_PARALLAX());
  const usedIds = new Map(info.used.map((p) => [plan.points[p].id, p]));
  const known = knowledgeOf(plan, usedIds);
  if (!directions && !known.scale) warnings.push(FORECAST.NO_PLANNED_SCALE());
  if (!directions && !known.level) warnings.push(FORECAST.NO_PLANNED_GROUND());
  const scaled = !directions && known.scale;
  const levelled = !directions && known.level;
  const told = toldBy(plan, info, visible, { scaled, levelled });
  if (told.sigmaFocalMm !== null && !told.focalKnown) warnings.push(FORECAST.FOCAL_NOT_OBSERVABLE());
  const plated = plan.bend ? plateWorth(plan.frames[0].effectiveMm, figuresOf(told), figuresOf(toldBy(plan, withBend(info, 0), visible, { scaled, levelled }))) : null;
  if (plated) warnings.push(plated.warning);
  return {
    status: directions ? 'directions' : short > 0 ? 'poor' : 'solvable',
    sigmaFocalMm: told.focalKnown ? told.sigmaFocalMm : null,
    sigmaHeightM: rms(told.frames.map((f) => f.sigmaHeightM)),
    sigmaScalePct: scaled ? 100 * functionalSigma(info, scaleRow(plan, info)) : null,
    sigmaLevelDeg: levelled ? (180 / Math.PI) * Math.hypot(...tiltRows(plan, info).map((row) => functionalSigma(info, row))) : null,
    slipPx: figuresOf(told).slipPx,
    worstFrame: told.worst === null ? null : plan.frames[told.worst].frame,
    worstPlace: told.worst === null ? null : told.placeOf[told.worst],
    frames: told.frames,
    withPlate: plated?.withPlate ?? null,
    warnings,
  };
}

const rms = (values: (number | null)[]): number | null => {
  const numbers = values.filter((v): v is number => v !== null);
  return numbers.length > 0 ? Math.sqrt(numbers.reduce((sum, v) => sum + v * v, 0) / numbers.length) : null;
};

interface Told {
  frames: FrameForecast[];
  sigmaFocalMm: number | null;
  focalKnown: boolean;
  /** index of the frame where a still object slips most */
  worst: number | null;
  placeOf: (Vec3 | null)[];
}

const figuresOf = ({ sigmaFocalMm, worst, frames }: Told): PlateFigures => ({ sigmaFocalMm, slipPx: worst === null ? null : frames[worst].slipPx });

function toldBy(plan: ForecastPlan, info: InformationResult, visible: readonly number[], { scaled, levelled }: { scaled: boolean; levelled: boolean }): Told {
  const slip = slipOf(plan, info);
  const frames = plan.frames.map((f, i): FrameForecast => {
    const e = info.frames[i];
    const height = e && scaled && levelled ? ownSigma(info, e, [info.placeAt + 1]) : null;
    return {
      frame: f.frame,
      visible: visible[i],
      sigmaHeightM: height,
      sigmaPositionM: e && scaled ? ownSigma(info, e, [info.placeAt, info.placeAt + 1, info.placeAt + 2]) / Math.sqrt(3) : null,
      sigmaFocalMm: e && info.focalAt >= 0 ? ownSigma(info, e, [info.focalAt]) : info.sharedFocalAt >= 0 && e ? sharedSigma(info, info.sharedFocalAt) : null,
      slipPx: slip.byFrame[i],
    };
  });
  const sigmaFocalMm = info.sharedFocalAt >= 0 ? sharedSigma(info, info.sharedFocalAt) : rms(frames.map((f) => f.sigmaFocalMm));
  const worst = slip.byFrame.reduce<number | null>((best, v, i) => (v !== null && (best === null || v > slip.byFrame[best]!) ? i : best), null);
  return { frames, sigmaFocalMm, focalKnown: sigmaFocalMm !== null && sigmaFocalMm < UNKNOWN_SHARE * plan.frames[0].effectiveMm, worst, placeOf: slip.placeOf };
}

/** By how much the slip falls from one forecast to another, per cent; all of it where nothing could be solved before. */
export function gainPct(now: Forecast, then: Forecast): number {
  if (then.slipPx === null) return 0;
  return now.slipPx === null ? 100 : 100 * (1 - then.slipPx / now.slipPx);
}

const percentOf = (part: number, whole: number): string => `${Math.max(1, Math.round((100 * part) / whole))} %`;

/** Whether the camera's travel shows in the picture beyond what turning it could give. */
export function hasParallax(plan: ForecastPlan): boolean {
  let travel = 0;
  for (const a of plan.frames) travel = Math.max(travel, distance(a.position, plan.frames[0].position), distance(a.position, plan.frames[plan.frames.length - 1].position));
  if (travel === 0) return false;
  const np = plan.points.length;
  let nearest = Infinity,
    farthestM = 0,
    sigma = Infinity,
    focal = 0;
  plan.frames.forEach((f, i) => {
    focal = Math.max(focal, f.effectiveMm * plan.geometry.pxPerMmX);
    for (let p = 0; p < np; p += 1) {
      if (!(plan.sigmaPx[i * np + p] > 0)) continue;
      const d = distance(f.position, plan.points[p].at);
      nearest = Math.min(nearest, d);
      farthestM = Math.max(farthestM, d);
      sigma = Math.min(sigma, plan.sigmaPx[i * np + p]);
    }
  });
  if (!(nearest < Infinity)) return false;
  return focal * travel * Math.max(1 / nearest - 1 / farthestM, FLAT_SHARE / nearest) > PARALLAX_SIGMAS * sigma;
}

const sharedSigma = (info: InformationResult, at: number): number => Math.sqrt(Math.max(0, info.covariance[at * info.sharedSize + at]));

/** Root sum of variances of some of a frame's own unknowns. */
function ownSigma(info: InformationResult, e: FrameElimination, which: readonly number[]): number {
  const { own, covariance, sharedSize: n } = info;
  const k = e.shared.length;
  let sum = 0;
  for (const a of which) {
    let v = e.inverse[a * own + a];
    for (let q = 0; q < k; q += 1) {
      const row = e.shared[q] * n;
      const t = e.follows[a * k + q];
      let inner = 0;
      for (let r = 0; r < k; r += 1) inner += covariance[row + e.shared[r]] * e.follows[a * k + r];
      v += t * inner;
    }
    sum += v;
  }
  return Math.sqrt(Math.max(0, sum));
}

function functionalSigma(info: InformationResult, row: Float64Array): number {
  const n = info.sharedSize;
  let sum = 0;
  for (let i = 0; i < n; i += 1) {
    if (row[i] === 0) continue;
    let inner = 0;
    for (let j = 0; j < n; j += 1) inner += info.covariance[i * n + j] * row[j];
    sum += row[i] * inner;
  }
  return Math.sqrt(Math.max(0, sum));
}

function centred(plan: ForecastPlan, info: InformationResult): { offsets: Vec3[]; square: number } {
  const mean = [0, 1, 2].map((a) => info.used.reduce((sum, p) => sum + plan.points[p].at[a], 0) / info.used.length);
  const offsets = info.used.map((p): Vec3 => [plan.points[p].at[0] - mean[0], plan.points[p].at[1] - mean[1], plan.points[p].at[2] - mean[2]]);
  return { offsets, square: offsets.reduce((sum, o) => sum + o[0] ** 2 + o[1] ** 2 + o[2] ** 2, 0) };
}

/** Derivative of the logarithm of the cloud's size by the points. */
function scaleRow(plan: ForecastPlan, info: InformationResult): Float64Array {
  const { offsets, square } = centred(plan, info);
  const row = new Float64Array(info.sharedSize);
  offsets.forEach((o, k) => [0, 1, 2].forEach((a) => (row[3 * k + a] = o[a] / square)));
  return row;
}

/** Derivatives of the cloud's turning about the two level axes by the points: least squares of δX = ω × offset, one axis at a time. */
function tiltRows(plan: ForecastPlan, info: InformationResult): Float64Array[] {
  const { offsets } = centred(plan, info);
  return [0, 2].map((axis) => {
    const row = new Float64Array(info.sharedSize);
    const [b, c] = [(axis + 1) % 3, (axis + 2) % 3];
    const inertia = offsets.reduce((sum, o) => sum + o[b] ** 2 + o[c] ** 2, 0);
    offsets.forEach((o, k) => {
      row[3 * k + c] = o[b] / inertia;
      row[3 * k + b] = -o[c] / inertia;
    });
    return row;
  });
}

/** Points far apart from each other, the first one nearest to the middle of all. */
function spreadPlaces(plan: ForecastPlan, info: InformationResult): Vec3[] {
  const all = info.used.map((p) => plan.points[p].at);
  const { offsets } = centred(plan, info);
  let next = offsets.reduce((best, o, i) => (Math.hypot(...o) < Math.hypot(...offsets[best]) ? i : best), 0);
  const chosen: Vec3[] = [];
  const gap = all.map(() => Infinity);
  while (chosen.length < Math.min(PLACES, all.length)) {
    chosen.push(all[next]);
    all.forEach((p, i) => (gap[i] = Math.min(gap[i], distance(p, all[next]))));
    next = gap.reduce((best, v, i) => (v > gap[best] ? i : best), 0);
    if (gap[next] === 0) break;
  }
  return chosen;
}

function slipOf(plan: ForecastPlan, info: InformationResult): { byFrame: (number | null)[]; placeOf: (Vec3 | null)[] } {
  const nf = plan.frames.length;
  const byFrame: (number | null)[] = new Array<number | null>(nf).fill(null);
  const placeOf: (Vec3 | null)[] = new Array<Vec3 | null>(nf).fill(null);
  const { own, sharedSize: n, covariance, lens } = info;
  const jOwn = new Float64Array(2 * own),
    jPlace = new Float64Array(6),
    jLens = new Float64Array(2 * lens.size);
  const places = plan.places ?? spreadPlaces(plan, info);
  if (places.some((p) => !p.every(Number.isFinite))) throw new CoreError('NON_FINITE_INPUT', 'A place must be three numbers', 'places');
  for (const place of places) {
    const seen: { i: number; b: Float64Array; jPlace: Float64Array; ownPart: Float64Array }[] = [];
    const g = new Float64Array(3 * n); // Σ J_Xᵀ B
    const normal = new Float64Array(9);
    const ownSum = new Float64Array(9); // Σ J_Xᵀ P J_X of the frames' own noise P
    for (let i = 0; i < nf; i += 1) {
      const e = info.frames[i];
      if (!e || !sees(plan, i, place) || !placeJacobian(plan, i, place, own, info.focalAt, lens, jOwn, jPlace, jLens)) continue;
      const k = e.shared.length;
      const b = new Float64Array(2 * k);
      for (let row = 0; row < 2; row += 1)
        for (let q = 0; q < k; q += 1) {
          let v = 0;
          for (let a = 0; a < own; a += 1) v -= jOwn[row * own + a] * e.follows[a * k + q];
          b[row * k + q] = v;
        }
      for (let row = 0; row < 2; row += 1) for (let l = 0; l < lens.size; l += 1) b[row * k + k - lens.size + l] += jLens[row * lens.size + l];
      const stands = plan.frames[i].standsFor;
      const ownPart = new Float64Array(4);
      for (let row = 0; row < 2; row += 1)
        for (let col = 0; col < 2; col += 1) {
          let v = 0;
          for (let a = 0; a < own; a += 1) for (let c = 0; c < own; c += 1) v += jOwn[row * own + a] * e.inverse[a * own + c] * jOwn[col * own + c];
          ownPart[2 * row + col] = v;
        }
      for (let a = 0; a < 3; a += 1) {
        for (let c = 0; c < 3; c += 1) {
          normal[3 * a + c] += stands * (jPlace[a] * jPlace[c] + jPlace[3 + a] * jPlace[3 + c]);
          for (let row = 0; row < 2; row += 1) for (let col = 0; col < 2; col += 1) ownSum[3 * a + c] += stands * jPlace[3 * row + a] * ownPart[2 * row + col] * jPlace[3 * col + c];
        }
        for (let q = 0; q < k; q += 1) g[a * n + e.shared[q]] += stands * (jPlace[a] * b[q] + jPlace[3 + a] * b[k + q]);
      }
      seen.push({ i, b, jPlace: jPlace.slice(), ownPart });
    }
    if (seen.length < 2) continue;
    const inverse = inverse3(normal);
    // Σ Gᵀ (n × 3) and G Σ Gᵀ
    const cg = new Float64Array(3 * n);
    for (let a = 0; a < 3; a += 1)
      for (let r = 0; r < n; r += 1) {
        let v = 0;
        const row = r * n;
        for (let c = 0; c < n; c += 1) v += covariance[row + c] * g[a * n + c];
        cg[a * n + r] = v;
      }
    const gcg = new Float64Array(9);
    for (let a = 0; a < 3; a += 1)
      for (let b = 0; b < 3; b += 1) {
        let v = 0;
        for (let r = 0; r < n; r += 1) v += g[a * n + r] * cg[b * n + r];
        gcg[3 * a + b] = v;
      }
    for (const f of seen) {
      const e = info.frames[f.i]!;
      const k = e.shared.length;
      let variance = f.ownPart[0] + f.ownPart[3];
      for (let row = 0; row < 2; row += 1) {
        // K = J_X N⁻¹
        const kk = [0, 1, 2].map((a) => f.jPlace[3 * row] * inverse[a] + f.jPlace[3 * row + 1] * inverse[3 + a] + f.jPlace[3 * row + 2] * inverse[6 + a]);
        for (let q = 0; q < k; q += 1) {
          const at = e.shared[q] * n;
          const bq = f.b[row * k + q];
          let inner = 0;
          for (let r = 0; r < k; r += 1) inner += covariance[at + e.shared[r]] * f.b[row * k + r];
          variance += bq * inner;
          for (let a = 0; a < 3; a += 1) variance -= 2 * bq * cg[a * n + e.shared[q]] * kk[a];
        }
        for (let a = 0; a < 3; a += 1) {
          for (let b = 0; b < 3; b += 1) variance += kk[a] * (gcg[3 * a + b] + ownSum[3 * a + b]) * kk[b];
          for (let col = 0; col < 2; col += 1) variance -= 2 * kk[a] * f.jPlace[3 * col + a] * f.ownPart[2 * col + row];
        }
      }
      const px = Math.sqrt(Math.max(0, variance));
      if (byFrame[f.i] === null || px > byFrame[f.i]!) {
        byFrame[f.i] = px;
        placeOf[f.i] = place;
      }
    }
  }
  return { byFrame, placeOf };
}

const projected = new Float64Array(3);
function sees(plan: ForecastPlan, i: number, at: Vec3): boolean {
  projectAt(plan.geometry, plan.frames[i].effectiveMm, plan.frames[i], at, projected);
  return inFrame(plan.geometry, projected);
}

/** Inverse of a symmetric 3×3; what the frames do not determine (the depth of a place seen from one spot) is held. */
function inverse3(m: Float64Array): Float64Array {
  const hold = 1e-9 * (m[0] + m[4] + m[8]);
  const [a, b, c, d, e, f] = [m[0] + hold, m[1], m[2], m[4] + hold, m[5], m[8] + hold];
  const [i0, i1, i2] = [d * f - e * e, c * e - b * f, b * e - c * d];
  const det = a * i0 + b * i1 + c * i2;
  return Float64Array.from([i0, i1, i2, i1, a * f - c * c, b * c - a * e, i2, b * c - a * e, a * d - b * b].map((v) => v / det));
}
