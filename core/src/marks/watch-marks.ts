import { EVD, Matrix } from 'ml-matrix';
import type { SetupStudy } from '../setup';

/** Cells of the frame over which points should be spread. */
export const SPREAD_COLUMNS = 4;
export const SPREAD_ROWS = 3;

/** What a tracker has at one moment of the move. */
export interface MomentWatch {
  timeS: number;
  marks: number;
  features: number;
  /** share of the frame's cells with at least one point, 0…1 */
  spread: number;
  /** the seen points as a cloud: second and third extent over the first, 0…1; null below four points */
  secondShare: number | null;
  thirdShare: number | null;
  /** smallest and largest seen mark, px; null without marks */
  smallestPx: number | null;
  largestPx: number | null;
}

export function watchMoments(study: SetupStudy): MomentWatch[] {
  return study.moments.map((moment, m) => {
    const cells = new Set<number>();
    const sizes: number[] = [];
    let marks = 0,
      features = 0;
    const n = study.points.length;
    for (let p = 0; p < n; p += 1) {
      if (!study.seen[m * n + p]) continue;
      if (study.points[p].mark) marks += 1;
      else features += 1;
      cells.add(cellOf(study, m, p));
      const size = markSizePx(study, m, p);
      if (size !== null) sizes.push(size);
    }
    const shape = cloudShape(study, m);
    return {
      timeS: moment.timeS,
      marks,
      features,
      spread: cells.size / (SPREAD_COLUMNS * SPREAD_ROWS),
      secondShare: shape?.[0] ?? null,
      thirdShare: shape?.[1] ?? null,
      smallestPx: sizes.length > 0 ? Math.min(...sizes) : null,
      largestPx: sizes.length > 0 ? Math.max(...sizes) : null,
    };
  });
}

function cellOf(study: SetupStudy, m: number, p: number): number {
  const i = m * study.points.length + p;
  const column = Math.min(SPREAD_COLUMNS - 1, Math.floor((SPREAD_COLUMNS * study.xPx[i]) / study.geometry.widthPx));
  const row = Math.min(SPREAD_ROWS - 1, Math.floor((SPREAD_ROWS * study.yPx[i]) / study.geometry.heightPx));
  return row * SPREAD_COLUMNS + column;
}

/** Diameter of a mark in the picture, px, across the shorter of the two scales; null for a natural feature. */
export function markSizePx(study: SetupStudy, m: number, p: number): number | null {
  const diameter = study.points[p].diameterM;
  if (diameter === null) return null;
  const mm = study.moments[m].focalMm * (study.setup.optics.adapterFactor ?? 1);
  return (diameter * mm * Math.min(study.geometry.pxPerMmX, study.geometry.pxPerMmY)) / study.depthM[m * study.points.length + p];
}

/**
 * How flat the seen points lie: square roots of the second and third eigenvalue of their scatter over the first's. Points on a line give
 * (0, 0), on a plane (…, 0).
 */
function cloudShape(study: SetupStudy, m: number): [number, number] | null {
  const n = study.points.length;
  const seen: number[] = [];
  for (let p = 0; p < n; p += 1) if (study.seen[m * n + p]) seen.push(p);
  if (seen.length < 4) return null;
  const mean = [0, 0, 0];
  for (const p of seen) for (let a = 0; a < 3; a += 1) mean[a] += study.points[p].at[a] / seen.length;
  const scatter = new Matrix(3, 3);
  for (const p of seen) for (let a = 0; a < 3; a += 1) for (let b = 0; b < 3; b += 1) scatter.set(a, b, scatter.get(a, b) + (study.points[p].at[a] - mean[a]) * (study.points[p].at[b] - mean[b]));
  const values = new EVD(scatter, { assumeSymmetric: true }).realEigenvalues.map((v) => Math.sqrt(Math.max(0, v))).sort((a, b) => b - a);
  return values[0] > 0 ? [values[1] / values[0], values[2] / values[0]] : [0, 0];
}

/** Frames of the longest unbroken run in which a point is seen, of the whole move. */
export function lifeFrames(study: SetupStudy, p: number): number {
  const n = study.points.length;
  let longest = 0,
    run = 0;
  for (let m = 0; m < study.moments.length; m += 1) {
    run = study.seen[m * n + p] ? run + 1 : 0;
    longest = Math.max(longest, run);
  }
  return Math.round((longest * study.frameCount) / study.moments.length);
}

/** So many seen points at every moment are ample: more can go. */
const AMPLE = 16;

/** Marks that could be left away, one after the other, without a moment falling below ample or a cell of the frame becoming empty. */
export function spareMarks(study: SetupStudy): string[] {
  const n = study.points.length;
  const cells = SPREAD_COLUMNS * SPREAD_ROWS;
  const total = new Int32Array(study.moments.length);
  const inCell = new Int32Array(study.moments.length * cells);
  for (let m = 0; m < study.moments.length; m += 1)
    for (let p = 0; p < n; p += 1) {
      if (!study.seen[m * n + p]) continue;
      total[m] += 1;
      inCell[m * cells + cellOf(study, m, p)] += 1;
    }
  const spare: string[] = [];
  for (let p = n - 1; p >= 0; p -= 1) {
    if (!study.points[p].mark) continue;
    let needed = false;
    for (let m = 0; m < study.moments.length && !needed; m += 1) if (study.seen[m * n + p]) needed = total[m] <= AMPLE || inCell[m * cells + cellOf(study, m, p)] <= 1;
    if (needed) continue;
    spare.push(study.points[p].id);
    for (let m = 0; m < study.moments.length; m += 1) {
      if (!study.seen[m * n + p]) continue;
      total[m] -= 1;
      inCell[m * cells + cellOf(study, m, p)] -= 1;
    }
  }
  return spare.reverse();
}

/** A mark of so many pixels is measured well and still small to paint out. */
export const MARK_PX = { least: 10, most: 20 } as const;

export interface MarkAdvice {
  leastM: number;
  mostM: number;
  /** a size to make: the round one nearest to the middle of the range */
  diameterM: number;
}

/** Sizes that are easily cut and printed. */
const ROUND_M = [0.003, 0.005, 0.008, 0.01, 0.015, 0.02, 0.025, 0.03, 0.04, 0.05, 0.06, 0.08, 0.1, 0.12, 0.15, 0.2, 0.25, 0.3, 0.4, 0.5, 0.6, 0.8, 1];

/** Diameter that gives 10 to 20 px at a distance: px · depth / focal length in px. */
export function markDiameterFor(focalPx: number, distanceM: number): MarkAdvice {
  const leastM = (MARK_PX.least * distanceM) / focalPx;
  const mostM = (MARK_PX.most * distanceM) / focalPx;
  const middle = Math.sqrt(leastM * mostM);
  const diameterM = ROUND_M.reduce((best, v) => (Math.abs(Math.log(v / middle)) < Math.abs(Math.log(best / middle)) ? v : best));
  return { leastM, mostM, diameterM };
}
