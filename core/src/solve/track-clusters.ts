import { clusteredVariance, type ClusteredVariance, type ClusterShare } from '../estimate';
import type { BundleProblem, Linearisation } from './bundle-problem';
import type { RightSide, SchurSystem, UnknownsColumn } from './schur';

/** Of a larger bundle a column costs more, and a track takes less of it: fewer are asked, so that columns times places stay about the same. */
const ASKED_PLACES = 240_000;
export const fewerOfMany = (places: number, least: number, most: number): number => Math.round(Math.min(most, Math.max(least, ASKED_PLACES / places)));
/** Tracks of which the share is worked out that the fit takes out of their own residuals: at least, at most. */
const ASKED: [number, number] = [6, 24];

/** A function of the unknowns by its gradient. */
export interface Gradient {
  camera: Float64Array;
  point: Float64Array;
  focal: number;
  zoom?: Float64Array;
  lens?: Float64Array;
}

/**
 * How much worse a function of the unknowns of a bundle is known than independent places would tell it: errors go along their tracks in whatever way
 * the residuals show (clusters.ts).
 * @param system factored at `lin`, in a fixed gauge
 * @param lin residuals and derivatives, both times the root of the robust weight
 * @param variance of one residual
 */
export function clusteredByTrack(problem: BundleProblem, system: SchurSystem, lin: Linearisation, gradient: Gradient, variance: number): ClusteredVariance {
  const [{ shares, moved }] = sharesByTrack(problem, system, lin, [gradient]);
  return clusteredVariance(shares, variance, lostShare(problem, system, lin, moved, shares));
}

/** The same of many functions as one: the mean of their factors. What the fit takes out of the tracks is much the same for all of them. */
export function clusteredTogether(problem: BundleProblem, system: SchurSystem, lin: Linearisation, gradients: readonly Gradient[], variance: number): ClusteredVariance {
  const shared = sharesByTrack(problem, system, lin, gradients);
  const middle = shared[gradients.length >> 1];
  const lost = lostShare(problem, system, lin, middle.moved, middle.shares);
  const all = shared.map(({ shares }) => clusteredVariance(shares, variance, lost));
  // what is held by the gauge says nothing; functions of the same tracks say little more together than one of them
  const told = all.filter((c) => c.effective > 0);
  const mean = (of: (c: ClusteredVariance) => number) => told.reduce((s, c) => s + of(c), 0) / Math.max(1, told.length);
  return told.length > 0 ? { factor: mean((c) => c.factor), effective: mean((c) => c.effective), own: mean((c) => c.own) } : { factor: 1, effective: 0, own: 0 };
}

/** Of each gradient what each track adds to the function, and how a step along its covariance moves each residual. */
export function sharesByTrack(problem: BundleProblem, system: SchurSystem, lin: Linearisation, gradients: readonly Gradient[]): { shares: ClusterShare[]; moved: Float64Array }[] {
  const columns = system.solveAll(gradients.map(({ camera, point, focal, zoom, lens }): RightSide => [camera, point, focal, zoom, lens]));
  return columns.map((column) => {
    const moved = alongColumn(problem, lin, column);
    const shares: ClusterShare[] = Array.from({ length: problem.pointCount }, () => ({ score: 0, own: 0 }));
    for (let i = 0; i < problem.point.length; i += 1) {
      const s = shares[problem.point[i]];
      const du = moved[2 * i],
        dv = moved[2 * i + 1];
      s.score += du * lin.residual[2 * i] + dv * lin.residual[2 * i + 1];
      s.own += du * du + dv * dv;
    }
    return { shares, moved };
  });
}

/** J c: how a step along a column moves each residual. */
export function alongColumn(problem: BundleProblem, lin: Linearisation, c: UnknownsColumn): Float64Array {
  const out = new Float64Array(2 * problem.camera.length);
  for (let i = 0; i < problem.camera.length; i += 1) rowTimes(problem, lin, i, c, out);
  return out;
}

function rowTimes({ camera, point, zoom, freeLens }: BundleProblem, lin: Linearisation, i: number, c: UnknownsColumn, out: Float64Array): void {
  const at = camera[i],
    on = point[i];
  const lensCount = freeLens?.length ?? 0;
  let focal = c.focal;
  for (let k = 0; k < c.zoom.length; k += 1) focal += lin.zoomOverFocal[at * zoom!.count + k] * c.zoom[k];
  for (let axis = 0; axis < 2; axis += 1) {
    let v = lin.jFocal[2 * i + axis] * focal;
    for (let k = 0; k < 6; k += 1) v += lin.jCamera[12 * i + 6 * axis + k] * c.camera[6 * at + k];
    for (let k = 0; k < 3; k += 1) v += lin.jPoint[6 * i + 3 * axis + k] * c.point[3 * on + k];
    for (let k = 0; k < c.lens.length; k += 1) v += lin.jLens[2 * lensCount * i + lensCount * axis + k] * c.lens[k];
    out[2 * i + axis] = v;
  }
}

/** dᵀ P d within tracks over dᵀ d, of tracks taken evenly from all: P = J C Jᵀ is what the fit takes out of white residuals. */
function lostShare(problem: BundleProblem, system: SchurSystem, lin: Linearisation, moved: Float64Array, shares: readonly ClusterShare[]): number {
  const rowsOf: number[][] = Array.from({ length: problem.pointCount }, () => []);
  problem.point.forEach((p, i) => rowsOf[p].push(i));
  const step = Math.max(1, Math.ceil(problem.pointCount / fewerOfMany(problem.camera.length, ...ASKED)));
  const row = new Float64Array(2 * problem.camera.length);
  const asked = rowsOf.flatMap((_, p) => (p % step === 0 && shares[p].own > 0 ? [p] : []));
  const columns = system.solveAll(asked.map((p) => gathered(problem, lin, moved, rowsOf[p])));
  let [lost, own] = [0, 0];
  asked.forEach((p, k) => {
    own += shares[p].own;
    for (const i of rowsOf[p]) {
      rowTimes(problem, lin, i, columns[k], row);
      lost += moved[2 * i] * row[2 * i] + moved[2 * i + 1] * row[2 * i + 1];
    }
  });
  return own > 0 ? lost / own : 0;
}

/** Jᵀ d of some rows. */
export function gathered(problem: BundleProblem, lin: Linearisation, moved: Float64Array, rows: ArrayLike<number>): RightSide {
  const [zoomCount, lensCount] = [problem.zoom?.count ?? 0, problem.freeLens?.length ?? 0];
  const camera = new Float64Array(6 * problem.cameraCount);
  const point = new Float64Array(3 * problem.pointCount);
  const [zoom, lens] = [new Float64Array(zoomCount), new Float64Array(lensCount)];
  let focal = 0;
  for (let q = 0; q < rows.length; q += 1) {
    const i = rows[q];
    for (let axis = 0; axis < 2; axis += 1) {
      const d = moved[2 * i + axis];
      const [at, on] = [problem.camera[i], problem.point[i]];
      for (let k = 0; k < 6; k += 1) camera[6 * at + k] += lin.jCamera[12 * i + 6 * axis + k] * d;
      for (let k = 0; k < 3; k += 1) point[3 * on + k] += lin.jPoint[6 * i + 3 * axis + k] * d;
      const byFocal = lin.jFocal[2 * i + axis] * d;
      focal += byFocal;
      for (let k = 0; k < zoomCount; k += 1) zoom[k] += lin.zoomOverFocal[at * zoomCount + k] * byFocal;
      for (let k = 0; k < lensCount; k += 1) lens[k] += lin.jLens[2 * lensCount * i + lensCount * axis + k] * d;
    }
  }
  return [camera, point, focal, zoom, lens];
}
