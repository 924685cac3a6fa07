import { median } from '../math';
import { axisAngle, CHARTS, type Chart, type Saddle } from '../charts';
import { LatticeIndex } from './lattice-index';

/** A corner with its place in the chart: column to the right, row downwards, counted from an arbitrary corner. */
export interface LatticeNode {
  row: number;
  col: number;
  x: number;
  y: number;
  contrast: number;
}

/** Saddles by square tiles, for nearest-neighbour questions. */
class Buckets {
  private readonly across: number;
  private readonly down: number;
  /** where each tile's begin in `order`, and where the last ends */
  private readonly starts: Int32Array;
  private readonly order: Int32Array;

  constructor(
    private readonly saddles: readonly Saddle[],
    private readonly sizePx: number,
  ) {
    let right = 0,
      bottom = 0;
    for (const s of saddles) {
      right = Math.max(right, s.x);
      bottom = Math.max(bottom, s.y);
    }
    this.across = Math.floor(right / sizePx) + 1;
    this.down = Math.floor(bottom / sizePx) + 1;
    this.starts = new Int32Array(this.across * this.down + 1);
    this.order = new Int32Array(saddles.length);
    // a counting sort: how many each tile has, where they end, then each to its place, from the last on
    const tiles = Int32Array.from(saddles, (s) => this.tileOf(s.y) * this.across + this.tileOf(s.x));
    for (const tile of tiles) this.starts[tile] += 1;
    for (let t = 1; t < this.starts.length; t += 1) this.starts[t] += this.starts[t - 1];
    for (let i = saddles.length - 1; i >= 0; i -= 1) this.order[(this.starts[tiles[i]] -= 1)] = i;
  }

  private tileOf(v: number): number {
    return Math.floor(v / this.sizePx);
  }

  forEachNear(x: number, y: number, radiusPx: number, visit: (index: number, distancePx: number) => void): void {
    const left = Math.max(0, this.tileOf(x - radiusPx));
    const right = Math.min(this.across - 1, this.tileOf(x + radiusPx));
    const top = Math.max(0, this.tileOf(y - radiusPx));
    const bottom = Math.min(this.down - 1, this.tileOf(y + radiusPx));
    if (left > right) return;
    for (let row = top; row <= bottom; row += 1) {
      // the tiles of a row follow each other
      const end = this.starts[row * this.across + right + 1];
      for (let k = this.starts[row * this.across + left]; k < end; k += 1) {
        const i = this.order[k];
        const dx = this.saddles[i].x - x;
        const dy = this.saddles[i].y - y;
        const square = dx * dx + dy * dy;
        if (square <= radiusPx * radiusPx) visit(i, Math.sqrt(square));
      }
    }
  }
}

interface Placed {
  row: number;
  col: number;
  index: number;
  u: [number, number];
  v: [number, number];
}

/**
 * Numbers saddles by integer steps from a seed, outwards from the inside, so that no board outline is needed.
 * A step is accepted where a saddle lies within 0.3 cells of the prediction and its bright quadrants are turned by a right angle
 * against its neighbour's, as they must be on a chequer. Several seeds are tried.
 * @returns the consistent lattices, the largest first, each with numbers of its own: what stands across a chart parts it into several
 */
export function growLattices(saddles: readonly Saddle[], widthPx: number, heightPx: number, chart: Chart = CHARTS.chequer): LatticeNode[][] {
  if (saddles.length < 9) return [];
  const buckets = new Buckets(saddles, 16);
  const pieces: Placed[][] = [];
  const taken = new Uint8Array(saddles.length);
  let takenCount = 0;
  for (const seed of seedsFromMiddle(saddles, widthPx, heightPx)) {
    if (taken[seed]) continue;
    const placed = growFrom(seed, saddles, buckets, Math.max(widthPx, heightPx), chart.neighbours);
    for (const { index } of placed) {
      takenCount += 1 - taken[index];
      taken[index] = 1;
    }
    if (placed.length >= MIN_PIECE) pieces.push(placed);
    // so much of it that no piece of the chart can be left
    if (takenCount > saddles.length - MIN_PIECE) break;
  }
  pieces.sort((a, b) => b.length - a.length);
  // two seeds may have grown into the same corners: they are the larger one's
  const given = new Uint8Array(saddles.length);
  const apart = pieces.flatMap((piece) => {
    const own = piece.filter((p) => given[p.index] === 0);
    if (own.length < MIN_PIECE) return [];
    for (const p of own) given[p.index] = 1;
    return [own];
  });
  return apart.map((piece) => orientToPicture(piece.map((p) => ({ row: p.row, col: p.col, x: saddles[p.index].x, y: saddles[p.index].y, contrast: saddles[p.index].contrast }))));
}

/** Fewer corners together are chance, or are found by prediction. */
const MIN_PIECE = 8;

/** Strong saddles, one from each tile of a 6×4 raster, the middle first. */
function seedsFromMiddle(saddles: readonly Saddle[], w: number, h: number): number[] {
  const tiles = new Map<number, number[]>();
  saddles.forEach((s, i) => {
    const tile = Math.floor((s.y / h) * 4) * 6 + Math.floor((s.x / w) * 6);
    const list = tiles.get(tile) ?? [];
    if (list.length < 3) list.push(i);
    tiles.set(tile, list);
  });
  const seeds = [...tiles.values()].flat();
  return seeds.sort((a, b) => Math.hypot(saddles[a].x / w - 0.5, saddles[a].y / h - 0.5) - Math.hypot(saddles[b].x / w - 0.5, saddles[b].y / h - 0.5)).slice(0, 48);
}

function growFrom(seed: number, saddles: readonly Saddle[], buckets: Buckets, reachPx: number, fits: Chart['neighbours']): Placed[] {
  const s = saddles[seed];
  const axes = [s.brightRad - Math.PI / 4, s.brightRad + Math.PI / 4];
  const steps = axes.map((angle) => firstStep(s, angle, saddles, buckets, reachPx, fits));
  if (!steps[0] || !steps[1]) return [];
  const [u, v] = steps as [[number, number], [number, number]];
  const lengthU = Math.hypot(...u);
  const lengthV = Math.hypot(...v);
  if (Math.max(lengthU, lengthV) > 2.2 * Math.min(lengthU, lengthV)) return [];

  const byPlace = new LatticeIndex();
  const used = new Uint8Array(saddles.length);
  const queue: Placed[] = [];
  const put = (p: Placed) => {
    byPlace.set(p.row, p.col, queue.length);
    used[p.index] = 1;
    queue.push(p);
  };
  put({ row: 0, col: 0, index: seed, u, v });
  for (let head = 0; head < queue.length; head += 1) {
    const p = queue[head];
    const from = saddles[p.index];
    const reach = 0.3 * Math.min(lengthOf(p.u), lengthOf(p.v));
    for (const [dr, dc] of FOUR_WAYS) {
      const row = p.row + dr;
      const col = p.col + dc;
      if (byPlace.has(row, col)) continue;
      const step = dc !== 0 ? p.u : p.v;
      const sign = dc + dr;
      const tx = from.x + sign * step[0];
      const ty = from.y + sign * step[1];
      let nearest = -1;
      let nearestPx = Infinity;
      buckets.forEachNear(tx, ty, reach, (i, d) => {
        if (d < nearestPx && used[i] === 0 && fits(saddles[i].brightRad, from.brightRad)) {
          nearest = i;
          nearestPx = d;
        }
      });
      if (nearest < 0) continue;
      const to = saddles[nearest];
      const found: [number, number] = [(to.x - from.x) * sign, (to.y - from.y) * sign];
      // half of the new step: follows distortion and perspective without following a single bad corner
      const blend = (a: [number, number], b: [number, number]): [number, number] => [(a[0] + b[0]) / 2, (a[1] + b[1]) / 2];
      put({ row, col, index: nearest, u: dc !== 0 ? blend(p.u, found) : p.u, v: dr !== 0 ? blend(p.v, found) : p.v });
    }
  }
  return dropInconsistent(queue, byPlace, saddles);
}

const FOUR_WAYS = [
  [0, 1],
  [0, -1],
  [1, 0],
  [-1, 0],
] as const;
const HALF_OF_THEM = [
  [0, 1],
  [1, 0],
] as const;
const lengthOf = ([x, y]: readonly [number, number]): number => Math.sqrt(x * x + y * y);

/** The nearest saddle along `angle` (either way) whose quadrants are turned by a right angle. */
function firstStep(s: Saddle, angle: number, saddles: readonly Saddle[], buckets: Buckets, reachPx: number, fits: Chart['neighbours']): [number, number] | null {
  for (let radius = 24; radius <= reachPx / 2; radius *= 2) {
    let best: [number, number] | null = null;
    let bestPx = Infinity;
    buckets.forEachNear(s.x, s.y, radius, (i, d) => {
      if (d < 4 || d >= bestPx) return;
      const dx = saddles[i].x - s.x;
      const dy = saddles[i].y - s.y;
      if (axisAngle(Math.atan2(dy, dx), angle) > 0.3) return;
      if (!fits(saddles[i].brightRad, s.brightRad)) return;
      const along = dx * Math.cos(angle) + dy * Math.sin(angle) >= 0 ? 1 : -1;
      best = [dx * along, dy * along];
      bestPx = d;
    });
    if (best) return best;
  }
  return null;
}

/** Removes corners that lie off the mean of their opposite neighbours by more than 0.2 cells, and lone ones. */
function dropInconsistent(placed: readonly Placed[], byPlace: LatticeIndex, saddles: readonly Saddle[]): Placed[] {
  const kept: Placed[] = [];
  for (const p of placed) {
    const s = saddles[p.index];
    const cell = Math.min(lengthOf(p.u), lengthOf(p.v));
    let neighbours = 0;
    let good = true;
    for (const [dr, dc] of HALF_OF_THEM) {
      const a = byPlace.at(p.row + dr, p.col + dc);
      const b = byPlace.at(p.row - dr, p.col - dc);
      if (a >= 0) neighbours += 1;
      if (b >= 0) neighbours += 1;
      if (a < 0 || b < 0) continue;
      const sa = saddles[placed[a].index];
      const sb = saddles[placed[b].index];
      const mx = (sa.x + sb.x) / 2 - s.x;
      const my = (sa.y + sb.y) / 2 - s.y;
      if (mx * mx + my * my > (0.2 * cell) ** 2) good = false;
    }
    if (good && neighbours >= 2) kept.push(p);
  }
  return kept;
}

/** Turns the numbering so that columns run to the right and rows downwards in the picture, both from 0. */
export function orientToPicture(nodes: LatticeNode[]): LatticeNode[] {
  if (nodes.length === 0) return nodes;
  let cr = 0,
    cc = 0,
    cx = 0,
    cy = 0;
  for (const n of nodes) {
    cr += n.row;
    cc += n.col;
    cx += n.x;
    cy += n.y;
  }
  const m = nodes.length;
  let colX = 0,
    colY = 0,
    rowX = 0,
    rowY = 0;
  for (const n of nodes) {
    colX += (n.col - cc / m) * (n.x - cx / m);
    colY += (n.col - cc / m) * (n.y - cy / m);
    rowX += (n.row - cr / m) * (n.x - cx / m);
    rowY += (n.row - cr / m) * (n.y - cy / m);
  }
  const swap = Math.abs(rowX) * Math.hypot(colX, colY) > Math.abs(colX) * Math.hypot(rowX, rowY);
  const [ux, vy] = swap ? [rowX, colY] : [colX, rowY];
  const colOf = (n: LatticeNode): number => (swap ? n.row : n.col) * (ux < 0 ? -1 : 1);
  const rowOf = (n: LatticeNode): number => (swap ? n.col : n.row) * (vy < 0 ? -1 : 1);
  // plain loops: spreading tens of thousands of numbers into Math.min overflows the stack
  let minCol = Infinity,
    minRow = Infinity;
  for (const n of nodes) {
    minCol = Math.min(minCol, colOf(n));
    minRow = Math.min(minRow, rowOf(n));
  }
  return nodes.map((n) => ({ row: rowOf(n) - minRow, col: colOf(n) - minCol, x: n.x, y: n.y, contrast: n.contrast }));
}

/** Steps between neighbouring corners, px. */
export function latticeStepsPx(nodes: readonly LatticeNode[]): number[] {
  const byPlace = new LatticeIndex(nodes);
  const steps: number[] = [];
  for (const n of nodes) {
    const right = byPlace.at(n.row, n.col + 1);
    const below = byPlace.at(n.row + 1, n.col);
    if (right >= 0) steps.push(lengthOf([nodes[right].x - n.x, nodes[right].y - n.y]));
    if (below >= 0) steps.push(lengthOf([nodes[below].x - n.x, nodes[below].y - n.y]));
  }
  return steps;
}

export const medianCellPx = (nodes: readonly LatticeNode[]): number => median(latticeStepsPx(nodes));
