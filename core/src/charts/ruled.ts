import { onRing, SMOOTHING_PX, type Chart } from './chart';
import { crossTest, findCrossings, invert } from './crossing';
import { bellAt, stepAt } from './edge';

const RING_PX = 5;
/** Directions of two crossings that are the same but for a right angle. */
const ALIKE_RAD = 0.35;
/** Width of the lines of a printed one, as a share of the cell. */
const LINE_SHARE = 0.06;

/** Thin lines, dark on light or light on dark: they cross at its corners. */
export const ruled: Chart = {
  kind: 'ruled',
  words: { title: 'ruled', detail: 'thin lines', holds: 'ruled lines with', corners: 'crossings' },
  // lines may be light: the picture that shows more of a lattice is the one
  pictures: (image) => [image, invert(image)],
  spots: (image) => findCrossings(image, RING_PX),
  neighbours(a, b) {
    const d = Math.abs(a - b) % (Math.PI / 2);
    return Math.min(d, Math.PI / 2 - d) < ALIKE_RAD;
  },
  // ring and window must reach beyond the lines: both grow with the level at which the lines were thin enough to be found
  look(_cellPx, level) {
    const ringPx = RING_PX * 2 ** level;
    return {
      chart: ruled,
      ringPx,
      smoothingPx: SMOOTHING_PX,
      flat: false,
      test: (picture, x, y, windowPx, minContrast) => onRing(picture, x, y, Math.min(ringPx, windowPx), (image, px, py, radiusPx) => crossTest(image, px, py, radiusPx, minContrast)),
      testCell: null,
      // thin lines carry little per pixel: more of their length is needed than of an edge
      window: (cellPx) => Math.min(Math.max(16, 2 * ringPx), Math.max(3, 0.6 * cellPx - 2)),
    };
  },
  alternates: false,
  sense: () => 1,
  lines: true,
  form(p, q, i1, i2, half1Px, half2Px, out) {
    const r1 = (p + half1Px) * i1;
    const l1 = (p - half1Px) * i1;
    const r2 = (q + half2Px) * i2;
    const l2 = (q - half2Px) * i2;
    const br1 = bellAt(r1);
    const bl1 = bellAt(l1);
    const br2 = bellAt(r2);
    const bl2 = bellAt(l2);
    // what the lines leave free, since they cover in turn
    const A = 1 - (stepAt(r1) - stepAt(l1)) / 2;
    const B = 1 - (stepAt(r2) - stepAt(l2)) / 2;
    const Ap = (bl1 - br1) * i1;
    const Bq = (bl2 - br2) * i2;
    out.form = A * B;
    out.byP = Ap * B;
    out.byQ = A * Bq;
    out.byS1 = (r1 * br1 - l1 * bl1) * i1 * B;
    out.byS2 = A * (r2 * br2 - l2 * bl2) * i2;
  },
  dark(across, down) {
    const line = LINE_SHARE;
    return [
      ...Array.from({ length: across + 1 }, (_, i) => ({ x: i - line / 2, y: 0, width: line, height: down })),
      ...Array.from({ length: down + 1 }, (_, j) => ({ x: 0, y: j - line / 2, width: across, height: line })),
    ];
  },
};
