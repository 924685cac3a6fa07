import { median } from '../math';
import { sampleAt, type GrayImage } from '../picture';
import type { LatticeNode } from './grow-lattice';
import { LatticeIndex } from './lattice-index';
import { GRID, type Warning } from '../warnings';

/** Sigma of the edge spread, px, of edges that run along the lattice's rows and along its columns; NaN where none could be measured. */
interface EdgeBlurs {
  /** spread up and down the rows: of edges that run to the right */
  downPx: number[];
  /** spread to the right: of edges that run down */
  acrossPx: number[];
}

/**
 * Blur as the sigma in px of the edge spread, measured across cell edges: for a step of contrast C blurred by a Gaussian, the steepest
 * slope is C / (sigma √(2π)). The lens's and the sensor's own softness are in it.
 */
function edgeBlurs(image: GrayImage, nodes: readonly LatticeNode[], most: number): EdgeBlurs {
  const byPlace = new LatticeIndex(nodes);
  const found: EdgeBlurs = { downPx: [], acrossPx: [] };
  const stride = Math.max(1, Math.floor(nodes.length / most));
  for (let i = 0; i < nodes.length; i += stride) {
    const a = nodes[i];
    const right = byPlace.at(a.row, a.col + 1);
    const below = byPlace.at(a.row + 1, a.col);
    const down = right >= 0 ? spreadAcross(image, a, nodes[right]) : null;
    const across = below >= 0 ? spreadAcross(image, a, nodes[below]) : null;
    if (down !== null) found.downPx.push(down);
    if (across !== null) found.acrossPx.push(across);
  }
  return found;
}

/** Four times the spread at which a plate is refused: what lies further off says nothing about the edge, and is slow to read. */
const MOST_REACH_PX = 20;

/** The spread across the edge between two corners, in its middle; null at the picture's border. */
function spreadAcross(image: GrayImage, a: LatticeNode, b: LatticeNode): number | null {
  const length = Math.hypot(b.x - a.x, b.y - a.y);
  const nx = -(b.y - a.y) / length;
  const ny = (b.x - a.x) / length;
  const mx = (a.x + b.x) / 2;
  const my = (a.y + b.y) / 2;
  const reach = Math.min(0.4 * length, MOST_REACH_PX);
  if (mx - reach < 2 || my - reach < 2 || mx + reach > image.widthPx - 2 || my + reach > image.heightPx - 2) return null;
  const step = 0.5;
  let low = Infinity,
    high = -Infinity,
    steepest = 0;
  let previous = sampleAt(image, mx - reach * nx, my - reach * ny);
  for (let s = -reach + step; s <= reach; s += step) {
    const v = sampleAt(image, mx + s * nx, my + s * ny);
    low = Math.min(low, v);
    high = Math.max(high, v);
    steepest = Math.max(steepest, Math.abs(v - previous) / step);
    previous = v;
  }
  return steepest > 0 ? (high - low) / (steepest * Math.sqrt(2 * Math.PI)) : null;
}

/** Corners whose edges are measured: a median needs no more of them. */
const MEASURED_EDGES = 60;
const MEASURED_OF_ZONE = 16;

const medianOf = (values: readonly number[]): number => (values.length > 0 ? median(values) : Number.NaN);

/** Blur of the whole picture, px; NaN where no edge could be measured. */
export function edgeBlurPx(image: GrayImage, nodes: readonly LatticeNode[]): number {
  const { downPx, acrossPx } = edgeBlurs(image, nodes, MEASURED_EDGES);
  // the worse of the two directions: a shake along one of them spoils the corners all the same
  const [down, across] = [medianOf(downPx), medianOf(acrossPx)];
  return Number.isNaN(down) ? across : Number.isNaN(across) ? down : Math.max(down, across);
}

/** A ninth of the frame: the blur of its edges, px, or null where the chart is not seen. */
export interface BlurZone {
  downPx: number | null;
  acrossPx: number | null;
}

const SIDE = 3;
export const ZONE_WORDS = ['upper left', 'top', 'upper right', 'left', 'middle', 'right', 'lower left', 'bottom', 'lower right'] as const;

/** Blur in a raster of 3 × 3 over the frame, row by row. */
export function blurByZone(image: GrayImage, nodes: readonly LatticeNode[]): BlurZone[] {
  const zones: LatticeNode[][] = Array.from({ length: SIDE * SIDE }, () => []);
  const third = (v: number, size: number) => Math.min(SIDE - 1, Math.max(0, Math.floor((SIDE * v) / size)));
  for (const n of nodes) zones[SIDE * third(n.y, image.heightPx) + third(n.x, image.widthPx)].push(n);
  return zones.map((mine) => {
    const { downPx, acrossPx } = edgeBlurs(image, mine, MEASURED_OF_ZONE);
    return { downPx: downPx.length < 3 ? null : medianOf(downPx), acrossPx: acrossPx.length < 3 ? null : medianOf(acrossPx) };
  });
}

/** A zone is soft when its edges are spread so many times as wide as in the sharpest one, and visibly. */
const SOFT_TIMES = 1.7;
const SOFT_FLOOR_PX = 1.3;
/** Edges of one direction so many times as wide as the other's, all over the frame: the camera or the chart moved. */
const SHAKEN_TIMES = 1.6;

/** What the blur by zone says to the person who shot the plate: moved, or out of focus somewhere. */
export function blurRemarks(zones: readonly BlurZone[]): Warning[] {
  const remarks: Warning[] = [];
  const down = zones.flatMap((z) => (z.downPx === null ? [] : [z.downPx]));
  const across = zones.flatMap((z) => (z.acrossPx === null ? [] : [z.acrossPx]));
  if (down.length === 0 || across.length === 0) return remarks;
  const [d, a] = [median(down), median(across)];
  if (Math.max(d, a) > SOFT_FLOOR_PX && Math.max(d / a, a / d) > SHAKEN_TIMES) {
    remarks.push(GRID.PLATE_MOVED(d, a));
    return remarks;
  }
  const worst = zones.map((z) => Math.max(z.downPx ?? 0, z.acrossPx ?? 0));
  const sharpest = Math.min(...worst.filter((v) => v > 0));
  const soft = ZONE_WORDS.filter((_, i) => worst[i] > SOFT_FLOOR_PX && worst[i] > SOFT_TIMES * sharpest);
  if (soft.length > 0) remarks.push(GRID.PLATE_SOFT(soft, Math.max(...worst), sharpest));
  return remarks;
}

/** Share of an edge's contrast that falls within one pixel, 0…1: erf(1 / (2√2 sigma)), Abramowitz & Stegun 7.1.26. */
export function sharpnessOf(blurPx: number): number {
  const x = 1 / (2 * Math.SQRT2 * Math.max(blurPx, 1e-6));
  const t = 1 / (1 + 0.3275911 * x);
  return 1 - t * (0.254829592 + t * (-0.284496736 + t * (1.421413741 + t * (-1.453152027 + t * 1.061405429)))) * Math.exp(-x * x);
}
