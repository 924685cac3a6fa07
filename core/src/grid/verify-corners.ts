import { median } from '../math';
import type { LensFit } from './fit-lens';
import type { GridFrame } from './observation';
import { cornerPredictor } from './predict-corner';
import type { SmoothedPicture } from '../picture';
import { axisAngle, roomAt, type ChartLook, type Oval, type SeenCorner } from '../charts';
import type { LatticeNode } from './grow-lattice';
import { LatticeIndex } from './lattice-index';

/** A corner that was measured, and how it looks on the ring there; null when not like a corner, or without room for the ring. */
export interface MeasuredNode extends LatticeNode {
  seen: SeenCorner | null;
}

/** A person vouches that it is a chart: as many corners as a lens fit needs. */
export const MIN_TOUCHED = 12;

/** A corner beside another of the same chart is lit nearly alike; a wall or a table behind the chart is fainter by far. */
const ALIKE_SHARE = 0.4;
/** Its bright quadrants point where the chart's pattern says, within so much. */
export const ALIKE_RAD = 0.5;

/** Where a chequer's bright quadrants lie at a corner. */
export interface Pattern {
  /** as seen in the picture; null where the fit does not reach */
  angle(row: number, col: number): number | null;
  /** in the cell's own angles, from its row towards its column */
  cellAngle(row: number, col: number): number;
  /** the cell's two sides there, px */
  cell(row: number, col: number): Oval | null;
}

/** The two sides of the cell at a corner, px; null where the fit does not reach. */
export function cellAt(predict: (row: number, col: number) => [number, number] | null, row: number, col: number): Oval | null {
  const at = predict(row, col);
  const right = predict(row, col + 1);
  const below = predict(row + 1, col);
  if (!at || !right || !below) return null;
  return { across: [right[0] - at[0], right[1] - at[1]], down: [below[0] - at[0], below[1] - at[1]] };
}

/**
 * Where the pattern of a chequer puts the bright quadrants at a corner: half-way between the edges in one sense on even corners, in the other
 * on odd ones. Which is which the known corners say together. Null for a ruled chart, which has no such sense.
 */
export function patternOf(known: readonly MeasuredNode[], fit: LensFit, frame: GridFrame, look: ChartLook): Pattern | null {
  if (!look.chart.alternates) return null;
  const predict = cornerPredictor(fit, frame, 0);
  const cell = (row: number, col: number) => cellAt(predict, row, col);
  const diagonals = (row: number, col: number): [number, number] | null => {
    const sides = cell(row, col);
    if (!sides) return null;
    // half-way between the edges' directions, however long the cells are along them
    const u = Math.atan2(sides.across[1], sides.across[0]);
    const v = Math.atan2(sides.down[1], sides.down[0]);
    const half = Math.atan2(Math.sin(v - u), Math.cos(v - u)) / 2;
    return [u + half, u + half + Math.PI / 2];
  };
  let votes = 0;
  const stride = Math.max(1, Math.floor(known.length / 150));
  for (let i = 0; i < known.length; i += stride) {
    const n = known[i];
    const d = diagonals(n.row, n.col);
    const { seen } = n;
    if (!d || !seen) continue;
    const even = (n.row + n.col) % 2 === 0 ? 1 : -1;
    votes += even * (axisAngle(seen.brightRad, d[0]) < axisAngle(seen.brightRad, d[1]) ? 1 : -1);
  }
  const diagonal = (row: number, col: number): 0 | 1 => (((row + col) % 2 === 0 ? 1 : -1) * votes >= 0 ? 0 : 1);
  return {
    angle: (row, col) => diagonals(row, col)?.[diagonal(row, col)] ?? null,
    cellAngle: (row, col) => (diagonal(row, col) === 0 ? Math.PI / 4 : (3 * Math.PI) / 4),
    cell,
  };
}

/** Are there bright quadrants as the pattern wants them, seen on a ring of the cell's shape? */
export function seenOnCell(fine: SmoothedPicture, at: { row: number; col: number; x: number; y: number }, pattern: Pattern | null, look: ChartLook): SeenCorner | null {
  const cell = pattern?.cell(at.row, at.col);
  if (!pattern || !cell || !look.testCell) return null;
  const seen = look.testCell(fine, at.x, at.y, cell);
  return seen && axisAngle(seen.brightRad, pattern.cellAngle(at.row, at.col)) < ALIKE_RAD ? seen : null;
}

/** The corners that look as their neighbours do, in contrast and in sense, and do not stand alone. */
export function verified(fine: SmoothedPicture, known: readonly MeasuredNode[], fit: LensFit, frame: GridFrame, look: ChartLook, ringPx: number): MeasuredNode[] {
  const expected = patternOf(known, fit, frame, look);
  const index = new LatticeIndex(known);
  /** at most `enough` of those about a corner */
  const around = (n: LatticeNode, reach: number, enough: number): number[] => {
    const found: number[] = [];
    for (let dr = -reach; dr <= reach; dr += 1)
      for (let dc = -reach; dc <= reach && found.length < enough; dc += 1) {
        const i = dr === 0 && dc === 0 ? -1 : index.at(n.row + dr, n.col + dc);
        if (i >= 0) found.push(i);
      }
    return found;
  };
  const usual = median(known.flatMap(({ seen }) => (seen ? [seen.contrast] : [])));
  return known.filter((n) => {
    if (around(n, 1, 2).length < 2) return false;
    // at the picture's border there is no room for the ring: nothing speaks against such a corner
    if (!n.seen && roomAt(frame, n.x, n.y) < ringPx + 1) return true;
    const angle = expected?.angle(n.row, n.col) ?? null;
    const round = n.seen && (angle === null || axisAngle(n.seen.brightRad, angle) < ALIKE_RAD) ? n.seen : null;
    const own = round ?? seenOnCell(fine, n, expected, look);
    if (!own) return false;
    // its neighbourhood is looked at only where it is faint for the whole picture
    if (own.contrast < 0.8 * usual) {
      const others = around(n, 2, Infinity)
        .map((k) => known[k].seen?.contrast)
        .filter((c): c is number => c !== undefined);
      if (others.length > 0 && own.contrast < ALIKE_SHARE * median(others)) return false;
    }
    return true;
  });
}

/** An outermost line with less of its neighbour's corners than this may be clutter beside the chart. */
const SPARSE_LINE = 0.6;
/** Cells on two sides of an edge differ by so much of what they do on the chart. */
const CELL_SHARE = 0.4;

/**
 * Beyond the last line of a chart its border, or what lies behind it, can look like corners here and there. A sparse outermost line is
 * looked at cell by cell: a corner stays when the four cells about it are light and dark in turn.
 */
export function withoutFalseRim<N extends LatticeNode>(fine: SmoothedPicture, nodes: N[], fit: LensFit, frame: GridFrame): N[] {
  const predict = cornerPredictor(fit, frame, 0);
  const value = (row: number, col: number): number | null => {
    const at = predict(row, col);
    return at && at[0] > 1 && at[1] > 1 && at[0] < fine.widthPx - 2 && at[1] < fine.heightPx - 2 ? fine.at(at[0], at[1]) : null;
  };
  /** bright less dark over the four cells, at its worst pair; null where fewer than three cells are seen */
  const steps = (n: N): number[] | null => {
    const cells = [value(n.row - 0.5, n.col - 0.5), value(n.row - 0.5, n.col + 0.5), value(n.row + 0.5, n.col + 0.5), value(n.row + 0.5, n.col - 0.5)];
    if (cells.filter((c) => c !== null).length < 3) return null;
    const sense = (n.row + n.col) % 2 === 0 ? 1 : -1;
    return cells.flatMap((c, i) => {
      const next = cells[(i + 1) % 4];
      return c === null || next === null ? [] : [sense * (i % 2 === 0 ? c - next : next - c)];
    });
  };
  // most charts have no sparse line, and then nothing is looked at
  let known: number | null = null;
  const usual = (): number => {
    const stride = Math.max(1, Math.floor(nodes.length / 400));
    return (known ??= median(nodes.filter((_, i) => i % stride === 0).flatMap((n) => steps(n) ?? [])));
  };
  const good = (n: N): boolean => {
    const own = steps(n);
    return own === null || own.every((s) => s / usual() > CELL_SHARE);
  };
  let kept = nodes;
  for (const axis of ['row', 'col'] as const) {
    for (const end of [-1, 1]) {
      for (;;) {
        const outermost = kept.reduce((m, n) => (end * n[axis] > end * m ? n[axis] : m), kept[0][axis]);
        const line = kept.filter((n) => n[axis] === outermost);
        const next = kept.filter((n) => n[axis] === outermost - end);
        if (line.length >= SPARSE_LINE * next.length || kept.length - line.length < MIN_TOUCHED) break;
        const left = line.filter(good);
        if (left.length === line.length) break;
        // a line of which most is clutter is none
        const out = new Set(left.length < line.length / 2 ? line : line.filter((n) => !left.includes(n)));
        kept = kept.filter((n) => !out.has(n));
        if (left.length >= line.length / 2) break;
      }
    }
  }
  return kept;
}
