import { leastSquares, type LeastSquaresResult } from '../estimate';
import { mulMatTVec, mulMatVec, type Mat3, type Vec3 } from '../math';
import { toCameraOf } from '../setup';
import { NetRows, pointsOfFact, type NetFact } from '../facts';
import { bentBy, type UnknownBend } from './unmeasured-bend';

/** A mark as a ray: where it was set, freed of the lens, in mm on the sensor from its middle; how well it is set there, one axis. */
export interface MarkRay {
  id: string;
  xMm: number;
  yMm: number;
  sigmaMm: readonly [number, number];
}

/** What one adjustment is of: rays, facts between their marks, and what of the camera is unknown. */
export interface LengthsProblem {
  rays: readonly MarkRay[];
  facts: readonly NetFact[];
  /** tilt and roll are unknown, and the axes of the marks are level; otherwise they are those of the camera */
  levelled: boolean;
  /** a height over the floor is among the facts: that of the camera is unknown too */
  floored: boolean;
  focal: { mode: 'held' | 'guided' | 'free'; mm: number; sigmaMm: number };
  /** the lens bends nobody knows how; null: its rays are freed of what it bends */
  bend: UnknownBend | null;
}

/**
 * x: of each mark its place seen from the camera, m (right, up, towards behind; level where `levelled`), then tilt and roll, then the height
 * of the camera, then the logarithm of the focal length, then how the lens bends.
 */
export interface Layout {
  tilt: number;
  height: number;
  focal: number;
  bend: number;
  count: number;
}
export function layoutOf({ rays, levelled, floored, focal, bend }: LengthsProblem): Layout {
  const marks = 3 * rays.length;
  const tilt = levelled ? marks : -1;
  const height = floored ? marks + (levelled ? 2 : 0) : -1;
  const pose = marks + (levelled ? 2 : 0) + (floored ? 1 : 0);
  const lens = pose + (focal.mode === 'held' ? 0 : 1);
  return { tilt, height, focal: focal.mode === 'held' ? -1 : pose, bend: bend ? lens : -1, count: lens + (bend ? 1 : 0) };
}

export const cameraOf = (x: ArrayLike<number>, { tilt }: Layout): Mat3 => (tilt < 0 ? toCameraOf(0, 0, 0) : toCameraOf(0, x[tilt], x[tilt + 1]));
/** Where a place that a straight lens puts at x, y on the sensor is seen, mm. */
export function bentMm(x: ArrayLike<number>, { bend }: Layout, p: LengthsProblem, xMm: number, yMm: number): [number, number] {
  const by = p.bend ? bentBy(x[bend], xMm, yMm, p.bend) : 1;
  return [by * xMm, by * yMm];
}
export const focalOf = (x: ArrayLike<number>, { focal }: Layout, p: LengthsProblem): number => (focal < 0 ? p.focal.mm : Math.exp(x[focal]));

/** The facts as rows; a height is one over the floor, and marks are counted from the camera: their row carries the camera's height. */
export function rowsOf(p: LengthsProblem): NetRows {
  const rows = new NetRows();
  const index = new Map(p.rays.map((r, i) => [r.id, i]));
  p.facts.forEach((f, i) => rows.addFact(f, i, index));
  return rows;
}

/** How many numbers a fact gives. */
export const rowsOfFact = (f: NetFact): number => (f.kind === 'plumb' ? 2 : 1);
export const isHeight = (f: NetFact | undefined): boolean => f?.kind === 'height';

/** Behind the camera a mark is as far off as can be. */
const BEHIND = 1e5;
const NEAREST_M = 1e-4;

export interface LengthsFit {
  x: Float64Array;
  /** ½ Σ (residual over sigma)² */
  cost: number;
  fit: LeastSquaresResult;
}

/** Beyond so many sigmas a row pulls less and less where an adjustment must not be bent by one wrong length (Cauchy's function). */
const GENTLE_SIGMAS = 5;
/** plain: to its end, with the covariance. roughly: a few steps. gently: a few more, of which one wrong length does not bend the rest. */
type Manner = 'plain' | 'roughly' | 'gently';
const MOST_STEPS: Record<Manner, number> = { plain: 120, roughly: 10, gently: 16 };

/** Levenberg–Marquardt from one start. */
export function adjustLengths(p: LengthsProblem, start: Float64Array, manner: Manner): LengthsFit {
  const layout = layoutOf(p);
  const rows = rowsOf(p);
  const jacobian = new Float64Array(layout.count);
  const gradient = new Float64Array(9);
  const STEP = 1e-6;
  const fit = leastSquares(start, {
    maxIterations: MOST_STEPS[manner],
    covariance: manner === 'plain',
    rows(x, put, derivatives) {
      const row = (residual: number, slopes: Float64Array): void => {
        if (manner !== 'gently') return put(residual, slopes);
        const t = (residual / GENTLE_SIGMAS) ** 2;
        const bent = GENTLE_SIGMAS * Math.sqrt(Math.log1p(t)) * Math.sign(residual);
        if (derivatives) {
          const by = Math.abs(residual) < 1e-9 ? 1 : residual / bent / (1 + t);
          for (let k = 0; k < slopes.length; k += 1) slopes[k] *= by;
        }
        return put(bent, slopes);
      };
      const toCamera = cameraOf(x, layout);
      const turned = derivatives && layout.tilt >= 0 ? [0, 1].map((k) => toCameraOf(0, x[layout.tilt] + (k === 0 ? STEP : 0), x[layout.tilt + 1] + (k === 1 ? STEP : 0))) : [];
      const f = focalOf(x, layout, p);
      p.rays.forEach((ray, i) => {
        const q: Vec3 = [x[3 * i], x[3 * i + 1], x[3 * i + 2]];
        const c = mulMatVec(toCamera, q);
        if (c[2] < NEAREST_M) {
          jacobian.fill(0);
          row(BEHIND, jacobian);
          return;
        }
        const straight = [(f * c[0]) / c[2], (f * c[1]) / c[2]] as const;
        const value = bentMm(x, layout, p, ...straight);
        // by how much what a straight lens sees moves what this one does, along and across
        const slopes = bentSlopes(x, layout, p, ...straight);
        for (const axis of [0, 1] as const) {
          const sigma = ray.sigmaMm[axis];
          const moves = (byX: number, byY: number): number => (slopes[axis][0] * byX + slopes[axis][1] * byY) / sigma;
          if (derivatives) {
            jacobian.fill(0);
            for (let k = 0; k < 3; k += 1) {
              const [byX, byY] = [0, 1].map((a) => (f * (toCamera[3 * a + k] - (c[a] / c[2]) * toCamera[6 + k])) / c[2]);
              jacobian[3 * i + k] = moves(byX, byY);
            }
            turned.forEach((m, k) => {
              const d = mulMatVec(m, q);
              jacobian[layout.tilt + k] = moves(((f * d[0]) / d[2] - straight[0]) / STEP, ((f * d[1]) / d[2] - straight[1]) / STEP);
            });
            if (layout.focal >= 0) jacobian[layout.focal] = moves(straight[0], straight[1]);
            if (p.bend) jacobian[layout.bend] = (straight[axis] * (bentBy(1, ...straight, p.bend) - 1)) / sigma;
          }
          row((value[axis] - (axis === 0 ? ray.xMm : ray.yMm)) / sigma, jacobian);
        }
      });
      for (let r = 0; r < rows.count; r += 1) {
        const height = isHeight(p.facts[rows.fact[r]]);
        const found = rows.evaluate(r, x, gradient) + (height ? x[layout.height] : 0);
        if (derivatives) {
          jacobian.fill(0);
          for (let k = 0; k < 9; k += 1) {
            const point = rows.point[3 * r + Math.floor(k / 3)];
            if (point >= 0) jacobian[3 * point + (k % 3)] += gradient[k] / rows.sigma[r];
          }
          if (height) jacobian[layout.height] = 1 / rows.sigma[r];
        }
        row((found - rows.measured[r]) / rows.sigma[r], jacobian);
      }
      if (p.focal.mode === 'guided') {
        if (derivatives) {
          jacobian.fill(0);
          jacobian[layout.focal] = f / p.focal.sigmaMm;
        }
        row((f - p.focal.mm) / p.focal.sigmaMm, jacobian);
      }
      if (p.bend) {
        if (derivatives) {
          jacobian.fill(0);
          jacobian[layout.bend] = 1 / p.bend.sigma;
        }
        row(x[layout.bend] / p.bend.sigma, jacobian);
      }
    },
  });
  return { x: fit.x, cost: fit.finalCost, fit };
}

/** Derivatives of `bentMm` by x and y, rows of x then y. */
function bentSlopes(x: ArrayLike<number>, { bend }: Layout, p: LengthsProblem, xMm: number, yMm: number): [[number, number], [number, number]] {
  if (!p.bend) return [[1, 0], [0, 1]]; // prettier-ignore
  const by = bentBy(x[bend], xMm, yMm, p.bend);
  const twice = (2 * x[bend]) / p.bend.toCornerMm ** 2;
  return [[by + twice * xMm * xMm, twice * xMm * yMm], [twice * xMm * yMm, by + twice * yMm * yMm]]; // prettier-ignore
}

/** A mark of the picture so far away along its ray, seen from the camera. */
export function alongRay(ray: MarkRay, focalMm: number, depthM: number, toCamera: Mat3): Vec3 {
  return mulMatTVec(toCamera, [(depthM * ray.xMm) / focalMm, (depthM * ray.yMm) / focalMm, depthM]);
}

/**
 * Marks whose facts give more numbers than the one that says how far away they are: a mark with one fact alone is told by it and tells nothing.
 * Goes on until all that remain hold each other.
 */
export function thatTell(rays: readonly MarkRay[], facts: readonly NetFact[]): { rays: MarkRay[]; facts: NetFact[] } {
  let ids = new Set(rays.map((r) => r.id));
  for (;;) {
    const held = facts.filter((f) => pointsOfFact(f).every((id) => ids.has(id)));
    const numbers = new Map<string, number>();
    for (const f of held) for (const id of pointsOfFact(f)) numbers.set(id, (numbers.get(id) ?? 0) + rowsOfFact(f));
    const stay = new Set([...ids].filter((id) => (numbers.get(id) ?? 0) > 1));
    if (stay.size === ids.size) return { rays: rays.filter((r) => ids.has(r.id)), facts: held };
    ids = stay;
  }
}

/** What the facts are asked for, the most first: the floor, the level, only what lies before the camera. */
export function attemptsAt(facts: readonly NetFact[]): { levelled: boolean; floored: boolean; of: readonly NetFact[] }[] {
  const level = facts.filter((f) => !isHeight(f));
  const ties = facts.filter((f) => f.kind === 'tie');
  return [
    ...(level.length < facts.length ? [{ levelled: true, floored: true, of: facts }] : []),
    ...(ties.length < level.length ? [{ levelled: true, floored: false, of: level }] : []),
    { levelled: false, floored: false, of: ties },
  ];
}

const numbersOf = (p: LengthsProblem): number => 2 * p.rays.length + p.facts.reduce((sum, f) => sum + rowsOfFact(f), 0) + (p.focal.mode === 'guided' ? 1 : 0) + (p.bend ? 1 : 0);
/** How many numbers fewer than unknowns; below 0: so many check the rest. */
export const lacksOf = (p: LengthsProblem): number => (p.rays.length === 0 ? 3 : layoutOf(p).count - numbersOf(p));

/** A fact, as a sentence goes on with it. */
export const netFactWords = (f: NetFact): string => {
  const [a, b] = pointsOfFact(f);
  if (f.kind === 'tie') return `the length ${a} – ${b}`;
  if (f.kind === 'height') return `the height of ${a}`;
  if (f.kind === 'level') return `that ${a} and ${b} are level`;
  if (f.kind === 'plumb') return `that ${b} is straight above ${a}`;
  return `the distance of ${a} from its wall`;
};
