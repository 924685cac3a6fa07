import { DISTORTION_MODELS, LENS_MODELS } from '../lens';
import { hullAreaPx, median, quantile } from '../math';
import type { SmoothedPicture } from '../picture';
import { axisAngle, roomAt, type ChartLook } from '../charts';
import { fitLens, type LensFit, type LensFitOptions } from './fit-lens';
import { toObservations, type GridFrame } from './observation';
import { cornerPredictor } from './predict-corner';
import type { LatticeNode } from './grow-lattice';
import { joinPieces } from './join-pieces';
import { LatticeIndex } from './lattice-index';
import { placeCorners } from './place-corners';
import { refineCorner } from './refine-corner';
import { thinned } from './sample';
import { ALIKE_RAD, patternOf, seenOnCell, verified, withoutFalseRim, type MeasuredNode } from './verify-corners';

/** What became of a numbered lattice when it was measured. */
export interface WholeLattice {
  /** most of it cannot be measured as corners; most of it does not look like a chart; too little is left; or all is well */
  outcome: 'unmeasured' | 'accident' | 'few' | 'whole';
  nodes: LatticeNode[];
  /** of the fit that judged it, px */
  rmsPx: number;
  /** corners behind something across the chart whose place in it is not certain: left out */
  uncertain: number;
}

/**
 * Measures the corners of a numbered lattice, joins the parts of it that something keeps apart, adds those that a first lens fit expects and that are seen, and takes out what does not look
 * as a chart does or lies off the fit.
 */
export function completeLattice(
  fine: SmoothedPicture,
  { nodes, pieces }: { nodes: readonly LatticeNode[]; pieces: readonly (readonly LatticeNode[])[] },
  frame: GridFrame,
  { cellPx, blurPx }: { cellPx: number; blurPx: number },
  look: ChartLook,
  minNodes: number,
  progress: (fraction: number, stage: string) => void,
): WholeLattice {
  const ringPx = Math.min(look.ringPx, look.window(cellPx));
  const refined = refineAll(fine, nodes, cellPx, look, ringPx);
  progress(0.6, 'measuring corners');
  let uncertain = 0;
  const ended = (outcome: WholeLattice['outcome'], left: MeasuredNode[]): WholeLattice => ({ outcome, nodes: left.map(unseen), rmsPx: Number.NaN, uncertain });
  // most of what was numbered cannot be measured as a corner: it was an accident
  if (refined.length < minNodes) return ended(refined.length < nodes.length / 2 ? 'unmeasured' : 'few', refined);
  let known = refined;
  let latest: { fit: LensFit; corners: number } | null = null;
  let share = 0.66;
  const completed = () => {
    // several rounds: the first prediction reaches the border only roughly when the lens is strong
    for (let round = 0; round < COMPLETING_ROUNDS; round += 1) {
      latest = fitForPrediction(known, frame, latest);
      const { fit } = latest;
      const before = known.length;
      known = addPredicted(fine, known, fit, frame, Math.max(fit.sigmaPx, 0.02), look, ringPx);
      // parts that are joined take rounds of their own: it never runs back
      share = Math.min(0.86, share + 0.04);
      progress(share, 'completing the lattice');
      if (known.length - before < 0.002 * before) break;
    }
    return latest!;
  };
  latest = completed();
  let apart = pieces.map((piece) => refineAll(fine, piece, cellPx, look, ringPx));
  while (apart.length > 0) {
    const joined = joinPieces(known, apart, latest.fit, frame);
    ({ uncertain, left: apart } = joined);
    if (joined.known.length === known.length) break;
    known = joined.known;
    latest = completed();
  }
  // beyond a pole may be a line or two, too few to be a piece
  if (hullAreaPx(known) < FILLED_SHARE * frame.widthPx * frame.heightPx) known = addPredicted(fine, known, latest.fit, frame, Math.max(latest.fit.sigmaPx, 0.02), look, ringPx, STEPS_ACROSS);
  // clutter beside the chart was numbered with it: what a chart cannot look like goes, and the fit that judges the rest is made without it
  let real = verified(fine, known, latest.fit, frame, look, ringPx);
  if (real.length < minNodes) return ended(real.length < known.length / 2 ? 'accident' : 'few', real);
  // nothing was added and nothing went: the fit is of the same corners
  let { fit } = real.length === refined.length && known.length === refined.length ? latest : fitForPrediction(real, frame, latest);
  if (real.length < known.length) {
    // a corner may have been measured on clutter beside it: where the better fit expects one it is looked for again
    const again = verified(fine, addPredicted(fine, real, fit, frame, Math.max(fit.sigmaPx, 0.02), look, ringPx), fit, frame, look, ringPx);
    if (again.length > real.length) {
      real = again;
      ({ fit } = fitForPrediction(real, frame, latest));
    }
  }
  const usual = median(real.map((n) => n.contrast));
  // noise moves a faint corner more than a strong one
  const limitOf = (n: MeasuredNode): number => 6 * Math.max(fit.sigmaPx, 0.02) * Math.max(1, usual / Math.max(n.contrast, 1));
  const expected = patternOf(real, fit, frame, look);
  const predict = cornerPredictor(fit, frame, 0);
  const kept = real.filter((n) => {
    const at = predict(n.row, n.col);
    if (at === null) return false;
    const limit = limitOf(n);
    if (Math.hypot(at[0] - n.x, at[1] - n.y) <= limit) return true;
    // an occluder's edge inside the window drags it: what is seen nearer to the corner may be good
    const again = { x: at[0], y: at[1] };
    if (!refineCorner(fine, again, Math.max(MIN_WINDOW_PX, look.window(cellPx) / 2), limit)) return false;
    const seen = look.test(fine, again.x, again.y, look.ringPx, 0.2 * n.contrast);
    const angle = expected?.angle(n.row, n.col) ?? null;
    if (!seen || (angle !== null && axisAngle(seen.brightRad, angle) > ALIKE_RAD)) return false;
    n.x = again.x;
    n.y = again.y;
    return true;
  });
  const whole = look.chart.alternates ? withoutFalseRim(fine, kept, fit, frame) : kept;
  placeCorners(fine.source, whole, fit, frame, blurPx, look.chart);
  return { outcome: whole.length < minNodes ? 'few' : 'whole', nodes: whole.map(unseen), rmsPx: fit.rmsPx, uncertain };
}

const unseen = ({ row, col, x, y, contrast }: MeasuredNode): LatticeNode => ({ row, col, x, y, contrast });

const COMPLETING_ROUNDS = 4;
/** A lattice that encloses so much of the frame has nothing beyond it. */
const FILLED_SHARE = 0.96;
/** A clean plate of a lens that the plain model describes stays below this; above it the others are asked too. */
const PLAIN_RMS_PX = 0.08;
/** By how much another model must come nearer than the plain one. */
const NEARER_SHARE = 0.1;

/** A prediction good to a fraction of the corners' own noise needs no more of them. */
const PREDICTING_CORNERS = 200;
/** A prediction need not rest: unknowns that the plate hardly tells apart go on drifting for a dozen steps without moving a corner. */
const PREDICTING_TOLERANCE = 1e-4;

/** With so many more corners the choice of a model is made again. */
const ASK_AGAIN_SHARE = 1.15;

/**
 * A fit that only has to say where corners are: radial where that will do, else the one of the others that comes nearest. The choice costs
 * four fits; it holds while the corners stay about as many, and then only its numbers are fitted again.
 */
function fitForPrediction(known: readonly LatticeNode[], frame: GridFrame, before: { fit: LensFit; corners: number } | null): { fit: LensFit; corners: number } {
  const sample = toObservations(thinned(known, PREDICTING_CORNERS));
  const fitted = (options: LensFitOptions) => fitLens(sample, frame, { ...options, costTolerance: PREDICTING_TOLERANCE });
  if (before && known.length <= ASK_AGAIN_SHARE * before.corners) {
    const { model, terms } = before.fit;
    return { fit: fitted({ model, terms, start: before.fit }), corners: before.corners };
  }
  const chosen = (fit: LensFit) => ({ fit, corners: known.length });
  const plain = fitted({ terms: ['k2', 'center', 'focalRatio'] });
  if (rmsOfAll(plain) <= PLAIN_RMS_PX) return chosen(plain);
  const others = DISTORTION_MODELS.flatMap((model): LensFit[] => {
    const { foretells: terms } = LENS_MODELS[model];
    return terms ? [fitted({ model, terms, ...(model === plain.model ? { start: plain } : {}) })] : [];
  });
  const nearest = others.reduce((best, fit) => (rmsOfAll(fit) < rmsOfAll(best) ? fit : best));
  return chosen(rmsOfAll(nearest) < (1 - NEARER_SHARE) * rmsOfAll(plain) ? nearest : plain);
}

/** Clutter that was numbered with a chart is less of it than this; a fit that leaves more out does not describe the lens. */
const CLUTTER_SHARE = 0.15;
/** Of the rms of a Gaussian's radii, the radius that 85 % of them keep within: √(−2 ln 0.15) for √2. */
const RADIUS_OF_RMS = Math.sqrt(-Math.log(CLUTTER_SHARE));

/** The scatter of all corners, told by the one that 85 % keep within: a fit must neither win by leaving corners out nor by bending to clutter. */
function rmsOfAll(fit: LensFit): number {
  const radii = Array.from(fit.used, (_, i) => Math.hypot(fit.residuals[2 * i], fit.residuals[2 * i + 1]));
  return quantile(radii, 1 - CLUTTER_SHARE) / RADIUS_OF_RMS;
}

/** Share of the picture under windows from which on it is smoothed in bands. */
const BANDS_SHARE = 0.25;

const MIN_WINDOW_PX = 3;

/** The ways from a corner to its neighbours, px: to the right and to the left, down and up; NaN where no neighbour is known. */
const waysX = new Float64Array(4);
const waysY = new Float64Array(4);
const NEIGHBOURS = [
  [0, 1],
  [0, -1],
  [1, 0],
  [-1, 0],
] as const;

/**
 * How far the nearest other edge of the chart is from the corner whose ways were written, px: the cells' narrower width, which in a cell seen at a
 * slant is less than either of its sides. A window that reaches beyond it is dragged by that edge. Infinite where no neighbour is known.
 */
function nearestEdgePx(): number {
  let nearest = Infinity;
  for (let i = 0; i < 4; i += 1) {
    const side = Math.sqrt(waysX[i] * waysX[i] + waysY[i] * waysY[i]);
    if (side < nearest) nearest = side;
  }
  for (let beside = 0; beside < 2; beside += 1) {
    const ux = waysX[beside];
    const uy = waysY[beside];
    const across = ux * ux + uy * uy;
    for (let beyond = 2; beyond < 4; beyond += 1) {
      const vx = waysX[beyond];
      const vy = waysY[beyond];
      const width = Math.abs(ux * vy - uy * vx) / Math.sqrt(Math.max(across, vx * vx + vy * vy));
      // false with a neighbour that is not known
      if (width < nearest) nearest = width;
    }
  }
  return nearest;
}

/** With the whole window, else with half of it: beside an occlusion or a smear the near pixels may still be good. */
function refineWithin(fine: SmoothedPicture, corner: { x: number; y: number }, windowPx: number, maxShiftPx: number, flat: boolean): boolean {
  if (windowPx < MIN_WINDOW_PX) return false;
  return refineCorner(fine, corner, windowPx, maxShiftPx, flat) || (windowPx >= 2 * MIN_WINDOW_PX && refineCorner(fine, corner, windowPx / 2, maxShiftPx, flat));
}

function refineAll(fine: SmoothedPicture, nodes: readonly LatticeNode[], cellPx: number, look: ChartLook, ringPx: number): MeasuredNode[] {
  const byPlace = new LatticeIndex(nodes);
  const out: MeasuredNode[] = [];
  // from above downwards, in bands, where the windows together are much of the picture
  const windowPx = look.window(cellPx);
  const inBands = nodes.length * (2 * windowPx) ** 2 > BANDS_SHARE * fine.widthPx * fine.heightPx;
  // else line by line: neighbours share the rows of pixels that were read last
  const ordered = [...nodes].sort(inBands ? (a, b) => a.y - b.y : (a, b) => a.row - b.row || a.col - b.col);
  for (const n of ordered) {
    if (inBands) fine.holdBand(n.y - windowPx - 3, n.y + windowPx + 3);
    for (let i = 0; i < 4; i += 1) {
      const at = byPlace.at(n.row + NEIGHBOURS[i][0], n.col + NEIGHBOURS[i][1]);
      waysX[i] = at < 0 ? Number.NaN : nodes[at].x - n.x;
      waysY[i] = at < 0 ? Number.NaN : nodes[at].y - n.y;
    }
    const local = nearestEdgePx();
    const cell = Number.isFinite(local) ? local : cellPx;
    const place = { x: n.x, y: n.y };
    // looked at while its neighbourhood is at hand
    if (!refineWithin(fine, place, look.window(cell), 0.3 * cell, look.flat)) continue;
    const { x, y } = place;
    out.push({ row: n.row, col: n.col, x, y, contrast: n.contrast, seen: look.test(fine, x, y, ringPx, 0) });
  }
  return out;
}

/** Measures the corners that the fit expects inside the frame and that are not known yet; keeps those that look like corners. */
function addPredicted(fine: SmoothedPicture, known: MeasuredNode[], fit: LensFit, frame: GridFrame, sigmaPx: number, look: ChartLook, ringPx: number, mostSteps = STEPS_BEYOND): MeasuredNode[] {
  // known, or looked at
  const have = new LatticeIndex(known);
  const contrast = median(known.map((n) => n.contrast));
  const expected = patternOf(known, fit, frame, look);
  const predict = cornerPredictor(fit, frame, 0);
  const added: MeasuredNode[] = [];
  const queue: MeasuredNode[] = [...known];
  /** how many steps a place is from the last corner that is known */
  const steps = new Map<MeasuredNode, number>();
  for (let head = 0; head < queue.length; head += 1) {
    const n = queue[head];
    const beyond = (steps.get(n) ?? 0) + 1;
    for (const [dr, dc] of NEIGHBOURS) {
      const row = n.row + dr;
      const col = n.col + dc;
      if (have.has(row, col)) continue;
      have.set(row, col, queue.length);
      const at = predict(row, col);
      // what a step leads to may lie outside; inside it is looked at
      if (!at || at[0] < 2 || at[1] < 2 || at[0] > frame.widthPx - 2 || at[1] > frame.heightPx - 2) continue;
      const step = Math.hypot(at[0] - n.x, at[1] - n.y);
      if (step < 4 || step > frame.widthPx / 4) continue;
      const node: MeasuredNode = { row, col, x: at[0], y: at[1], contrast: 0, seen: null };
      // the nearest neighbour decides: a fisheye's cells are several times as long as wide
      for (let i = 0; i < 4; i += 1) {
        const beside = predict(row + NEIGHBOURS[i][0], col + NEIGHBOURS[i][1]);
        waysX[i] = beside ? beside[0] - at[0] : Number.NaN;
        waysY[i] = beside ? beside[1] - at[1] : Number.NaN;
      }
      const window = look.window(Math.min(step, nearestEdgePx()));
      const room = Math.min(window, roomAt(fine, at[0], at[1]));
      const ring = room >= MIN_WINDOW_PX ? look.test(fine, at[0], at[1], room, 0.2 * contrast) : null;
      const angle = expected?.angle(row, col) ?? null;
      const round = ring && (angle === null || axisAngle(ring.brightRad, angle) < ALIKE_RAD) ? ring : null;
      const fits = round ?? (room >= MIN_WINDOW_PX ? seenOnCell(fine, node, expected, look) : null);
      if (fits && fits.contrast >= 0.2 * contrast && refineWithin(fine, node, window, Math.max(0.15 * step, 3 * sigmaPx), look.flat)) {
        node.contrast = fits.contrast;
        node.seen = look.test(fine, node.x, node.y, ringPx, 0);
        added.push(node);
        queue.push(node);
      } else if (beyond < mostSteps) {
        steps.set(node, beyond);
        queue.push(node);
      }
    }
  }
  return [...known, ...added];
}
/** Steps from a known corner at which others are looked for: round the dirt on a chart, or over what stands across it. */
const STEPS_BEYOND = 4;
const STEPS_ACROSS = 14;
