import { hullAreaPx } from '../math';
import type { DistortionModel } from '../lens';
import { SmoothedPicture, type GrayImage } from '../picture';
import { CHARTS, type Chart, type ChartKind, type ChartLook } from '../charts';
import { completeLattice } from './complete-lattice';
import type { LensFit } from './fit-lens';
import { toObservations, type GridFrame } from './observation';
import { medianCellPx, orientToPicture, type LatticeNode } from './grow-lattice';
import { LEVELS, MIN_NODES, searchFromAfar, searchLattice, type FoundLattice } from './search-lattice';
import { selectModel, type ModelChoice } from './select-model';
import { blurByZone, edgeBlurPx, sharpnessOf, type BlurZone } from './sharpness';
import { traceLattice, type LatticeStart } from './trace-lattice';
import { MIN_TOUCHED } from './verify-corners';

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
  /** corners that are seen beyond something across the chart and are left out, since their place in it is not certain */
  uncertain: number;
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

/** Blur against cell above which an edge no longer has a flat part to measure from. */
const MAX_BLUR_OF_CELL = 0.22;
/** Blur in px above which a plate is not worth fitting: corners would be good to a few tenths of a pixel at best. */
const MAX_BLUR_PX = 5;
/** Above this blur, corners that cannot be measured are the blur's fault. */
const NOTABLE_BLUR_PX = 2.5;
/** A misfit beyond this share of the cell is not a bent chart but an accidental arrangement of spots. */
const ACCIDENTAL_SHARE = 0.04;

/** What was numbered from afar must be there at full size too: so much of it, else the whole picture is searched. */
const MEASURED_SHARE = 0.9;

/**
 * Finds the lattice of a chart in a picture. The chart may be larger than the frame.
 * From afar first, where large cells are found in a sixteenth of the pixels; else in the whole picture:
 * Saddles (or crossings of lines) → ring test → lattice from the inside → sub-pixel corners with a window that follows the local cell → a
 * first lens fit predicts the corners that were missed (borders, behind an occlusion), each measured afresh and kept only when it looks
 * like one. The focal lengths in `frame` only give the fit its scale.
 */
export function detectChart(image: GrayImage, frame: GridFrame, options: DetectOptions = {}): PlateLattice {
  const progress = options.onProgress ?? (() => undefined);
  const chart = CHARTS[options.chart ?? 'chequer'];
  progress(0, 'finding corners');
  const pictures = chart.pictures(image);
  if (options.start) return fromTouch(image, pictures, frame, options.start, chart, progress);
  const judge = (found: FoundLattice, level: number): PlateLattice => {
    progress(0.45, 'numbering the lattice');
    const blurPx = edgeBlurPx(image, found.nodes);
    const cellPx = medianCellPx(found.nodes);
    if (blurPx > MAX_BLUR_PX || blurPx > MAX_BLUR_OF_CELL * cellPx) return blurred(found.nodes, image, blurPx, cellPx);
    const look = chart.look(cellPx, level);
    return complete(image, found.fine.by(look.smoothingPx), found, frame, blurPx, cellPx, look, progress);
  };
  if (chart.alternates) {
    const afar = searchFromAfar(image);
    const whole = afar ? judge(afar, 0) : null;
    if (afar && whole?.status === 'found' && whole.nodes.length >= MEASURED_SHARE * afar.nodes.length) return whole;
  }
  for (let level = 0; level < LEVELS; level += 1) {
    const found = searchLattice(pictures, chart, level, () => progress(0.25, 'finding corners'));
    if (found && found.nodes.length >= MIN_NODES) return judge(found, level);
  }
  return noChart(chart);
}

/** Where a finger points, a faint chart counts: the grey levels that a corner must show. */
const TOUCHED_CONTRAST = 1;

function fromTouch(image: GrayImage, pictures: readonly GrayImage[], frame: GridFrame, start: LatticeStart, chart: Chart, progress: (f: number, s: string) => void): PlateLattice {
  let best: { nodes: LatticeNode[]; fine: SmoothedPicture } | null = null;
  const look = chart.look(Math.hypot(start.nextX - start.x, start.nextY - start.y), 0);
  for (const picture of pictures) {
    const fine = new SmoothedPicture(picture, look.smoothingPx);
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
  return complete(image, best!.fine, { nodes, pieces: [] }, frame, edgeBlurPx(image, nodes), medianCellPx(nodes), look, progress, MIN_TOUCHED);
}

function noChart({ words }: Chart): PlateLattice {
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
    uncertain: 0,
    message: `No chart: the picture holds no ${words.holds} at least ${MIN_NODES} connected ${words.corners}. Fill the frame with the chart, in focus and evenly lit.`,
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
  fine: SmoothedPicture,
  found: { nodes: readonly LatticeNode[]; pieces: readonly (readonly LatticeNode[])[] },
  frame: GridFrame,
  blurPx: number,
  cellPx: number,
  look: ChartLook,
  progress: (f: number, s: string) => void,
  minNodes = MIN_NODES,
): PlateLattice {
  const whole = completeLattice(fine, found, frame, { cellPx, blurPx }, look, minNodes, progress);
  if (whole.outcome === 'unmeasured') return blurPx <= NOTABLE_BLUR_PX ? noChart(look.chart) : tooFew(whole.nodes, image, blurPx, cellPx);
  if (whole.outcome === 'accident') return noChart(look.chart);
  if (whole.outcome === 'few') return tooFew(whole.nodes, image, blurPx, cellPx);
  if (whole.rmsPx > Math.max(0.5, ACCIDENTAL_SHARE * cellPx)) return noChart(look.chart);
  if (whole.rmsPx > Math.max(0.5, 0.02 * cellPx)) {
    return {
      ...describe(whole.nodes, image, blurPx, cellPx),
      status: 'refused',
      reason: 'misfit',
      message: `No flat chart: the corners miss a chart seen through a lens by ${whole.rmsPx.toFixed(1)} px. Use a flat, rigid chart with square cells.`,
    };
  }
  return { ...describe(whole.nodes, image, blurPx, cellPx), uncertain: whole.uncertain };
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
    uncertain: 0,
    coverage: hullAreaPx(shifted) / (image.widthPx * image.heightPx),
  };
}

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
