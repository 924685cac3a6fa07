import type { Oval } from '../charts';

/** Half of the window at most, px: beyond it little is won. */
const REACH_PX = 14;
/** The next parallel edge begins to show so many sigmas of blur before it. */
const NEXT_EDGE_SIGMAS = 2.2;
const LEAST_REACH_PX = 2.5;

/** How the two edges, or lines, of a corner lie, and how far its window reaches from each: |n·d| ≤ reach. */
export interface CornerWindow {
  /** unit normals of the edge along the row and of that along the column */
  n1x: number;
  n1y: number;
  n2x: number;
  n2y: number;
  reach1Px: number;
  reach2Px: number;
  /** half of the lines' widths across, px; 0 on a chequer */
  half1Px: number;
  half2Px: number;
}

/**
 * @param cell the two sides of the cell at the corner, px
 * @param lineCells width of ruled lines, in cells
 * @returns null where the next edges are too near
 */
export function cornerWindow({ across: u, down: v }: Oval, lineCells: number, blur1Px: number, blur2Px: number): CornerWindow | null {
  const area = Math.abs(u[0] * v[1] - u[1] * v[0]);
  const [lu, lv] = [Math.hypot(u[0], u[1]), Math.hypot(v[0], v[1])];
  const [half1Px, half2Px] = [(lineCells * area) / lu / 2, (lineCells * area) / lv / 2];
  const reach1Px = Math.min(REACH_PX, area / lu - half1Px - NEXT_EDGE_SIGMAS * blur1Px);
  const reach2Px = Math.min(REACH_PX, area / lv - half2Px - NEXT_EDGE_SIGMAS * blur2Px);
  if (!(reach1Px >= LEAST_REACH_PX + half1Px && reach2Px >= LEAST_REACH_PX + half2Px)) return null;
  return { n1x: -u[1] / lu, n1y: u[0] / lu, n2x: -v[1] / lv, n2y: v[0] / lv, reach1Px, reach2Px, half1Px, half2Px };
}

/** Farther than this from both edges pixels tell nothing of where they are, only how the light falls off: every other one of them says that. */
const NEAR_SIGMAS = 3.2;

/** Is a pixel of the window left out? @param near1, near2 from `nearEdge` */
export const leftOut = (px: number, py: number, p: number, q: number, near1: number, near2: number): boolean => ((px + py) & 1) !== 0 && (p > near1 || p < -near1) && (q > near2 || q < -near2);
/** How far from an edge its pixels tell where it is, px. */
export const nearEdge = (half: number, blurPx: number): number => half + NEAR_SIGMAS * blurPx;

/** Half the sides of the upright box about a window, px. */
export function boxOf({ n1x, n1y, n2x, n2y, reach1Px, reach2Px }: CornerWindow): [number, number] {
  const det = Math.abs(n1x * n2y - n1y * n2x);
  return [(Math.abs(n2y) * reach1Px + Math.abs(n1y) * reach2Px) / det, (Math.abs(n2x) * reach1Px + Math.abs(n1x) * reach2Px) / det];
}
