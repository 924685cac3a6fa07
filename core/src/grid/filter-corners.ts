import type { GrayImage } from '../picture';
import type { CornerForm, FormAt, Oval } from '../charts';
import { BLOCK_WEIGHTS, cornerKernel, SUM_COUNT, type CornerKernel, type KernelWindow } from './corner-kernel';
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
  /** its window's upper left pixel, from the corner's own */
  left: number;
  top: number;
  blocks: number;
  heightPx: number;
  /** pixels that count */
  pixels: number;
  /** the model's derivative by each unknown but the level, whose is 1, as the kernel takes them */
  weights: Float32Array;
  /** Cholesky's factor of their normal equations, row by row */
  factor: Float64Array;
}

/** Rows of the picture that are held while the corners in them are measured, and what their windows need beside them. */
const BAND_PX = 128;

/**
 * Measures many corners as `CornerFitter` does, at a fraction of its cost: about a corner whose edges' directions and blur are known the model is
 * linear in everything else, so that the least-squares solution is a weighted sum of pixels. Corners that are alike (directions within 2 degrees,
 * blur within 8 %, a quarter of a pixel) share the weights.
 * @param corners moved to where they are found; those whose window leaves the picture or which run away are left, with a noise of NaN
 */
export function filterCorners(image: GrayImage, corners: readonly FilteredCorner[], look: FilterLook): void {
  const starts = corners.map(({ x, y }) => ({ x, y }));
  const filters = new Map<number, Filter | null>();
  let open: number[] = corners.map((_, i) => i);
  for (let pass = 0; pass < PASSES && open.length > 0; pass += 1) {
    const bands = new Map<number, Map<number, number[]>>();
    for (const i of open) {
      const band = Math.floor(corners[i].y / BAND_PX);
      let groups = bands.get(band);
      if (!groups) bands.set(band, (groups = new Map()));
      const key = likeness(corners[i]);
      if (!filters.has(key)) filters.set(key, filterFor(corners[i], look));
      const group = groups.get(key);
      if (group) group.push(i);
      else groups.set(key, [i]);
    }
    open = [...bands].flatMap(([band, groups]) => measureBand(image, corners, band * BAND_PX, groups, filters));
  }
  for (const i of open) Object.assign(corners[i], starts[i], { noise: Number.NaN });
}

/** Measures the corners between a height and BAND_PX below it, by their filters; those that were too far off and are to be measured again. */
function measureBand(image: GrayImage, corners: readonly FilteredCorner[], fromPx: number, groups: ReadonlyMap<number, readonly number[]>, filters: ReadonlyMap<number, Filter | null>): number[] {
  const kernel = cornerKernel();
  let top = fromPx,
    bottom = fromPx;
  for (const key of groups.keys()) {
    const filter = filters.get(key);
    if (!filter) continue;
    top = Math.min(top, fromPx + filter.top);
    bottom = Math.max(bottom, fromPx + BAND_PX + filter.top + filter.heightPx);
  }
  top = Math.max(0, top);
  kernel.hold(image, top, Math.min(image.heightPx, bottom) - top);
  const again: number[] = [];
  for (const [key, group] of groups) {
    const filter = filters.get(key);
    if (!filter) continue;
    kernel.use(filter.weights);
    for (const i of group) if (apply(filter, image, kernel, corners[i]) > AGAIN_PX) again.push(i);
  }
  return again;
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

function filterFor(of: FilteredCorner, { form, lineCells, contrast }: FilterLook): Filter | null {
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
  const [left, top] = [Math.ceil(fx - boxX - 0.5), Math.ceil(fy - boxY - 0.5)];
  const blocks = (Math.floor(fx + boxX - 0.5) - left + 4) >> 2;
  const heightPx = Math.floor(fy + boxY - 0.5) - top + 1;
  const weights = new Float32Array(BLOCK_WEIGHTS * blocks * heightPx);
  let pixels = 0;
  for (let row = 0; row < heightPx; row += 1) {
    for (let across = 0; across < 4 * blocks; across += 1) {
      const [px, py] = [left + across, top + row];
      const dx = px + 0.5 - fx;
      const dy = py + 0.5 - fy;
      const p = n1x * dx + n1y * dy;
      const q = n2x * dx + n2y * dy;
      if (p > reach1Px || p < -reach1Px || q > reach2Px || q < -reach2Px || leftOut(px, py, p, q, near1, near2)) continue;
      form(p, q, 1 / blur1Px, 1 / blur2Px, half1Px, half2Px, at);
      const lit = 1 + of.sense * contrast * at.form;
      const k = BLOCK_WEIGHTS * (row * blocks + (across >> 2)) + (across & 3);
      weights[k] = 1;
      weights[k + 4] = at.form;
      weights[k + 8] = -(at.byP * n1x + at.byQ * n2x);
      weights[k + 12] = -(at.byP * n1y + at.byQ * n2y);
      weights[k + 16] = lit * dx;
      weights[k + 20] = lit * dy;
      pixels += 1;
    }
  }
  const factor = pixels < LEAST_PIXELS ? null : factored(weights);
  return factor && { left, top, blocks, heightPx, pixels, weights, factor };
}

/** The factor of the normal equations of a filter's columns, the first of them the ones that count; null where the unknowns depend on each other. */
function factored(weights: Float32Array): Float64Array | null {
  const factor = new Float64Array(COLUMNS * COLUMNS);
  for (let c = 0; c < COLUMNS; c += 1) {
    for (let b = 0; b <= c; b += 1) {
      let sum = 0;
      for (let i = 0; i < weights.length; i += BLOCK_WEIGHTS) for (let lane = i; lane < i + 4; lane += 1) sum += weights[lane + 4 * c] * weights[lane + 4 * b];
      const whole = sum;
      for (let k = 0; k < b; k += 1) sum -= factor[c * COLUMNS + k] * factor[b * COLUMNS + k];
      if (b < c) factor[c * COLUMNS + b] = sum / factor[b * COLUMNS + b];
      else if (sum > 1e-9 * whole) factor[c * COLUMNS + c] = Math.sqrt(sum);
      else return null;
    }
  }
  return factor;
}

const weighed = new Float64Array(SUM_COUNT);
const sums = new Float64Array(COLUMNS);
const place: KernelWindow = { x: 0, y: 0, blocks: 0, heightPx: 0 };

/** Moves a corner to where its pixels put it; by how much it was off the filter's own place, px. Not at all where its window leaves the picture. */
function apply(filter: Filter, image: GrayImage, kernel: CornerKernel, corner: FilteredCorner): number {
  const { factor, pixels, blocks, heightPx } = filter;
  const [column, row] = [Math.floor(corner.x), Math.floor(corner.y)];
  place.x = column + filter.left;
  place.y = row + filter.top;
  place.blocks = blocks;
  place.heightPx = heightPx;
  if (place.x < 0 || place.y < 0 || place.x + 4 * blocks > image.widthPx || place.y + heightPx > image.heightPx) return 0;
  // any level serves; one of the picture's own keeps the squares small
  kernel.weigh(place, image.data[row * image.widthPx + column], weighed);
  let squares = weighed[0];
  // forwards through the factor, which also tells how much of the pixels the model explains; then backwards
  for (let c = 0; c < COLUMNS; c += 1) {
    sums[c] = weighed[c + 1];
    for (let k = 0; k < c; k += 1) sums[c] -= factor[c * COLUMNS + k] * sums[k];
    sums[c] /= factor[c * COLUMNS + c];
    squares -= sums[c] * sums[c];
  }
  corner.noise = Math.sqrt(Math.max(0, squares) / (pixels - COLUMNS));
  for (let c = COLUMNS - 1; c >= 0; c -= 1) {
    for (let k = c + 1; k < COLUMNS; k += 1) sums[c] -= factor[k * COLUMNS + c] * sums[k];
    sums[c] /= factor[c * COLUMNS + c];
  }
  const sx = sums[2] / sums[1];
  const sy = sums[3] / sums[1];
  corner.x = centred(corner.x) + sx;
  corner.y = centred(corner.y) + sy;
  return Math.max(Math.abs(sx), Math.abs(sy));
}
