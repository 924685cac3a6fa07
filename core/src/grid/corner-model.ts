import type { ChartKind } from './grow-lattice';
import type { Oval } from './saddle';

/** Half of the window at most, px: beyond it little is won. */
const REACH_PX = 14;
/** The next parallel edge begins to show so many sigmas of blur before it. */
const NEXT_EDGE_SIGMAS = 2.2;
const LEAST_REACH_PX = 2.5;

/** The error function and the normal density over ±LIMIT, read off a table: a window asks for thousands of them. */
const LIMIT = 4.5;
const PER_UNIT = 256;
const tableSize = 2 * LIMIT * PER_UNIT + 2;
const STEP = new Float64Array(tableSize);
const BELL = new Float64Array(tableSize);
for (let i = 0; i < tableSize; i += 1) BELL[i] = Math.exp(-0.5 * (i / PER_UNIT - LIMIT) ** 2) / Math.sqrt(2 * Math.PI);
// the integral of the density by Simpson's rule, from −1 to 1 over the whole line
for (let i = 1, sum = -1 + 2 * 3.4e-6; i < tableSize; i += 1) {
  const middle = Math.exp(-0.5 * ((i - 0.5) / PER_UNIT - LIMIT) ** 2) / Math.sqrt(2 * Math.PI);
  sum += (2 * (BELL[i - 1] + 4 * middle + BELL[i])) / (6 * PER_UNIT);
  STEP[i] = sum;
}
STEP[0] = -1;

const place = (z: number): number => (z <= -LIMIT ? 0 : z >= LIMIT ? tableSize - 2 : (z + LIMIT) * PER_UNIT);
/** erf(z/√2): −1 on one side of a blurred edge, 1 on the other. */
export function stepAt(z: number): number {
  const at = place(z);
  const i = at | 0;
  return STEP[i] + (at - i) * (STEP[i + 1] - STEP[i]);
}
export function bellAt(z: number): number {
  const at = place(z);
  const i = at | 0;
  return BELL[i] + (at - i) * (BELL[i + 1] - BELL[i]);
}

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

/** The form w of a corner at a pixel, and how it changes: see CornerFitter. */
export interface FormAt {
  form: number;
  /** by the distance from the first and from the second edge */
  byP: number;
  byQ: number;
  /** by the first and the second blur */
  byS1: number;
  byS2: number;
}

/** Writes the form at distances p, q from the two edges, blurred by 1/i1 and 1/i2. */
export function formAt(kind: ChartKind, p: number, q: number, i1: number, i2: number, half1Px: number, half2Px: number, out: FormAt): void {
  let A: number, Ap: number, As: number, B: number, Bq: number, Bs: number;
  if (kind === 'ruled') {
    const r1 = (p + half1Px) * i1;
    const l1 = (p - half1Px) * i1;
    const r2 = (q + half2Px) * i2;
    const l2 = (q - half2Px) * i2;
    const br1 = bellAt(r1);
    const bl1 = bellAt(l1);
    const br2 = bellAt(r2);
    const bl2 = bellAt(l2);
    // what the lines leave free, since they cover in turn
    A = 1 - (stepAt(r1) - stepAt(l1)) / 2;
    B = 1 - (stepAt(r2) - stepAt(l2)) / 2;
    Ap = (bl1 - br1) * i1;
    Bq = (bl2 - br2) * i2;
    As = (r1 * br1 - l1 * bl1) * i1;
    Bs = (r2 * br2 - l2 * bl2) * i2;
  } else {
    const z1 = p * i1;
    const z2 = q * i2;
    A = stepAt(z1);
    B = stepAt(z2);
    Ap = 2 * bellAt(z1) * i1;
    Bq = 2 * bellAt(z2) * i2;
    As = -z1 * Ap;
    Bs = -z2 * Bq;
  }
  out.form = A * B;
  out.byP = Ap * B;
  out.byQ = A * Bq;
  out.byS1 = As * B;
  out.byS2 = A * Bs;
}
