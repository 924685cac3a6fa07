import { invertSelected, type ClusteredVariance, type EnvelopeMatrix } from '../estimate';
import { robustCost } from './adjust';
import { evaluateBundle, Linearisation, type BundleProblem, type BundleState } from './bundle-problem';
import { SchurSystem, type UnknownsColumn } from './schur';
import { clusteredByTrack, clusteredTogether, fewerOfMany, type Gradient } from './track-clusters';

/** Of all cameras, by time; those that are asked first come first, and the middle one is held by the gauge. */
const ASKED_CAMERAS = [0, 1, 0.35, 0.65, 0.15, 0.85];

/** One column of the covariance, in cameras (φ, t: 6 each), points (3 each), focal length. */
export interface CovarianceColumn {
  camera: Float64Array;
  point: Float64Array;
  focal: number;
}

/**
 * Covariance of a bundle at its optimum, per unit variance of a residual (px²): multiply by the noise variance.
 * Gauge   One camera's pose and one coordinate of another are held by strong weights. Such numbers mean nothing by themselves; `anchor`
 *         carries them to the stated datum, where the gauge no longer matters (S-transformation, Baarda 1973).
 */
export class BundleCovariance {
  private readonly problem: BundleProblem;
  private readonly system: SchurSystem;
  private readonly lin: Linearisation;
  private readonly inverse: EnvelopeMatrix;
  private readonly eliminatedBlocks: Float64Array;

  private nuisances: readonly UnknownsColumn[] = [];

  private constructor(readonly factored: FactoredBundle) {
    const { problem, system, lin } = factored;
    [this.problem, this.system, this.lin] = [problem, system, lin];
    this.inverse = invertSelected(system.reduced);
    this.eliminatedBlocks = system.eliminatedBlocks(this.inverse);
  }

  /**
   * @param huberPx with which the bundle was adjusted: what lies beyond it counts less
   * @param before what was factored last, which is taken where nothing has changed since
   * @returns null when the observations do not determine the bundle even in a fixed gauge
   */
  static compute(problem: BundleProblem, state: BundleState, huberPx = Infinity, before: FactoredBundle | null = null): BundleCovariance | null {
    const factored = before && isSameBundle(before, { problem, state, huberPx }) ? before : inFixedGauge(problem, state, huberPx);
    return factored && new BundleCovariance(factored);
  }

  /** From here on all variances contain that the unknowns may be off in these ways too, each one standard deviation long over that of a residual. */
  withNuisances(ways: readonly UnknownsColumn[]): void {
    this.nuisances = ways;
  }

  /** 6×6 of (φ, t), row-major. */
  cameraBlock(camera: number): Float64Array {
    return this.moved(this.system.eliminatesPoints ? this.keptBlock(camera, 6) : this.eliminated(camera, 6), 'camera', camera, 6);
  }
  /** 3×3, row-major. */
  pointBlock(point: number): Float64Array {
    return this.moved(this.system.eliminatesPoints ? this.eliminated(point, 3) : this.keptBlock(point, 3), 'point', point, 3);
  }
  /** Part of the focal length's variance that comes from the nuisances. */
  focalVarianceByNuisances(byFocal = 1, byZoom: readonly number[] = []): number {
    return this.nuisances.reduce((sum, way) => sum + byZoom.reduce((off, by, k) => off + by * way.zoom[k], byFocal * way.focal) ** 2, 0);
  }
  focalVariance(): number {
    return this.focalVarianceByNuisances() + (this.system.hasFocal ? this.inverse.get(this.system.size - 1, this.system.size - 1) : 0);
  }
  /** Of what of the lens is free, by its place among the unknowns. */
  lensVariance(k: number): number {
    const { hasFocal, size, zoomCount, lensCount } = this.system;
    const row = size - (hasFocal ? 1 : 0) - zoomCount - lensCount + k;
    return this.nuisances.reduce((sum, way) => sum + way.lens[k] ** 2, this.inverse.get(row, row));
  }
  /** Of a camera's focal length: its derivatives by the common one and by the factors of the zoom, times their covariance. */
  focalVarianceAt(byFocal: number, byZoom: readonly number[]): number {
    const { hasFocal, size, zoomCount } = this.system;
    if (!hasFocal) return 0;
    const g = [...byZoom.slice(0, zoomCount), byFocal];
    const first = size - g.length;
    let sum = 0;
    for (let i = 0; i < g.length; i += 1) for (let j = 0; j < g.length; j += 1) sum += g[i] * g[j] * this.inverse.get(first + Math.max(i, j), first + Math.min(i, j));
    return sum + this.focalVarianceByNuisances(byFocal, byZoom);
  }
  /** Covariance times a sparse vector of unknowns. */
  column(camera: Float64Array, point: Float64Array, focal: number): CovarianceColumn {
    const column: CovarianceColumn = this.system.solve(camera, point, focal);
    for (const way of this.nuisances) {
      const along = dot(way.camera, camera) + dot(way.point, point) + way.focal * focal;
      const add = (to: Float64Array, by: Float64Array) => to.map((x, k) => x + along * by[k]);
      [column.camera, column.point, column.focal] = [add(column.camera, way.camera), add(column.point, way.point), column.focal + along * way.focal];
    }
    return column;
  }

  /** How much worse a function of the unknowns is known than from independent places, by what the residuals do along their tracks. */
  clustered(gradient: Partial<Gradient>, variance: number): ClusteredVariance {
    return clusteredByTrack(this.problem, this.system, this.lin, gradientOf(this.problem, gradient), variance);
  }

  /** The same of the cameras as a whole: of where some of them are (or look, where they only turn), against the one that the gauge holds. */
  clusteredCameras(variance: number): ClusteredVariance {
    const { problem } = this;
    const first = problem.turnOnly ? 0 : 3;
    const asked = ASKED_CAMERAS.slice(0, fewerOfMany(problem.camera.length, 2, ASKED_CAMERAS.length)).map((share) => Math.round(share * (problem.cameraCount - 1)));
    const gradients = asked.flatMap((c) =>
      [0, 1, 2].map((axis) => {
        const g = gradientOf(problem, {});
        g.camera[6 * c + first + axis] = 1;
        return g;
      }),
    );
    return clusteredTogether(problem, this.system, this.lin, gradients, variance);
  }

  private moved(block: Float64Array, of: 'camera' | 'point', b: number, n: number): Float64Array {
    return block.map((x, k) => this.nuisances.reduce((sum, way) => sum + way[of][n * b + Math.floor(k / n)] * way[of][n * b + (k % n)], x));
  }
  private keptBlock(b: number, n: number): Float64Array {
    const out = new Float64Array(n * n);
    for (let i = 0; i < n; i += 1) for (let j = 0; j < n; j += 1) out[i * n + j] = this.inverse.get(b * n + i, b * n + j);
    return out;
  }
  private eliminated(e: number, n: number): Float64Array {
    return this.eliminatedBlocks.slice(e * n * n, (e + 1) * n * n);
  }
}

const dot = (x: Float64Array, y: Float64Array): number => x.reduce((s, value, k) => s + value * y[k], 0);

/** A bundle as it stood, and its normal equations, factored with its gauge held. */
export interface FactoredBundle {
  problem: BundleProblem;
  state: BundleState;
  huberPx: number;
  system: SchurSystem;
  /** residuals and derivatives, times the roots of their robust weights */
  lin: Linearisation;
}

/** Null where the normal equations are not definite even with the gauge held. */
export function inFixedGauge(problem: BundleProblem, state: BundleState, huberPx: number): FactoredBundle | null {
  const system = new SchurSystem(problem);
  const lin = new Linearisation(problem.camera.length);
  evaluateBundle(problem, state, lin, true);
  weighRows(problem, state, lin, huberPx);
  const held = (indices: readonly number[]) => indices.map((index): [number, number] => [index, 1e9]);
  const fixed = problem.turnOnly ? turnGauge(problem, state) : { camera: gauge(problem, state), point: [] };
  const prior = !problem.focal.held && problem.focal.priorSigmaMm ? 1 / problem.focal.priorSigmaMm ** 2 : 0;
  return system.factor(lin, 0, prior, { camera: held(fixed.camera), point: held(fixed.point) }) ? { problem, state, huberPx, system, lin } : null;
}

/** Whether two bundles of one reconstruction are equal in all that their normal equations are made of. */
function isSameBundle(a: Omit<FactoredBundle, 'system' | 'lin'>, b: typeof a): boolean {
  const equal = (x: ArrayLike<number> | null | undefined, y: typeof x): boolean =>
    x === y || (!!x && !!y && x.length === y.length && Array.prototype.every.call(x, (v: number, i: number) => v === y[i]));
  const lists = ({ problem: p, state: s }: typeof a) => [p.camera, p.point, p.xPx, p.yPx, p.weight, p.profile, p.zoom?.basis, s.rotations, s.translations, s.points, s.zoom, s.lens];
  const others = ({ problem: p, state: s, huberPx }: typeof a) => [huberPx, p.lens, p.turnOnly, p.pair, JSON.stringify(p.freeLens), p.focal.held, p.focal.priorSigmaMm, s.focalMm];
  const [othersOfB, listsOfB] = [others(b), lists(b)];
  return others(a).every((v, i) => v === othersOfB[i]) && lists(a).every((list, i) => equal(list, listsOfB[i]));
}

/** A gradient that is nought but for what is given. */
export const gradientOf = ({ cameraCount, pointCount }: BundleProblem, given: Partial<Gradient>): Gradient => ({
  camera: new Float64Array(6 * cameraCount),
  point: new Float64Array(3 * pointCount),
  focal: 0,
  ...given,
});

/** Residuals and derivatives times the roots of their robust weights. */
export function weighRows(problem: BundleProblem, state: BundleState, lin: Linearisation, huberPx: number): void {
  const scale = new Float64Array(problem.camera.length);
  robustCost(problem, state, lin.residual, huberPx, scale);
  const lensCount = problem.freeLens?.length ?? 0;
  const times = (list: Float64Array, width: number, i: number) => {
    for (let k = width * i; k < width * (i + 1); k += 1) list[k] *= scale[i];
  };
  scale.forEach((s, i) => {
    if (s === 1) return;
    times(lin.residual, 2, i);
    times(lin.jCamera, 12, i);
    times(lin.jPoint, 6, i);
    times(lin.jFocal, 2, i);
    times(lin.jLens, 2 * lensCount, i);
  });
}

/** Of a camera that only turns: the turn of the middle camera, all places, and of each direction the coordinate that its length is in. */
function turnGauge(problem: BundleProblem, s: BundleState): { camera: number[]; point: number[] } {
  const middle = problem.cameraCount >> 1;
  const places = Array.from({ length: problem.cameraCount }, (_, c) => [3, 4, 5].map((k) => 6 * c + k)).flat();
  const lengths = Array.from({ length: problem.pointCount }, (_, p) => {
    const size = [0, 1, 2].map((k) => Math.abs(s.points[3 * p + k]));
    return 3 * p + size.indexOf(Math.max(...size));
  });
  return { camera: [0, 1, 2].map((k) => 6 * middle + k).concat(places), point: lengths };
}

/** Indices of camera unknowns to hold: the middle camera's six, and the coordinate along which the farthest camera lies from it. */
function gauge(problem: BundleProblem, s: BundleState): number[] {
  const middle = problem.cameraCount >> 1;
  const at = (c: number): [number, number, number] => {
    const r = s.rotations.subarray(9 * c, 9 * c + 9);
    const t = s.translations.subarray(3 * c, 3 * c + 3);
    return [0, 1, 2].map((k) => -(r[k] * t[0] + r[3 + k] * t[1] + r[6 + k] * t[2])) as [number, number, number];
  };
  const origin = at(middle);
  let far = middle === 0 ? 1 : 0;
  let farDistance = -1;
  for (let c = 0; c < problem.cameraCount; c += 1) {
    const p = at(c);
    const d = Math.hypot(p[0] - origin[0], p[1] - origin[1], p[2] - origin[2]);
    if (d > farDistance) {
      farDistance = d;
      far = c;
    }
  }
  const p = at(far);
  const r = s.rotations.subarray(9 * far, 9 * far + 9);
  const local = [0, 1, 2].map((k) => Math.abs(r[3 * k] * (p[0] - origin[0]) + r[3 * k + 1] * (p[1] - origin[1]) + r[3 * k + 2] * (p[2] - origin[2])));
  const axis = local.indexOf(Math.max(...local));
  return [0, 1, 2, 3, 4, 5].map((k) => 6 * middle + k).concat(6 * far + 3 + axis);
}
