import type { SmoothedPicture } from '../picture';
import { onRing, SMOOTHING_PX, type Chart, type ChartLook } from './chart';
import { bellAt, stepAt } from './edge';
import { axisAngle, findSaddles, ovalReachPx, ovalTest, ringFits, ringTest, type Oval, type Saddle } from './saddle';

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

const RING_PX = 4;
const USUAL: Omit<ChartLook, 'chart'> = {
  ringPx: RING_PX,
  smoothingPx: SMOOTHING_PX,
  flat: false,
  test: (picture, x, y, windowPx, minContrast) => onRing(picture, x, y, Math.min(RING_PX, windowPx), (image, px, py, radiusPx) => ringTest(image, px, py, radiusPx, minContrast, CORNER_SHARE)),
  testCell: onCell,
  // the next parallel edge is a cell away: up to nine tenths of it less a pixel keeps it outside. Half a cell lost a third of the precision
  // at 20 px and three quarters at 11 px; beyond 14 px little is won
  window: (cellPx) => Math.min(14, Math.max(3, 0.9 * cellPx - 1)),
};
/** Cells below which a corner has so few pixels that noise decides: all of them are used, and more smoothed. */
const SMALL_CELL_PX = 12.5;
/** Of cells of 11 px in a soft and noisy picture corners are then good to 0.079 px instead of 0.082; larger cells would lose by it. */
const SMALL: Omit<ChartLook, 'chart'> = { ...USUAL, smoothingPx: 1.5, flat: true };

/** Squares of light and dark: edges cross at its corners. */
export const chequer: Chart = {
  kind: 'chequer',
  words: { title: 'chequered', holds: 'chequer of', corners: 'corners' },
  pictures: (image) => [image],
  spots: (image) => findSaddles(image, RING_PX),
  // turned by a right angle against each other
  neighbours: (a, b) => axisAngle(a, b) > Math.PI / 4,
  look: (cellPx) => ({ chart: chequer, ...(cellPx < SMALL_CELL_PX ? SMALL : USUAL) }),
  alternates: true,
  sense: (row, col) => ((row + col) % 2 === 0 ? 1 : -1),
  lines: false,
  form(p, q, i1, i2, _half1Px, _half2Px, out) {
    const z1 = p * i1;
    const z2 = q * i2;
    const A = stepAt(z1);
    const B = stepAt(z2);
    const Ap = 2 * bellAt(z1) * i1;
    const Bq = 2 * bellAt(z2) * i2;
    out.form = A * B;
    out.byP = Ap * B;
    out.byQ = A * Bq;
    out.byS1 = -z1 * Ap * B;
    out.byS2 = A * -z2 * Bq;
  },
  dark(across, down, offset) {
    const cells = Array.from({ length: across * down }, (_, n) => ({ x: n % across, y: Math.floor(n / across), width: 1, height: 1 }));
    return cells.filter(({ x, y }) => (offset + x + y) % 2 === 0);
  },
};
