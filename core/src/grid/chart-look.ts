import type { GrayImage, SmoothedPicture } from '../picture';
import { crossTest } from './crossing';
import type { ChartKind } from './grow-lattice';
import { ovalReachPx, ovalTest, ringFits, ringTest, type Oval, type Saddle } from './saddle';

export interface SeenCorner {
  contrast: number;
  brightRad: number;
}

/** How the corners of a kind of chart are looked for and looked at. */
export interface ChartLook {
  chart: ChartKind;
  /** does it look like a corner there? its contrast when it does */
  test(picture: SmoothedPicture, x: number, y: number, windowPx: number, minContrast: number): SeenCorner | null;
  /** the same where the cell's shape is known: its angles are then the cell's own; null for a chart without bright quadrants */
  testCell: ((picture: SmoothedPicture, x: number, y: number, cell: Oval) => SeenCorner | null) | null;
  window(cellPx: number): number;
  /** the ring that a corner is looked at on; it must reach beyond the lines of a ruled chart */
  ringPx: number;
  /** how much the picture is smoothed before its corners are measured */
  smoothingPx: number;
  /** the window weighs evenly almost to its rim */
  flat: boolean;
}

/** Largest window that stays inside the picture. */
export const roomAt = (picture: { widthPx: number; heightPx: number }, x: number, y: number): number => Math.min(x, y, picture.widthPx - x, picture.heightPx - y) - 2;

/** A test on a ring in the smoothed picture; null where the ring leaves the picture. */
function onRing(picture: SmoothedPicture, x: number, y: number, radiusPx: number, test: (image: GrayImage, x: number, y: number, radiusPx: number) => Saddle | null): Saddle | null {
  if (!ringFits(picture, x, y, radiusPx)) return null;
  const { image, x0, y0 } = picture.near(x, y, radiusPx + 2);
  return test(image, x - x0, y - y0, radiusPx);
}

/** The share of a corner's variance that goes round the ring twice. */
const CORNER_SHARE = 0.55;
/** Of a cell, the part that a ring of the cell's shape takes: it keeps off the next edges. */
const CELL_RING_SHARE = 0.38;
/** Narrower than this, blur has mixed the quadrants. */
const NARROWEST_RING_PX = 1.5;

/** A corner of a chequer that is seen at a slant: its quadrants are narrow and wide, and a round ring finds neither them nor their direction. */
function onCell(picture: SmoothedPicture, x: number, y: number, cell: Oval): Saddle | null {
  const oval: Oval = { across: [CELL_RING_SHARE * cell.across[0], CELL_RING_SHARE * cell.across[1]], down: [CELL_RING_SHARE * cell.down[0], CELL_RING_SHARE * cell.down[1]] };
  const areaPx = Math.abs(oval.across[0] * oval.down[1] - oval.across[1] * oval.down[0]);
  const reachPx = ovalReachPx(oval);
  if (areaPx < NARROWEST_RING_PX * reachPx || !ringFits(picture, x, y, reachPx)) return null;
  const { image, x0, y0 } = picture.near(x, y, reachPx + 2);
  return ovalTest(image, x - x0, y - y0, oval, 0, CORNER_SHARE);
}

/** Of the picture in which charts are searched. */
export const SMOOTHING_PX = 1.2;

const CHEQUER_RING_PX = 4;
const CHEQUER: ChartLook = {
  chart: 'chequer',
  ringPx: CHEQUER_RING_PX,
  smoothingPx: SMOOTHING_PX,
  flat: false,
  test: (picture, x, y, windowPx, minContrast) => onRing(picture, x, y, Math.min(CHEQUER_RING_PX, windowPx), (image, px, py, radiusPx) => ringTest(image, px, py, radiusPx, minContrast, CORNER_SHARE)),
  testCell: onCell,
  // the next parallel edge is a cell away: up to nine tenths of it less a pixel keeps it outside. Half a cell lost a third of the precision
  // at 20 px and three quarters at 11 px; beyond 14 px little is won
  window: (cellPx) => Math.min(14, Math.max(3, 0.9 * cellPx - 1)),
};
/** Cells below which a corner has so few pixels that noise decides: all of them are used, and more smoothed. */
const SMALL_CELL_PX = 12.5;
/** Of cells of 11 px in a soft and noisy picture corners are then good to 0.079 px instead of 0.082; larger cells would lose by it. */
const SMALL_CHEQUER: ChartLook = { ...CHEQUER, smoothingPx: 1.5, flat: true };
export const chequerLook = (cellPx: number): ChartLook => (cellPx < SMALL_CELL_PX ? SMALL_CHEQUER : CHEQUER);

/** Ring and window must reach beyond the lines: both grow with the level at which the lines were thin enough to be found. */
export const ruledLook = (ringPx: number): ChartLook => ({
  chart: 'ruled',
  ringPx,
  smoothingPx: SMOOTHING_PX,
  flat: false,
  test: (picture, x, y, windowPx, minContrast) => onRing(picture, x, y, Math.min(ringPx, windowPx), (image, px, py, radiusPx) => crossTest(image, px, py, radiusPx, minContrast)),
  testCell: null,
  // thin lines carry little per pixel: more of their length is needed than of an edge
  window: (cellPx) => Math.min(Math.max(16, 2 * ringPx), Math.max(3, 0.6 * cellPx - 2)),
});
export const RULED_RING_PX = 5;
