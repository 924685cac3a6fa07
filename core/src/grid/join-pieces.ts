import { median, quantile } from '../math';
import { fitLens, type LensFit } from './fit-lens';
import { toObservations, type GridFrame } from './observation';
import { cellLocator, cornerPredictor } from './predict-corner';
import { medianCellPx, type LatticeNode } from './grow-lattice';
import { LatticeIndex } from './lattice-index';
import { thinned } from './sample';

/** The chart with those of its pieces that are certain, and how many corners of it are left out since their place in it is not. */
export interface JoinedPieces<N extends LatticeNode> {
  known: N[];
  /** pieces that were not joined, to be tried again when more is known */
  left: N[][];
  /** corners in pieces that are of this chart by their cells, but fit it at more than one place */
  uncertain: number;
}

/** A piece's cells must lie along the chart's, and be as large: its steps, in the chart's cells, are whole within this. */
const WHOLE_STEP = 0.3;
/** Of a cell: a chart seen through a lens fits better than this, also where a side of it was first only foreseen. */
const FITTING_SHARE = 0.02;
/** How much worse the next best place must fit, so that one is proven. One cell off moves hundreds of corners by a hundred sigmas. */
const PROVEN_RATIO = 3;
/** Two cells either way: a fit of one side foresees the other to within that. */
const FARTHEST_CELLS = 2;
const SAMPLE = 120;
/** Of the corners, so many keep within the misfit that is told. */
const MOST = 0.8;

/**
 * Joins parts of one chart that something before it keeps apart. Each part was numbered by itself; which whole number of cells lies between is
 * told by the fit of all together: at the right one the corners of both lie on one plane seen through one lens, a cell off they do not. One
 * piece at a time: with it the fit reaches further.
 * @param pieces numbered by themselves, measured
 * @param fit of the known corners
 */
export function joinPieces<N extends LatticeNode>(known: readonly N[], pieces: readonly N[][], fit: LensFit, frame: GridFrame): JoinedPieces<N> {
  const locate = cellLocator(fit, frame, 0);
  const cellPx = medianCellPx(known);
  let joined = [...known];
  const left: N[][] = [];
  let uncertain = 0;
  for (const piece of pieces) {
    const unknown = withoutKnown(piece, joined, cellPx);
    if (unknown.length < 4) continue;
    const turned = alongChart(piece, locate);
    const best = turned && joined.length === known.length ? provenPlace(known, turned, fit, frame, cellPx, locate) : null;
    if (best) {
      const have = new LatticeIndex(joined);
      joined = [...joined, ...withoutKnown(best, joined, cellPx).filter((n) => !have.has(n.row, n.col))];
    } else {
      left.push(piece);
      if (turned) uncertain += unknown.length;
    }
  }
  return { known: joined, left, uncertain };
}

/** What prediction has found already is no other piece. */
function withoutKnown<N extends LatticeNode>(piece: readonly N[], known: readonly LatticeNode[], cellPx: number): N[] {
  const near = cellPx / 3;
  const tile = (x: number, y: number) => Math.floor(x) * 65_536 + Math.floor(y);
  const tiles = new Map<number, LatticeNode[]>();
  for (const k of known) {
    const at = tile(k.x / near, k.y / near);
    tiles.set(at, [...(tiles.get(at) ?? []), k]);
  }
  const beside = [-1, 0, 1].flatMap((dx) => [-1, 0, 1].map((dy) => [dx, dy] as const));
  return piece.filter((n) => !beside.some(([dx, dy]) => tiles.get(tile(n.x / near + dx, n.y / near + dy))?.some((k) => Math.abs(k.x - n.x) < near && Math.abs(k.y - n.y) < near)));
}

/** The piece with its numbers turned as the chart's; null where its cells are not the chart's. */
function alongChart<N extends LatticeNode>(piece: readonly N[], locate: (x: number, y: number) => [number, number] | null): N[] | null {
  const byPlace = new LatticeIndex(piece);
  const step = (dr: number, dc: number): [number, number] | null => {
    const steps = piece.flatMap((n) => {
      const next = piece[byPlace.at(n.row + dr, n.col + dc)];
      const a = next && locate(n.x, n.y);
      const b = next && locate(next.x, next.y);
      return a && b ? [[b[0] - a[0], b[1] - a[1]] as const] : [];
    });
    return steps.length === 0 ? null : [median(steps.map((s) => s[0])), median(steps.map((s) => s[1]))];
  };
  const down = step(1, 0);
  const across = step(0, 1);
  if (!down || !across) return null;
  const whole = [...down, ...across].map(Math.round);
  const off = [...down, ...across].some((v, i) => Math.abs(v - whole[i]) > WHOLE_STEP);
  const [rr, rc, cr, cc] = whole;
  if (off || Math.abs(rr * cc - rc * cr) !== 1) return null;
  return piece.map((n) => ({ ...n, row: rr * n.row + cr * n.col, col: rc * n.row + cc * n.col }));
}

/** The piece where it fits the chart by far best; null where no place does. */
function provenPlace<N extends LatticeNode>(
  known: readonly N[],
  piece: readonly N[],
  fit: LensFit,
  frame: GridFrame,
  cellPx: number,
  locate: (x: number, y: number) => [number, number] | null,
): N[] | null {
  // where the fit reaches farthest it is least to be trusted: the corners nearest to the known ones say where the piece lies
  const knownSample = thinned(known, SAMPLE);
  const edge = piece
    .map((n) => ({ n, px: distancePx(n, knownSample) }))
    .sort((a, b) => a.px - b.px)
    .slice(0, Math.max(4, Math.round(piece.length / 4)))
    .map(({ n }) => n);
  const offsets = edge.flatMap((n) => {
    const at = locate(n.x, n.y);
    return at ? [[at[0] - n.row, at[1] - n.col] as const] : [];
  });
  if (offsets.length === 0) return null;
  const [row0, col0] = [Math.round(median(offsets.map((o) => o[0]))), Math.round(median(offsets.map((o) => o[1])))];
  const tried: { misfitPx: number; piece: N[] }[] = [];
  for (let dr = -FARTHEST_CELLS; dr <= FARTHEST_CELLS; dr += 1) {
    for (let dc = -FARTHEST_CELLS; dc <= FARTHEST_CELLS; dc += 1) {
      const placed = piece.map((n) => ({ ...n, row: n.row + row0 + dr, col: n.col + col0 + dc }));
      tried.push({ misfitPx: misfitTogether(knownSample, thinned(placed, SAMPLE), fit, frame), piece: placed });
    }
  }
  tried.sort((a, b) => a.misfitPx - b.misfitPx);
  const [best, second] = tried;
  return best.misfitPx <= FITTING_SHARE * cellPx && second.misfitPx >= PROVEN_RATIO * best.misfitPx ? best.piece : null;
}

const distancePx = (n: LatticeNode, known: readonly LatticeNode[]): number => known.reduce((nearest, k) => Math.min(nearest, Math.hypot(k.x - n.x, k.y - n.y)), Infinity);

/**
 * The misfit of known corners and a piece's in one fit, px: the radius that most corners keep within, of the known or of the piece, whichever
 * is worse. Few that were measured on what stands before the chart decide nothing, and a small piece cannot hide behind many known ones.
 */
function misfitTogether(known: readonly LatticeNode[], piece: readonly LatticeNode[], fit: LensFit, frame: GridFrame): number {
  const { model, terms } = fit;
  const together = fitLens(toObservations([...known, ...piece]), frame, { model, terms, start: fit, costTolerance: 1e-4 });
  const predict = cornerPredictor(together, frame, 0);
  const radiusPx = (n: LatticeNode): number => {
    const at = predict(n.row, n.col);
    return at ? Math.hypot(at[0] - n.x, at[1] - n.y) : Infinity;
  };
  return Math.max(quantile(known.map(radiusPx), MOST), quantile(piece.map(radiusPx), MOST));
}
