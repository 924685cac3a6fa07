import { CoreError } from '../errors';
import type { SmoothedPicture } from '../picture';
import type { LatticeNode } from './grow-lattice';
import { LatticeIndex } from './lattice-index';
import { refineCorner } from './refine-corner';

/** A cell corner and the next one along a row, as touched on the picture, px. */
export interface LatticeStart {
  x: number;
  y: number;
  nextX: number;
  nextY: number;
}

type Step = readonly [number, number];
type Look = (x: number, y: number, windowPx: number) => { contrast: number } | null;

/** A finger covers some pixels: how far from the touch the corner may be, in cells. */
const TOUCH_SHARE = 0.4;
/** From corner to corner the prediction is better. */
const STEP_SHARE = 0.3;
const MIN_CELL_PX = 6;
/** The chart may be seen at a slant: how the other side of a cell may lie against the one that was touched. */
const SLANTS_RAD = [0, 0.25, -0.25, 0.5, -0.5];
const RATIOS = [1, 0.8, 1.25, 0.65, 1.55, 0.5, 2];

/**
 * The lattice that begins at a touched corner. Each corner is looked for in the picture where its neighbour's steps predict it; nothing is
 * taken from the automatic search, so that it finds charts that are too faint, too soft or too slanted for that.
 * @param look is there a corner? its contrast when there is
 * @returns no nodes when there is no corner under the touch, or only one
 * @throws CoreError INVALID_OPTION
 */
export function traceLattice(smoothed: SmoothedPicture, start: LatticeStart, look: Look, windowFor: (cellPx: number) => number): LatticeNode[] {
  const across: Step = [start.nextX - start.x, start.nextY - start.y];
  const cellPx = Math.hypot(...across);
  if (!Number.isFinite(cellPx) || cellPx < MIN_CELL_PX)
    throw new CoreError('INVALID_OPTION', `The two touched corners are ${cellPx.toFixed(1)} px apart; touch neighbours at least ${MIN_CELL_PX} px apart.`, 'start');
  const seen = (x: number, y: number, cell: number, share: number): { x: number; y: number; contrast: number } | null => {
    const window = windowFor(cell);
    const place = { x, y };
    if (!refineCorner(smoothed, place, window, share * cell)) return null;
    const found = look(place.x, place.y, Math.min(window, 0.4 * cell));
    return found ? { ...place, contrast: found.contrast } : null;
  };
  const first = seen(start.x, start.y, cellPx, TOUCH_SHARE);
  const second = seen(start.nextX, start.nextY, cellPx, TOUCH_SHARE);
  if (!first || !second) return [];
  const u: Step = [second.x - first.x, second.y - first.y];
  const v = otherSide(first, u, seen);
  if (!v) return [];

  const byPlace = new LatticeIndex();
  const queue: (LatticeNode & { u: Step; v: Step })[] = [];
  const put = (n: LatticeNode & { u: Step; v: Step }) => {
    byPlace.set(n.row, n.col, queue.length);
    queue.push(n);
  };
  put({ row: 0, col: 0, ...first, u, v });
  const taken = (x: number, y: number, within: number, near: LatticeNode) => {
    for (let dr = -2; dr <= 2; dr += 1)
      for (let dc = -2; dc <= 2; dc += 1) {
        const other = byPlace.at(near.row + dr, near.col + dc);
        if (other >= 0 && Math.hypot(queue[other].x - x, queue[other].y - y) < within) return true;
      }
    return false;
  };
  for (let head = 0; head < queue.length; head += 1) {
    const p = queue[head];
    for (const [dr, dc] of [
      [0, 1],
      [0, -1],
      [1, 0],
      [-1, 0],
    ]) {
      if (byPlace.has(p.row + dr, p.col + dc)) continue;
      const step = dc !== 0 ? p.u : p.v;
      const sign = dc + dr;
      const cell = Math.min(Math.hypot(...p.u), Math.hypot(...p.v));
      if (cell < MIN_CELL_PX / 2) continue;
      const at = seen(p.x + sign * step[0], p.y + sign * step[1], cell, STEP_SHARE);
      if (!at || taken(at.x, at.y, cell / 2, p)) continue;
      const found: Step = [(at.x - p.x) * sign, (at.y - p.y) * sign];
      const blend = (a: Step, b: Step): Step => [(a[0] + b[0]) / 2, (a[1] + b[1]) / 2];
      put({ row: p.row + dr, col: p.col + dc, ...at, u: dc !== 0 ? blend(p.u, found) : p.u, v: dr !== 0 ? blend(p.v, found) : p.v });
    }
  }
  return queue.map(({ row, col, x, y, contrast }) => ({ row, col, x, y, contrast }));
}

/** The step to the corner on the other side of the cell: the strongest corner near where a square or slanted cell would have it. */
function otherSide(from: { x: number; y: number }, u: Step, seen: (x: number, y: number, cell: number, share: number) => { x: number; y: number; contrast: number } | null): Step | null {
  const length = Math.hypot(...u);
  const angle = Math.atan2(u[1], u[0]) + Math.PI / 2;
  for (const ratio of RATIOS) {
    for (const slant of SLANTS_RAD) {
      for (const sign of [1, -1]) {
        const dx = sign * ratio * length * Math.cos(angle + slant);
        const dy = sign * ratio * length * Math.sin(angle + slant);
        const at = seen(from.x + dx, from.y + dy, ratio * length, 0.25);
        if (at) return [(at.x - from.x) * sign, (at.y - from.y) * sign];
      }
    }
  }
  return null;
}
