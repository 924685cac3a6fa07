import { hullAreaPx, median } from '../math';
import type { DistortionModel } from '../distortion';
import { fitLens, predictCorner, type GridFrame, type GridObservation, type LensFit } from './fit-lens';
import { halve, smooth, type GrayImage } from '../picture';
import { crossTest, findCrossings, invert } from './crossing';
import { axisAngle, growLattice, orientToPicture, type ChartKind, type LatticeNode } from './grow-lattice';
import { refineCorner } from './refine-corner';
import { findSaddles, ringTest } from './saddle';
import { selectModel, type ModelChoice } from './select-model';
import { thinned } from './select-terms';
import { blurByZone, edgeBlurPx, sharpnessOf, type BlurZone } from './sharpness';
import { ALIKE_RAD, MIN_TOUCHED, patternOf, roomAt, verified, withoutFalseRim, type ChartLook } from './verify-corners';
import { traceLattice, type LatticeStart } from './trace-lattice';

export type PlateRefusal = 'no-chart' | 'blurred' | 'too-few-corners' | 'misfit';

export interface PlateLattice {
  status: 'found' | 'refused';
  reason?: PlateRefusal;
  /** the refusal in words for the person who took the picture */
  message?: string;
  nodes: LatticeNode[];
  rows: number;
  cols: number;
  /** share of the frame inside the hull of the lattice */
  coverage: number;
  blurPx: number;
  sharpness: number;
  /** median step between neighbouring corners, px */
  cellPx: number;
  /** a raster of 3 × 3 over the frame, row by row */
  zones: BlurZone[];
}

export interface DetectOptions {
  /** chequered, or ruled with thin lines (dark on light or light on dark, found out by itself); default chequer */
  chart?: ChartKind;
  /** where a person touched the chart: the search begins there and takes nothing from the automatic one */
  start?: LatticeStart | null;
  /** places of corners that a person took out, px: what is found within a quarter of a cell of one is left out */
  dropped?: readonly { x: number; y: number }[];
  /** 0…1 with what is being done; throw CancelledError inside to stop */
  onProgress?: (fraction: number, stage: string) => void;
}

const SMOOTHING_PX = 1.2;
/** Blur against cell above which an edge no longer has a flat part to measure from. */
const MAX_BLUR_OF_CELL = 0.22;
/** Blur in px above which a plate is not worth fitting: corners would be good to a few tenths of a pixel at best. */
const MAX_BLUR_PX = 5;
/** Above this blur, corners that cannot be measured are the blur's fault. */
const NOTABLE_BLUR_PX = 2.5;
/** A misfit beyond this share of the cell is not a bent chart but an accidental arrangement of spots. */
const ACCIDENTAL_SHARE = 0.04;

const CHEQUER_RING_PX = 4;
const CHEQUER: ChartLook = {
  chart: 'chequer',
  ringPx: CHEQUER_RING_PX,
  test: (image, x, y, windowPx, minContrast) => ringTest(image, x, y, Math.min(CHEQUER_RING_PX, windowPx), minContrast, 0.55),
  // the next parallel edge is a cell away: up to nine tenths of it less a pixel keeps it outside. Half a cell lost a third of the precision
  // at 20 px and three quarters at 11 px; beyond 14 px little is won
  window: (cellPx) => Math.min(14, Math.max(3, 0.9 * cellPx - 1)),
};
/** Ring and window must reach beyond the lines: both grow with the level at which the lines were thin enough to be found. */
const ruledLook = (ringPx: number): ChartLook => ({
  chart: 'ruled',
  ringPx,
  test: (image, x, y, windowPx, minContrast) => crossTest(image, x, y, Math.min(ringPx, windowPx), minContrast),
  // thin lines carry little per pixel: more of their length is needed than of an edge
  window: (cellPx) => Math.min(Math.max(16, 2 * ringPx), Math.max(3, 0.6 * cellPx - 2)),
});
const RULED_RING_PX = 5;
/** Lattices of less are chance. */
export const MIN_NODES = 20;

/**
 * Finds the lattice of a chart in a picture. The chart may be larger than the frame.
 * Saddles (or crossings of lines) → ring test → lattice from the inside → sub-pixel corners with a window that follows the local cell → a
 * first lens fit predicts the corners that were missed (borders, behind an occlusion), each measured afresh and kept only when it looks
 * like one. The focal lengths in `frame` only give the fit its scale.
 */
export function detectChart(image: GrayImage, frame: GridFrame, options: DetectOptions = {}): PlateLattice {
  const progress = options.onProgress ?? (() => undefined);
  const chart = options.chart ?? 'chequer';
  progress(0, 'finding corners');
  // lines may be light: the picture that shows more of a lattice is the one
  const pictures = chart === 'ruled' ? [image, invert(image)] : [image];
  if (options.start) return fromTouch(image, pictures, frame, options.start, chart, progress);
  for (let level = 0; level < LEVELS; level += 1) {
    const best = searchLattice(pictures, chart, level, () => progress(0.25, 'finding corners'));
    progress(0.45, 'numbering the lattice');
    if (!best || best.nodes.length < MIN_NODES) continue;
    const blurPx = edgeBlurPx(image, best.nodes);
    const cellPx = medianCell(best.nodes);
    if (blurPx > MAX_BLUR_PX || blurPx > MAX_BLUR_OF_CELL * cellPx) return blurred(best.nodes, image, blurPx, cellPx);
    const fine = level === 0 ? best.smoothed : smooth(best.picture, SMOOTHING_PX);
    return complete(image, fine, best.nodes, frame, blurPx, cellPx, chart === 'ruled' ? ruledLook(RULED_RING_PX * 2 ** level) : CHEQUER, progress);
  }
  return noChart(chart);
}

/** Full size, half, a quarter: wide lines and soft edges look like corners from further away. */
const LEVELS = 3;

/** The largest lattice of one of the pictures at one level, in pixels of the whole picture; null when the level is too small to look at. */
export function searchLattice(
  pictures: readonly GrayImage[],
  chart: ChartKind,
  level: number,
  onStep: () => void = () => undefined,
): { nodes: LatticeNode[]; picture: GrayImage; smoothed: GrayImage } | null {
  const factor = 2 ** level;
  if (Math.min(pictures[0].widthPx, pictures[0].heightPx) / factor < 64) return null;
  let best: { nodes: LatticeNode[]; picture: GrayImage; smoothed: GrayImage } | null = null;
  for (const picture of pictures) {
    let scaled = picture;
    for (let l = 0; l < level; l += 1) scaled = halve(scaled);
    const smoothed = smooth(scaled, SMOOTHING_PX);
    onStep();
    const nodes = growLattice(chart === 'ruled' ? findCrossings(smoothed, RULED_RING_PX) : findSaddles(smoothed, 4), scaled.widthPx, scaled.heightPx, chart);
    if (!best || nodes.length > best.nodes.length) best = { nodes, picture, smoothed };
  }
  return best && factor > 1 ? { ...best, nodes: best.nodes.map((n) => ({ ...n, x: n.x * factor, y: n.y * factor })) } : best;
}

/** Where a finger points, a faint chart counts: the grey levels that a corner must show. */
const TOUCHED_CONTRAST = 1;

function fromTouch(image: GrayImage, pictures: readonly GrayImage[], frame: GridFrame, start: LatticeStart, chart: ChartKind, progress: (f: number, s: string) => void): PlateLattice {
  let best: { nodes: LatticeNode[]; fine: GrayImage } | null = null;
  const look = chart === 'ruled' ? ruledLook(RULED_RING_PX) : CHEQUER;
  for (const picture of pictures) {
    const fine = smooth(picture, SMOOTHING_PX);
    const nodes = traceLattice(fine, start, (x, y, windowPx) => look.test(fine, x, y, windowPx, TOUCHED_CONTRAST), look.window);
    if (!best || nodes.length > best.nodes.length) best = { nodes, fine };
  }
  progress(0.45, 'numbering the lattice');
  const nodes = orientToPicture(best!.nodes);
  if (nodes.length < MIN_TOUCHED) {
    const message =
      nodes.length === 0
        ? 'No corner under the touch: touch a cell corner and its neighbour again, zoomed in.'
        : `From the touched corner only ${nodes.length} corners could be followed; at least ${MIN_TOUCHED} are needed. Try another corner.`;
    return { ...noChart(chart), nodes, message };
  }
  return complete(image, best!.fine, nodes, frame, edgeBlurPx(image, nodes), medianCell(nodes), look, progress, MIN_TOUCHED);
}

function noChart(chart: ChartKind): PlateLattice {
  return {
    status: 'refused',
    reason: 'no-chart',
    nodes: [],
    rows: 0,
    cols: 0,
    coverage: 0,
    blurPx: Number.NaN,
    sharpness: 0,
    cellPx: Number.NaN,
    zones: [],
    message: `No chart: the picture holds no ${chart === 'ruled' ? 'ruled lines with' : 'chequer of'} at least ${MIN_NODES} connected ${chart === 'ruled' ? 'crossings' : 'corners'}. Fill the frame with the chart, in focus and evenly lit.`,
  };
}

function blurred(nodes: LatticeNode[], image: GrayImage, blurPx: number, cellPx: number): PlateLattice {
  return {
    ...describe(nodes, image, blurPx, cellPx),
    status: 'refused',
    reason: 'blurred',
    message: `Blurred: edges are spread over ${(2.56 * blurPx).toFixed(0)} px, with cells of ${cellPx.toFixed(0)} px. Focus on the chart, hold the camera still and shoot again.`,
  };
}

function complete(
  image: GrayImage,
  fine: GrayImage,
  nodes: LatticeNode[],
  frame: GridFrame,
  blurPx: number,
  cellPx: number,
  look: ChartLook,
  progress: (f: number, s: string) => void,
  minNodes = MIN_NODES,
): PlateLattice {
  const refined = refineAll(fine, nodes, cellPx, look);
  progress(0.6, 'measuring corners');
  // most of what was numbered cannot be measured as a corner: it was an accident
  if (refined.length < minNodes) return refined.length < nodes.length / 2 && blurPx <= NOTABLE_BLUR_PX ? noChart(look.chart) : tooFew(refined, image, blurPx, cellPx);
  let known = refined;
  let latest: { fit: LensFit; corners: number } | null = null;
  // several rounds: the first prediction reaches the border only roughly when the lens is strong
  for (let round = 0; round < COMPLETING_ROUNDS; round += 1) {
    latest = fitForPrediction(known, frame, latest);
    const { fit } = latest;
    const before = known.length;
    known = addPredicted(fine, known, fit, frame, Math.max(fit.sigmaPx, 0.02), look);
    progress(0.7 + 0.04 * round, 'completing the lattice');
    if (known.length - before < 0.002 * before) break;
  }
  // clutter beside the chart was numbered with it: what a chart cannot look like goes, and the fit that judges the rest is made without it
  const real = verified(fine, known, latest!.fit, frame, look, cellPx);
  if (real.length < minNodes) return real.length < known.length / 2 ? noChart(look.chart) : tooFew(real, image, blurPx, cellPx);
  const { fit } = fitForPrediction(real, frame, latest);
  const limit = 6 * Math.max(fit.sigmaPx, 0.02);
  const expected = patternOf(fine, real, fit, frame, look);
  const kept = real.filter((n) => {
    const at = predictCorner(fit, frame, 0, n.row, n.col);
    if (at === null) return false;
    if (Math.hypot(at[0] - n.x, at[1] - n.y) <= limit) return true;
    // an occluder's edge inside the window drags it: what is seen nearer to the corner may be good
    const again = { x: at[0], y: at[1] };
    if (!refineCorner(fine, again, Math.max(MIN_WINDOW_PX, look.window(cellPx) / 2), limit)) return false;
    const seen = look.test(fine, again.x, again.y, look.ringPx, 0.2 * n.contrast);
    const angle = expected?.(n.row, n.col) ?? null;
    if (!seen || (angle !== null && axisAngle(seen.brightRad, angle) > ALIKE_RAD)) return false;
    n.x = again.x;
    n.y = again.y;
    return true;
  });
  const whole = look.chart === 'chequer' ? withoutFalseRim(fine, kept, fit, frame) : kept;
  if (whole.length < minNodes) return tooFew(whole, image, blurPx, cellPx);
  if (fit.rmsPx > Math.max(0.5, ACCIDENTAL_SHARE * cellPx)) return noChart(look.chart);
  if (fit.rmsPx > Math.max(0.5, 0.02 * cellPx)) {
    return {
      ...describe(whole, image, blurPx, cellPx),
      status: 'refused',
      reason: 'misfit',
      message: `No flat chart: the corners miss a chart seen through a lens by ${fit.rmsPx.toFixed(1)} px. Use a flat, rigid chart with square cells.`,
    };
  }
  return describe(whole, image, blurPx, cellPx);
}

const COMPLETING_ROUNDS = 4;
/** A clean plate of a lens that the plain model describes stays below this; above it the others are asked too. */
const PLAIN_RMS_PX = 0.08;
/** By how much another model must come nearer than the plain one. */
const NEARER_SHARE = 0.1;

/** With so many more corners the choice of a model is made again. */
const ASK_AGAIN_SHARE = 1.15;

/**
 * A fit that only has to say where corners are: radial where that will do, else the one of the others that comes nearest. The choice costs
 * four fits; it holds while the corners stay about as many, and then only its numbers are fitted again.
 */
function fitForPrediction(known: readonly LatticeNode[], frame: GridFrame, before: { fit: LensFit; corners: number } | null): { fit: LensFit; corners: number } {
  const sample = toObservations(thinned(known, 1200));
  if (before && known.length <= ASK_AGAIN_SHARE * before.corners) {
    const { model, terms } = before.fit;
    return { fit: fitLens(sample, frame, { model, terms, start: before.fit }), corners: before.corners };
  }
  const chosen = (fit: LensFit) => ({ fit, corners: known.length });
  const plain = fitLens(sample, frame, { terms: ['k2', 'center', 'focalRatio'] });
  if (rmsOfAll(plain) <= PLAIN_RMS_PX) return chosen(plain);
  const others: LensFit[] = [
    fitLens(sample, frame, { model: 'anamorphic', terms: ['aspect', 'quartic', 'rotation', 'center'] }),
    fitLens(sample, frame, { model: 'fisheye', terms: ['k2', 'k3', 'k4', 'center', 'focalRatio'] }),
    fitLens(sample, frame, { terms: ['k2', 'k3', 'center', 'focalRatio'], start: plain }),
  ];
  const nearest = others.reduce((best, fit) => (rmsOfAll(fit) < rmsOfAll(best) ? fit : best));
  return chosen(rmsOfAll(nearest) < (1 - NEARER_SHARE) * rmsOfAll(plain) ? nearest : plain);
}

/** Over all corners, each counted up to 3 px: a fit must not win by leaving corners out. */
function rmsOfAll(fit: LensFit): number {
  let sum = 0;
  for (let i = 0; i < fit.used.length; i += 1) {
    const square = fit.residuals[2 * i] ** 2 + fit.residuals[2 * i + 1] ** 2;
    sum += square < 9 ? square : 9;
  }
  return Math.sqrt(sum / fit.used.length);
}

function tooFew(nodes: LatticeNode[], image: GrayImage, blurPx: number, cellPx: number): PlateLattice {
  if (blurPx > NOTABLE_BLUR_PX) return blurred(nodes, image, blurPx, cellPx);
  return {
    ...describe(nodes, image, blurPx, cellPx),
    status: 'refused',
    reason: 'too-few-corners',
    message: `Only ${nodes.length} corners could be measured; at least 20 are needed. Fill the frame with the chart.`,
  };
}

function describe(nodes: LatticeNode[], image: GrayImage, blurPx: number, cellPx: number): PlateLattice {
  let rows = 0,
    cols = 0;
  let minRow = Infinity,
    minCol = Infinity;
  for (const n of nodes) {
    minRow = Math.min(minRow, n.row);
    minCol = Math.min(minCol, n.col);
  }
  const shifted = nodes.map((n) => ({ ...n, row: n.row - minRow, col: n.col - minCol }));
  for (const n of shifted) {
    rows = Math.max(rows, n.row + 1);
    cols = Math.max(cols, n.col + 1);
  }
  shifted.sort((a, b) => a.row - b.row || a.col - b.col);
  return {
    status: 'found',
    nodes: shifted,
    rows,
    cols,
    blurPx,
    sharpness: sharpnessOf(blurPx),
    cellPx,
    zones: blurByZone(image, shifted),
    coverage: hullAreaPx(shifted) / (image.widthPx * image.heightPx),
  };
}

export const toObservations = (nodes: readonly LatticeNode[], plate = 0): GridObservation[] => nodes.map((n) => ({ plate, row: n.row, col: n.col, x: n.x, y: n.y }));

function medianCell(nodes: readonly LatticeNode[]): number {
  const byPlace = new Map(nodes.map((n) => [n.row * 65536 + n.col, n]));
  const steps: number[] = [];
  for (const n of nodes) {
    const right = byPlace.get(n.row * 65536 + n.col + 1);
    const below = byPlace.get((n.row + 1) * 65536 + n.col);
    if (right) steps.push(Math.hypot(right.x - n.x, right.y - n.y));
    if (below) steps.push(Math.hypot(below.x - n.x, below.y - n.y));
  }
  return median(steps);
}

const STEPS = [
  [0, 1],
  [0, -1],
  [1, 0],
  [-1, 0],
] as const;
const MIN_WINDOW_PX = 3;

/** With the whole window, else with half of it: beside an occlusion or a smear the near pixels may still be good. */
function refineWithin(image: GrayImage, corner: { x: number; y: number }, windowPx: number, maxShiftPx: number): boolean {
  if (windowPx < MIN_WINDOW_PX) return false;
  return refineCorner(image, corner, windowPx, maxShiftPx) || (windowPx >= 2 * MIN_WINDOW_PX && refineCorner(image, corner, windowPx / 2, maxShiftPx));
}

function refineAll(fine: GrayImage, nodes: readonly LatticeNode[], cellPx: number, look: ChartLook): LatticeNode[] {
  const byPlace = new Map(nodes.map((n) => [n.row * 65536 + n.col, n]));
  const out: LatticeNode[] = [];
  for (const n of nodes) {
    let local = Infinity;
    for (const [dr, dc] of STEPS) {
      const other = byPlace.get((n.row + dr) * 65536 + n.col + dc);
      if (other) local = Math.min(local, Math.hypot(other.x - n.x, other.y - n.y));
    }
    const cell = Number.isFinite(local) ? local : cellPx;
    const moved = { ...n };
    if (refineWithin(fine, moved, look.window(cell), 0.3 * cell)) out.push(moved);
  }
  return out;
}

/** Measures the corners that the fit expects inside the frame and that are not known yet; keeps those that look like corners. */
function addPredicted(fine: GrayImage, known: LatticeNode[], fit: LensFit, frame: GridFrame, sigmaPx: number, look: ChartLook): LatticeNode[] {
  const place = (row: number, col: number) => row * 1_000_003 + col;
  const have = new Map(known.map((n) => [place(n.row, n.col), n]));
  const contrast = median(known.map((n) => n.contrast));
  const expected = patternOf(fine, known, fit, frame, look);
  const added: LatticeNode[] = [];
  const queue = [...known];
  const asked = new Set<number>();
  for (let head = 0; head < queue.length; head += 1) {
    const n = queue[head];
    for (const [dr, dc] of STEPS) {
      const row = n.row + dr;
      const col = n.col + dc;
      const k = place(row, col);
      if (have.has(k) || asked.has(k)) continue;
      asked.add(k);
      const at = predictCorner(fit, frame, 0, row, col);
      if (!at || at[0] < 2 || at[1] < 2 || at[0] > frame.widthPx - 2 || at[1] > frame.heightPx - 2) continue;
      const step = Math.hypot(at[0] - n.x, at[1] - n.y);
      if (step < 4 || step > frame.widthPx / 4) continue;
      const node: LatticeNode = { row, col, x: at[0], y: at[1], contrast: 0 };
      // the nearest neighbour decides: a fisheye's cells are several times as long as wide
      const window = look.window(Math.min(step, nearestNeighbourPx(row, col, at)));
      const room = Math.min(window, roomAt(fine, at[0], at[1]));
      const ring = room >= MIN_WINDOW_PX ? look.test(fine, at[0], at[1], room, 0.2 * contrast) : null;
      const angle = expected?.(row, col) ?? null;
      const fits = ring && (angle === null || axisAngle(ring.brightRad, angle) < ALIKE_RAD);
      if (fits && refineWithin(fine, node, window, Math.max(0.15 * step, 3 * sigmaPx))) {
        node.contrast = ring.contrast;
        added.push(node);
        have.set(k, node);
        queue.push(node);
      } else if (headroom(row, col, have)) queue.push(node); // look on behind an occlusion, two cells at most
    }
  }
  return [...known, ...added];

  function nearestNeighbourPx(row: number, col: number, at: readonly [number, number]): number {
    let nearest = Infinity;
    for (const [dr, dc] of STEPS) {
      const q = predictCorner(fit, frame, 0, row + dr, col + dc);
      if (q) nearest = Math.min(nearest, Math.hypot(q[0] - at[0], q[1] - at[1]));
    }
    return nearest;
  }
  function headroom(row: number, col: number, map: Map<number, LatticeNode>): boolean {
    for (let dr = -OCCLUSION_REACH; dr <= OCCLUSION_REACH; dr += 1) for (let dc = -OCCLUSION_REACH; dc <= OCCLUSION_REACH; dc += 1) if (map.has(place(row + dr, col + dc))) return true;
    return false;
  }
}
const OCCLUSION_REACH = 2;

export interface PlateAnalysis extends PlateLattice {
  fit: LensFit | null;
  choice: ModelChoice | null;
}

/** Lattice and lens fit of one plate, the whole of what a single picture can tell. */
export function analysePlate(image: GrayImage, frame: GridFrame, options: DetectOptions & { model?: DistortionModel | 'auto' } = {}): PlateAnalysis {
  const found = detectChart(image, frame, options);
  const lattice = options.dropped?.length && found.status === 'found' ? withoutDropped(found, options.dropped, frame) : found;
  if (lattice.status === 'refused') return { ...lattice, fit: null, choice: null };
  options.onProgress?.(0.88, 'fitting the lens');
  const choice = selectModel(toObservations(lattice.nodes), frame, options.model ?? 'radial');
  options.onProgress?.(1, 'done');
  return { ...lattice, fit: choice.fit, choice };
}

/** The lattice without the corners that a person took out; refused when too few are left. */
export function withoutDropped(lattice: PlateLattice, dropped: readonly { x: number; y: number }[], frame: { widthPx: number; heightPx: number }): PlateLattice {
  const reach = 0.25 * lattice.cellPx;
  const nodes = lattice.nodes.filter((n) => !dropped.some((d) => Math.abs(d.x - n.x) <= reach && Math.hypot(d.x - n.x, d.y - n.y) <= reach));
  if (nodes.length === lattice.nodes.length) return lattice;
  const left = { ...lattice, nodes, coverage: nodes.length < 3 ? 0 : hullAreaPx(nodes) / (frame.widthPx * frame.heightPx) };
  return nodes.length >= MIN_TOUCHED
    ? left
    : { ...left, status: 'refused', reason: 'too-few-corners', message: `Only ${nodes.length} corners are left; at least ${MIN_TOUCHED} are needed. Take some back.` };
}
