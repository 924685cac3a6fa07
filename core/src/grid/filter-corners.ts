import type { GrayImage } from '../picture';
import type { CornerForm, FormAt, Oval } from '../charts';
import { boxOf, cornerWindow, leftOut, nearEdge } from './corner-model';

/** A corner to be measured: where it is to a quarter of a pixel, the cell's sides there, the blur across each edge, and the sign of the pattern. */
export interface FilteredCorner {
  x: number;
  y: number;
  cell: Oval;
  blur1Px: number;
  blur2Px: number;
  /** which way round light and dark are; 1 or −1 */
  sense: number;
  /** scatter of the pixels about the model, grey levels; NaN until it was measured */
  noise: number;
}

/** What all corners of a plate share. */
export interface FilterLook {
  form: CornerForm;
  lineCells: number;
  /** half the difference of light and dark over their mean: how much more shading takes from the light */
  contrast: number;
}

/** Places of a corner inside a pixel for which a filter is made. Half a step is 0.125 px: the model is linear to a thousandth of a pixel within that. */
const PHASES = 4;
/** Filters are made for directions within so much of each other: edges that are a degree off lose half a per cent of their strength at the rim. */
const DIRECTION_RAD = 0.035;
/** And for blurs within so large a part of each other. */
const BLUR_STEP = 1.08;
/** A corner that was farther off than its filter is good for is measured again with another. */
const AGAIN_PX = 0.2;
const PASSES = 3;
/** Level, amplitude, both coordinates, both shadings. */
const COLUMNS = 6;
const LEAST_PIXELS = 24;

/** One least-squares problem solved beforehand: what to add up of the pixels about a corner to have its place. */
interface Filter {
  offsets: Int32Array;
  /** the model's derivative by each unknown but the level, whose is 1, pixel by pixel */
  rows: Float64Array;
  /** Cholesky's factor of their normal equations, row by row */
  factor: Float64Array;
}

/**
 * Measures many corners as `CornerFitter` does, at a fraction of its cost: about a corner whose edges' directions and blur are known the model is
 * linear in everything else, so that the least-squares solution is a weighted sum of pixels. Corners that are alike (directions within 2 degrees,
 * blur within 8 %, a quarter of a pixel) share the weights.
 * @param corners moved to where they are found; those whose window leaves the picture or which run away are left, with a noise of NaN
 */
export function filterCorners(image: GrayImage, corners: readonly FilteredCorner[], look: FilterLook): void {
  const starts = corners.map(({ x, y }) => ({ x, y }));
  let open: number[] = corners.map((_, i) => i);
  for (let pass = 0; pass < PASSES && open.length > 0; pass += 1) {
    const groups = new Map<number, number[]>();
    for (const i of open) {
      const key = likeness(corners[i]);
      const group = groups.get(key);
      if (group) group.push(i);
      else groups.set(key, [i]);
    }
    const again: number[] = [];
    for (const group of groups.values()) {
      const filter = filterFor(corners[group[0]], image.widthPx, look);
      if (!filter) continue;
      for (const i of group) {
        const moved = apply(filter, image, corners[i]);
        if (moved > AGAIN_PX) again.push(i);
      }
    }
    open = again;
  }
  for (const i of open) Object.assign(corners[i], starts[i], { noise: Number.NaN });
}

const phaseOf = (v: number): number => Math.floor((v - Math.floor(v)) * PHASES);
const directionOf = ([x, y]: readonly [number, number]): number => Math.round(Math.atan2(y, x) / DIRECTION_RAD);
const blurOf = (s: number): number => Math.round(Math.log(s) / Math.log(BLUR_STEP));

/** One number for corners that share a filter. */
function likeness({ x, y, cell, blur1Px, blur2Px, sense }: FilteredCorner): number {
  const window = cornerWindow(cell, 0, blur1Px, blur2Px);
  let key = sense > 0 ? 1 : 0;
  const add = (value: number, room: number) => {
    key = key * room + value;
  };
  add(phaseOf(x), PHASES);
  add(phaseOf(y), PHASES);
  add(directionOf(cell.across) + HALF_TURN, 2 * HALF_TURN + 1);
  add(directionOf(cell.down) + HALF_TURN, 2 * HALF_TURN + 1);
  add(blurOf(blur1Px) + BLURS, 2 * BLURS);
  add(blurOf(blur2Px) + BLURS, 2 * BLURS);
  add(window ? Math.floor(window.reach1Px) : 0, 32);
  add(window ? Math.floor(window.reach2Px) : 0, 32);
  return key;
}
const HALF_TURN = Math.ceil(Math.PI / DIRECTION_RAD);
/** From a sixth of a pixel to six and a half. */
const BLURS = 25;

const centred = (v: number): number => Math.floor(v) + (phaseOf(v) + 0.5) / PHASES;

function filterFor(of: FilteredCorner, rowPx: number, { form, lineCells, contrast }: FilterLook): Filter | null {
  // the middle of what the filter is for
  const turned = ([x, y]: readonly [number, number]): [number, number] => {
    const [length, angle] = [Math.hypot(x, y), directionOf([x, y]) * DIRECTION_RAD];
    return [length * Math.cos(angle), length * Math.sin(angle)];
  };
  const [blur1Px, blur2Px] = [BLUR_STEP ** blurOf(of.blur1Px), BLUR_STEP ** blurOf(of.blur2Px)];
  const window = cornerWindow({ across: turned(of.cell.across), down: turned(of.cell.down) }, lineCells, blur1Px, blur2Px);
  if (!window) return null;
  const { n1x, n1y, n2x, n2y, half1Px, half2Px } = window;
  // whole pixels, so that all of its kind have room
  const [reach1Px, reach2Px] = [Math.floor(window.reach1Px), Math.floor(window.reach2Px)];
  const [near1, near2] = [nearEdge(half1Px, blur1Px), nearEdge(half2Px, blur2Px)];
  const [boxX, boxY] = boxOf(window);
  const [fx, fy] = [centred(of.x) - Math.floor(of.x), centred(of.y) - Math.floor(of.y)];
  const at: FormAt = { form: 0, byP: 0, byQ: 0, byS1: 0, byS2: 0 };
  let n = 0;
  for (let py = Math.ceil(fy - boxY - 0.5); py <= fy + boxY - 0.5; py += 1) {
    for (let px = Math.ceil(fx - boxX - 0.5); px <= fx + boxX - 0.5; px += 1) {
      const dx = px + 0.5 - fx;
      const dy = py + 0.5 - fy;
      const p = n1x * dx + n1y * dy;
      const q = n2x * dx + n2y * dy;
      if (p > reach1Px || p < -reach1Px || q > reach2Px || q < -reach2Px || leftOut(px, py, p, q, near1, near2)) continue;
      form(p, q, 1 / blur1Px, 1 / blur2Px, half1Px, half2Px, at);
      const lit = 1 + of.sense * contrast * at.form;
      scratchOffsets[n] = py * rowPx + px;
      const k = 5 * n;
      scratch[k] = at.form;
      scratch[k + 1] = -(at.byP * n1x + at.byQ * n2x);
      scratch[k + 2] = -(at.byP * n1y + at.byQ * n2y);
      scratch[k + 3] = lit * dx;
      scratch[k + 4] = lit * dy;
      n += 1;
    }
  }
  return n < LEAST_PIXELS ? null : factored(n);
}

/** A window of 28 px each way at any slant that is looked at, with room to spare. */
const MOST_PIXELS = 4096;
const scratch = new Float64Array((COLUMNS - 1) * MOST_PIXELS);
const scratchOffsets = new Int32Array(MOST_PIXELS);

/** What stands in the scratch, with the level's column of ones left out; null where the unknowns depend on each other. */
function factored(n: number): Filter | null {
  const rows = scratch.slice(0, 5 * n);
  const factor = new Float64Array(COLUMNS * COLUMNS);
  for (let c = 0; c < COLUMNS; c += 1) {
    for (let b = 0; b <= c; b += 1) {
      let sum = 0;
      if (c === 0) sum = n;
      else if (b === 0) for (let i = c - 1; i < 5 * n; i += 5) sum += rows[i];
      else for (let i = 0; i < 5 * n; i += 5) sum += rows[i + c - 1] * rows[i + b - 1];
      const whole = sum;
      for (let k = 0; k < b; k += 1) sum -= factor[c * COLUMNS + k] * factor[b * COLUMNS + k];
      if (b < c) factor[c * COLUMNS + b] = sum / factor[b * COLUMNS + b];
      else if (sum > 1e-9 * whole) factor[c * COLUMNS + c] = Math.sqrt(sum);
      else return null;
    }
  }
  return { offsets: scratchOffsets.slice(0, n), rows, factor };
}

const sums = new Float64Array(COLUMNS);

/** Moves a corner to where its pixels put it; by how much it was off the filter's own place, px. */
function apply({ offsets, rows, factor }: Filter, { data, widthPx }: GrayImage, corner: FilteredCorner): number {
  const n = offsets.length;
  const base = Math.floor(corner.y) * widthPx + Math.floor(corner.x);
  let t0 = 0,
    t1 = 0,
    t2 = 0,
    t3 = 0,
    t4 = 0,
    t5 = 0,
    squares = 0;
  for (let i = 0, k = 0; i < n; i += 1, k += 5) {
    const grey = data[base + offsets[i]];
    squares += grey * grey;
    t0 += grey;
    t1 += rows[k] * grey;
    t2 += rows[k + 1] * grey;
    t3 += rows[k + 2] * grey;
    t4 += rows[k + 3] * grey;
    t5 += rows[k + 4] * grey;
  }
  sums[0] = t0;
  sums[1] = t1;
  sums[2] = t2;
  sums[3] = t3;
  sums[4] = t4;
  sums[5] = t5;
  // forwards through the factor, which also tells how much of the pixels the model explains; then backwards
  for (let c = 0; c < COLUMNS; c += 1) {
    for (let k = 0; k < c; k += 1) sums[c] -= factor[c * COLUMNS + k] * sums[k];
    sums[c] /= factor[c * COLUMNS + c];
    squares -= sums[c] * sums[c];
  }
  corner.noise = Math.sqrt(Math.max(0, squares) / (n - COLUMNS));
  for (let c = COLUMNS - 1; c >= 0; c -= 1) {
    for (let k = c + 1; k < COLUMNS; k += 1) sums[c] -= factor[k * COLUMNS + c] * sums[k];
    sums[c] /= factor[c * COLUMNS + c];
  }
  const [sx, sy] = [sums[2] / sums[1], sums[3] / sums[1]];
  corner.x = centred(corner.x) + sx;
  corner.y = centred(corner.y) + sy;
  return Math.max(Math.abs(sx), Math.abs(sy));
}
