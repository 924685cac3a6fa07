import { hullAreaPx } from '../math';
import { MIN_NODES, searchLattice } from './search-lattice';
import { halve, type GrayImage } from '../picture';
import { CHARTS, type ChartKind } from '../charts';
import { blurByZone, blurRemarks, edgeBlurPx } from './sharpness';

export interface QuickLook {
  worth: 'keep' | 'doubtful' | 'again';
  /** for the person who holds the camera */
  sentence: string;
  reason: 'no-chart' | 'coverage' | 'soft' | null;
  corners: number;
  coverage: number;
  /** sigma of the edge spread in the whole picture's pixels; null where no chart was found */
  blurPx: number | null;
}

/** The lattice is looked for in a picture of about this size: a phone has it within a second. */
const LONG_SIDE_PX = 1400;
const GOOD_COVERAGE = 0.85;
const POOR_COVERAGE = 0.5;
const SOFT_PX = 2.5;

/**
 * Is a picture worth keeping? The chart is found in a reduced picture, the blur measured in the whole one at its corners. No lens is
 * fitted that anybody uses; the measuring itself follows.
 */
export function quickLook(image: GrayImage, chart: ChartKind = 'chequer'): QuickLook {
  let reduced = image;
  let factor = 1;
  while (Math.max(reduced.widthPx, reduced.heightPx) > LONG_SIDE_PX) {
    reduced = halve(reduced);
    factor *= 2;
  }
  let nodes = search(reduced, chart).map((n) => ({ ...n, x: n.x * factor, y: n.y * factor }));
  // small cells may be lost by reducing: then they show in the middle at full size, and only then the whole is searched
  if (nodes.length < MIN_NODES && factor > 1 && search(middleOf(image), chart).length >= MIN_NODES) nodes = search(image, chart);
  const coverage = nodes.length < 3 ? 0 : hullAreaPx(nodes) / (image.widthPx * image.heightPx);
  if (nodes.length < MIN_NODES) {
    return { worth: 'again', reason: 'no-chart', sentence: 'Shoot again: no chart found. Fill the frame with it, in focus and evenly lit.', corners: nodes.length, coverage, blurPx: null };
  }
  const blurPx = edgeBlurPx(image, nodes);
  const remarks = blurRemarks(blurByZone(image, nodes));
  const share = `${(100 * coverage).toFixed(0)} % covered`;
  const seen = `${nodes.length} corners, ${share}, blur ${blurPx.toFixed(1)} px`;
  const base = { corners: nodes.length, coverage, blurPx };
  if (coverage < POOR_COVERAGE) return { ...base, worth: 'again', reason: 'coverage', sentence: `Shoot again: only ${share}. Move closer or use a larger chart.` };
  if (blurPx > SOFT_PX || remarks.length > 0) return { ...base, worth: 'doubtful', reason: 'soft', sentence: `Better shoot again: ${remarks[0] ?? `edges are spread ${blurPx.toFixed(1)} px.`}` };
  if (coverage < GOOD_COVERAGE) return { ...base, worth: 'doubtful', reason: 'coverage', sentence: `Usable, but the border is missing: ${seen}.` };
  return { ...base, worth: 'keep', reason: null, sentence: `Worth keeping: ${seen}.` };
}

function search(image: GrayImage, chart: ChartKind) {
  for (const level of [0, 1]) {
    const found = searchLattice(CHARTS[chart].pictures(image), CHARTS[chart], level);
    // what stands before the chart parts it: all of it is there to be measured
    if (found && found.nodes.length >= MIN_NODES) return [found.nodes, ...found.pieces].flat();
  }
  return [];
}

/** The middle of a picture, no larger than a reduced one. */
function middleOf(image: GrayImage): GrayImage {
  const widthPx = Math.min(image.widthPx, LONG_SIDE_PX / 2);
  const heightPx = Math.min(image.heightPx, LONG_SIDE_PX / 2);
  const [x0, y0] = [(image.widthPx - widthPx) >> 1, (image.heightPx - heightPx) >> 1];
  const data = new Float32Array(widthPx * heightPx);
  for (let y = 0; y < heightPx; y += 1) data.set(image.data.subarray((y0 + y) * image.widthPx + x0, (y0 + y) * image.widthPx + x0 + widthPx), y * widthPx);
  return { widthPx, heightPx, data };
}
