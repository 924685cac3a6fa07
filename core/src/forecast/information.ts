import { cholesky, EnvelopeMatrix, invertSelected } from '../estimate';
import { groundScatter } from '../math';
import { bendShare, cornerMm } from '../optics';
import { projectionByPlace } from '../setup';
import { focalBefore, lensShared, type SharedLens } from './shared-lens';
import type { ForecastPlan } from './plan';

/** A definition of the datum, not a measurement, m or rad: far below anything that is measured. */
const DEFINITION = 1e-4;
/** Keeps a point that is seen along one line only regular; says nothing at the scale of a set, m. */
const FAR_AWAY_M = 1e3;
/** A camera with fewer points has no pose. */
export const LEAST_POINTS = 4;

/** One frame's unknowns given the shared ones: x = u − T s, cov(u) = inverse; u and s are independent. */
export interface FrameElimination {
  /** inverse of the frame's own information, own × own, row-major */
  inverse: Float64Array;
  /** C⁻¹ Wᵀ: own × shared.length, row-major */
  follows: Float64Array;
  /** indices of shared unknowns that this frame touches */
  shared: Int32Array;
}

export interface InformationResult {
  /** unknowns of one frame: turn about the camera's axes (3), place (3, unless directions only), focal length in mm (when per frame) */
  own: number;
  /** places of the own unknowns: -1 when there are none */
  placeAt: number;
  focalAt: number;
  /** shared unknowns: three a used point, then the lens */
  sharedSize: number;
  /** -1 where it is held, or one a frame */
  sharedFocalAt: number;
  /** the last of the shared unknowns, in every frame */
  lens: SharedLens;
  /** index of a point among the used ones, -1 when it is seen too little */
  slot: Int32Array;
  used: number[];
  /** covariance of the shared unknowns, row-major */
  covariance: Float64Array;
  /** null for a frame that sees too little */
  frames: (FrameElimination | null)[];
}

/** Derivatives of a place in the picture (u, v) by the frame's own unknowns, by the place itself and by what all frames share of the lens; rows of u then v. */
export function placeJacobian(
  plan: ForecastPlan,
  i: number,
  at: readonly [number, number, number],
  own: number,
  focalAt: number,
  lens: SharedLens,
  jOwn: Float64Array,
  jPoint: Float64Array,
  jLens: Float64Array,
): boolean {
  const f = plan.frames[i];
  const r = f.toCamera;
  const dx = at[0] - f.position[0],
    dy = at[1] - f.position[1],
    dz = at[2] - f.position[2];
  const x = r[0] * dx + r[1] * dy + r[2] * dz;
  const y = r[3] * dx + r[4] * dy + r[5] * dz;
  const z = r[6] * dx + r[7] * dy + r[8] * dz;
  if (!(z > 1e-6)) return false;
  const px = plan.geometry.pxPerMmX,
    py = plan.geometry.pxPerMmY;
  const fx = (f.effectiveMm * px) / z,
    fy = (f.effectiveMm * py) / z;
  const a = x / z,
    b = y / z;
  projectionByPlace(r, fx, fy, a, b, jPoint);
  // turning the camera by φ moves the place by φ × p
  jOwn[0] = -fx * a * y;
  jOwn[1] = fx * z + fx * a * x;
  jOwn[2] = -fx * y;
  jOwn[own] = -fy * z - fy * b * y;
  jOwn[own + 1] = fy * b * x;
  jOwn[own + 2] = fy * x;
  if (own >= 6)
    for (let c = 0; c < 3; c += 1) {
      jOwn[3 + c] = -jPoint[c];
      jOwn[own + 3 + c] = -jPoint[3 + c];
    }
  if (focalAt >= 0) {
    jOwn[focalAt] = px * a;
    jOwn[own + focalAt] = py * b;
  }
  if (lens.focal) {
    jLens[0] = px * a;
    jLens[lens.size] = py * b;
  }
  if (lens.ends.length > 0) {
    const share = bendShare(f.effectiveMm * a, f.effectiveMm * b, cornerMm(plan.geometry));
    for (let e = 0; e < lens.ends.length; e += 1) {
      const at = (lens.focal ? 1 : 0) + e;
      jLens[at] = lens.ends[e][i] * share * f.effectiveMm * px * a;
      jLens[lens.size + at] = lens.ends[e][i] * share * f.effectiveMm * py * b;
    }
  }
  return true;
}

/**
 * Information matrix of the later bundle adjustment and its inverse.
 * Model    Observations u = f(x/z), v = f(y/z) with one-axis sigma; unknowns are each frame's pose (and focal length, when zoomed), the points
 *          and the lens: one focal length, and how it bends where no plate says it, by the prior of what lenses usually have. Facts (levels, lengths, heights, surveyed points) are observations with their sigmas; what only
 *          defines the datum is held to a tenth of a millimetre. A sampled frame stands for several alike: what it says of the shared unknowns counts so often.
 *          `directionsOnly`: the camera's place is left out and every point is held along its ray.
 * Method   The frames' own unknowns are eliminated (Schur complement), the rest is inverted by Cholesky.
 * Source   Triggs, McLauchlan, Hartley, Fitzgibbon, Bundle Adjustment – A Modern Synthesis, 1999, secs. 6 and 9 (network design);
 *          Förstner & Wrobel, Photogrammetric Computer Vision (2016), sec. 4.2.7 (covariance of eliminated unknowns).
 * Null when the observations do not determine the unknowns.
 */
export function informationOf(plan: ForecastPlan, directionsOnly: boolean): InformationResult | null {
  const nf = plan.frames.length;
  const np = plan.points.length;
  const perFrame = plan.focal.perFrame && plan.focal.mode !== 'held';
  const own = (directionsOnly ? 3 : 6) + (perFrame ? 1 : 0);
  const focalAt = perFrame ? own - 1 : -1;
  const seenIn = new Int32Array(np);
  const count = new Int32Array(nf);
  for (let i = 0; i < nf; i += 1) for (let p = 0; p < np; p += 1) if (plan.sigmaPx[i * np + p] > 0) count[i] += 1;
  for (let i = 0; i < nf; i += 1) if (count[i] >= LEAST_POINTS) for (let p = 0; p < np; p += 1) if (plan.sigmaPx[i * np + p] > 0) seenIn[p] += 1;
  const slot = new Int32Array(np).fill(-1);
  const used: number[] = [];
  for (let p = 0; p < np; p += 1)
    if (seenIn[p] >= 2) {
      slot[p] = used.length;
      used.push(p);
    }
  const lens = lensShared(plan);
  const n = 3 * used.length + lens.size;
  const lensAt = n - lens.size;
  const sharedFocalAt = lens.focal ? lensAt : -1;
  if (used.length < LEAST_POINTS) return null;
  const s = new Float64Array(n * n); // lower triangle counts
  const slotOf = new Map(used.map((p) => [plan.points[p].id, slot[p]]));
  addFacts(plan, s, n, slotOf, used, directionsOnly);
  lens.priors.forEach((sigma, l) => (s[(lensAt + l) * (n + 1)] += 1 / sigma ** 2));

  const datum = datumOf(plan, directionsOnly, slotOf);
  const frames: (FrameElimination | null)[] = [];
  const jOwn = new Float64Array(2 * own),
    jPoint = new Float64Array(6),
    jLens = new Float64Array(2 * lens.size);
  const c = new Float64Array(own * own);
  for (let i = 0; i < nf; i += 1) {
    const touched: number[] = [];
    for (let p = 0; p < np; p += 1) if (slot[p] >= 0 && plan.sigmaPx[i * np + p] > 0) touched.push(p);
    if (touched.length < LEAST_POINTS) {
      frames.push(null);
      continue;
    }
    const k = 3 * touched.length + lens.size;
    const lensFrom = 3 * touched.length;
    const shared = new Int32Array(k);
    const w = new Float64Array(k * own);
    c.fill(0);
    const stands = plan.frames[i].standsFor;
    for (let q = 0; q < touched.length; q += 1) {
      const p = touched[q];
      const weight = 1 / plan.sigmaPx[i * np + p] ** 2;
      if (!placeJacobian(plan, i, plan.points[p].at, own, focalAt, lens, jOwn, jPoint, jLens)) continue;
      const first = 3 * slot[p];
      for (let a = 0; a < 3; a += 1) {
        shared[3 * q + a] = first + a;
        for (let b = 0; b <= a; b += 1) s[(first + a) * n + first + b] += stands * weight * (jPoint[a] * jPoint[b] + jPoint[3 + a] * jPoint[3 + b]);
        for (let b = 0; b < own; b += 1) w[(3 * q + a) * own + b] += weight * (jPoint[a] * jOwn[b] + jPoint[3 + a] * jOwn[own + b]);
        for (let l = 0; l < lens.size; l += 1) s[(lensAt + l) * n + first + a] += stands * weight * (jPoint[a] * jLens[l] + jPoint[3 + a] * jLens[lens.size + l]);
      }
      for (let l = 0; l < lens.size; l += 1) {
        for (let m = 0; m <= l; m += 1) s[(lensAt + l) * n + lensAt + m] += stands * weight * (jLens[l] * jLens[m] + jLens[lens.size + l] * jLens[lens.size + m]);
        for (let b = 0; b < own; b += 1) w[(lensFrom + l) * own + b] += weight * (jLens[l] * jOwn[b] + jLens[lens.size + l] * jOwn[own + b]);
      }
      for (let a = 0; a < own; a += 1) for (let b = 0; b <= a; b += 1) c[a * own + b] += weight * (jOwn[a] * jOwn[b] + jOwn[own + a] * jOwn[own + b]);
    }
    for (let l = 0; l < lens.size; l += 1) shared[lensFrom + l] = lensAt + l;
    if (perFrame) c[focalAt * own + focalAt] += 1 / focalBefore(plan.focal, plan.frames[i].effectiveMm) ** 2;
    const extra = datum.filter((d) => d.frame === i);
    if (extra.length > 0) {
      // one of the frames that this sample stands for carries the fact
      if (stands > 1 && !eliminate(c, w, own, shared, s, n, stands - 1)) {
        frames.push(null);
        continue;
      }
      for (const e of extra) for (let a = 0; a < own; a += 1) for (let b = 0; b <= a; b += 1) c[a * own + b] += (e.row[a] * e.row[b]) / e.sigma ** 2;
    }
    frames.push(eliminate(c, w, own, shared, s, n, extra.length > 0 ? 1 : stands));
  }
  const matrix = new EnvelopeMatrix(new Int32Array(n));
  for (let i = 0; i < n; i += 1) for (let j = 0; j <= i; j += 1) matrix.data[matrix.at(i, j)] = s[i * n + j];
  if (!cholesky(matrix)) return null;
  const inverse = invertSelected(matrix);
  const covariance = new Float64Array(n * n);
  for (let i = 0; i < n; i += 1)
    for (let j = 0; j <= i; j += 1) {
      const v = inverse.data[inverse.at(i, j)];
      covariance[i * n + j] = v;
      covariance[j * n + i] = v;
    }
  return { own, placeAt: directionsOnly ? -1 : 3, focalAt, sharedSize: n, sharedFocalAt, lens, slot, used, covariance, frames };
}

/** Takes the frame's unknowns out: s −= times · W C⁻¹ Wᵀ. Null when the frame's own information is singular. */
function eliminate(c: Float64Array, w: Float64Array, own: number, shared: Int32Array, s: Float64Array, n: number, times: number): FrameElimination | null {
  const l = new Float64Array(own * own);
  for (let i = 0; i < own; i += 1)
    for (let j = 0; j <= i; j += 1) {
      let v = c[i * own + j];
      for (let k = 0; k < j; k += 1) v -= l[i * own + k] * l[j * own + k];
      if (i !== j) l[i * own + j] = v / l[j * own + j];
      else if (v > 1e-13 * c[i * own + i]) l[i * own + i] = Math.sqrt(v);
      else return null;
    }
  const k = shared.length;
  const y = new Float64Array(k * own); // L⁻¹ Wᵀ, by shared unknown
  for (let q = 0; q < k; q += 1)
    for (let a = 0; a < own; a += 1) {
      let v = w[q * own + a];
      for (let b = 0; b < a; b += 1) v -= l[a * own + b] * y[q * own + b];
      y[q * own + a] = v / l[a * own + a];
    }
  for (let q = 0; q < k; q += 1) {
    const row = shared[q] * n;
    for (let r = 0; r <= q; r += 1) {
      let v = 0;
      for (let a = 0; a < own; a += 1) v += y[q * own + a] * y[r * own + a];
      s[row + shared[r]] -= times * v;
    }
  }
  const inverse = new Float64Array(own * own);
  const unit = new Float64Array(own);
  for (let col = 0; col < own; col += 1) {
    unit.fill(0);
    unit[col] = 1;
    backSolve(l, own, unit, true);
    for (let a = 0; a < own; a += 1) inverse[a * own + col] = unit[a];
  }
  const follows = new Float64Array(own * k);
  for (let q = 0; q < k; q += 1) {
    for (let a = 0; a < own; a += 1) unit[a] = y[q * own + a];
    backSolve(l, own, unit, false);
    for (let a = 0; a < own; a += 1) follows[a * k + q] = unit[a];
  }
  return { inverse, follows, shared };
}

/** x ← L⁻ᵀ x, or L⁻ᵀ L⁻¹ x when `whole`. */
function backSolve(l: Float64Array, n: number, x: Float64Array, whole: boolean): void {
  if (whole)
    for (let i = 0; i < n; i += 1) {
      let v = x[i];
      for (let k = 0; k < i; k += 1) v -= l[i * n + k] * x[k];
      x[i] = v / l[i * n + i];
    }
  for (let i = n - 1; i >= 0; i -= 1) {
    let v = x[i];
    for (let k = i + 1; k < n; k += 1) v -= l[k * n + i] * x[k];
    x[i] = v / l[i * n + i];
  }
}

/** Facts about points, and what keeps weakly seen ones regular. */
function addFacts(plan: ForecastPlan, s: Float64Array, n: number, slotOf: ReadonlyMap<string, number>, used: readonly number[], directionsOnly: boolean): void {
  const { facts } = plan;
  const onAxis = (k: number, axis: number, sigma: number) => {
    s[(3 * k + axis) * n + 3 * k + axis] += 1 / sigma ** 2;
  };
  used.forEach((_, k) => [0, 1, 2].forEach((axis) => onAxis(k, axis, FAR_AWAY_M)));
  if (directionsOnly) {
    const eye = plan.frames[plan.frames.length >> 1].position;
    used.forEach((p, k) => {
      const d = [0, 1, 2].map((a) => plan.points[p].at[a] - eye[a]);
      const length = Math.hypot(...d);
      for (let a = 0; a < 3; a += 1) for (let b = 0; b <= a; b += 1) s[(3 * k + a) * n + 3 * k + b] += (d[a] * d[b]) / length ** 2 / DEFINITION ** 2;
    });
    return;
  }
  for (const id of facts.level) if (slotOf.has(id)) onAxis(slotOf.get(id)!, 1, facts.levelSigmaM);
  for (const q of facts.surveyed) if (slotOf.has(q.id)) [0, 1, 2].forEach((axis) => onAxis(slotOf.get(q.id)!, axis, q.sigmaM));
  for (const l of facts.lengths) {
    const [a, b] = [slotOf.get(l.a), slotOf.get(l.b)];
    if (a === undefined || b === undefined || a === b) continue;
    addLength(plan, s, n, used, a, b, l.sigmaM);
  }
  const surveyed = facts.surveyed.filter((q) => slotOf.has(q.id)).length;
  if (surveyed >= 3) return;
  const known = knowledgeOf(plan, slotOf);
  if (!known.scale) {
    const [a, b] = farthest(plan, used);
    addLength(plan, s, n, used, a, b, DEFINITION);
  }
  if (facts.origin !== null && slotOf.has(facts.origin)) [0, 2].forEach((axis) => onAxis(slotOf.get(facts.origin!)!, axis, DEFINITION));
  const [from, to] = (facts.heading ?? []).map((id) => slotOf.get(id));
  if (from !== undefined && to !== undefined) {
    // across the line from the first to the second mark, level
    const d = [0, 2].map((axis) => plan.points[used[to]].at[axis] - plan.points[used[from]].at[axis]);
    const length = Math.hypot(...d) || 1;
    addRow(s, n, [3 * from, 3 * from + 2, 3 * to, 3 * to + 2], [d[1] / length, -d[0] / length, -d[1] / length, d[0] / length], DEFINITION);
  }
}

function addRow(s: Float64Array, n: number, at: readonly number[], row: readonly number[], sigma: number): void {
  for (let i = 0; i < at.length; i += 1) for (let j = 0; j < at.length; j += 1) if (at[j] <= at[i]) s[at[i] * n + at[j]] += (row[i] * row[j]) / sigma ** 2;
}

function addLength(plan: ForecastPlan, s: Float64Array, n: number, used: readonly number[], a: number, b: number, sigmaM: number): void {
  const d = [0, 1, 2].map((axis) => plan.points[used[b]].at[axis] - plan.points[used[a]].at[axis]);
  const length = Math.hypot(...d) || 1;
  const g = d.map((v) => v / length);
  addRow(s, n, [3 * a, 3 * a + 1, 3 * a + 2, 3 * b, 3 * b + 1, 3 * b + 2], [-g[0], -g[1], -g[2], g[0], g[1], g[2]], sigmaM);
}

/** Which parts of the datum the facts measure. */
export function knowledgeOf(plan: ForecastPlan, slotOf: ReadonlyMap<string, unknown>): { scale: boolean; level: boolean } {
  const { facts } = plan;
  const surveyed = facts.surveyed.filter((q) => slotOf.has(q.id)).length;
  const levels = facts.level.filter((id) => slotOf.has(id));
  const level = surveyed >= 3 || (levels.length >= 3 && spansPlane(plan, levels));
  const lengths = facts.lengths.some((l) => slotOf.has(l.a) && slotOf.has(l.b));
  return { level, scale: surveyed >= 2 || lengths || (level && facts.cameraHeights.length > 0) };
}

/** Three marks in a row level nothing across the row. */
function spansPlane(plan: ForecastPlan, ids: readonly string[]): boolean {
  const { xx, xz, zz } = groundScatter(ids.map((id) => plan.points.find((p) => p.id === id)!.at));
  const half = (xx + zz) / 2;
  const root = Math.sqrt(Math.max(0, half * half - (xx * zz - xz * xz)));
  return half + root > 0 && Math.sqrt(Math.max(0, half - root) / (half + root)) > 0.02;
}

function farthest(plan: ForecastPlan, used: readonly number[]): [number, number] {
  let best: [number, number] = [0, 1];
  let most = -1;
  // from the first point to the farthest, and from there to its farthest: near enough to the widest pair
  const from = (a: number) => {
    let b = a,
      d2 = -1;
    used.forEach((p, k) => {
      const d = Math.hypot(...[0, 1, 2].map((axis) => plan.points[p].at[axis] - plan.points[used[a]].at[axis]));
      if (d > d2) [b, d2] = [k, d];
    });
    return [b, d2] as const;
  };
  let a = 0;
  for (let round = 0; round < 2; round += 1) {
    const [b, d] = from(a);
    if (d > most) {
      most = d;
      best = [a, b];
    }
    a = b;
  }
  return best;
}

/** Rows about one frame's own unknowns: measured heights, and what the datum takes from the first camera where no mark defines it. */
function datumOf(plan: ForecastPlan, directionsOnly: boolean, slotOf: ReadonlyMap<string, number>): { frame: number; row: Float64Array; sigma: number }[] {
  const rows: { frame: number; row: Float64Array; sigma: number }[] = [];
  const add = (frame: number, entries: readonly (readonly [number, number])[], sigma: number) => {
    const row = new Float64Array(7);
    for (const [at, v] of entries) row[at] = v;
    rows.push({ frame, row, sigma });
  };
  const np = plan.points.length;
  // the first frame that has a pose
  const first = Math.max(
    0,
    plan.frames.findIndex((_, i) => plan.points.filter((__, p) => plan.sigmaPx[i * np + p] > 0).length >= LEAST_POINTS),
  );
  if (directionsOnly) {
    for (let a = 0; a < 3; a += 1) add(first, [[a, 1]], DEFINITION);
    return rows;
  }
  const { facts } = plan;
  for (const h of facts.cameraHeights) add(h.frame, [[4, 1]], h.sigmaM);
  const surveyed = facts.surveyed.filter((q) => slotOf.has(q.id)).length;
  if (surveyed >= 3) return rows;
  if (facts.origin === null || !slotOf.has(facts.origin)) {
    add(first, [[3, 1]], DEFINITION);
    add(first, [[5, 1]], DEFINITION);
  }
  const r = plan.frames[first].toCamera;
  const turns = (axis: number) => [0, 1, 2].map((a) => [a, r[3 * a + axis]] as const);
  const heading = facts.heading && slotOf.has(facts.heading[0]) && slotOf.has(facts.heading[1]);
  if (!heading) add(first, turns(1), DEFINITION);
  if (!knowledgeOf(plan, slotOf).level) {
    add(first, turns(0), DEFINITION);
    add(first, turns(2), DEFINITION);
    add(first, [[4, 1]], DEFINITION);
  }
  return rows;
}
