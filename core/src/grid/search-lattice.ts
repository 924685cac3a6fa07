import { glance, halve, smooth, SmoothedPicture, type GrayImage } from '../picture';
import { hullAreaPx, quantile } from '../math';
import { CHARTS, saddlePoint, saddlesAmong, SMOOTHING_PX, strongPlaces, type Chart } from '../charts';
import { growLattices, latticeStepsPx, medianCellPx, type LatticeNode } from './grow-lattice';

/** Lattices of less are chance. */
export const MIN_NODES = 20;

/** Full size, half, a quarter: wide lines and soft edges look like corners from further away. */
export const LEVELS = 3;

export interface FoundLattice {
  /** in pixels of the whole picture */
  nodes: LatticeNode[];
  /** further ones whose cells are about as large: parts of the same chart behind something, or another chart beside it */
  pieces: LatticeNode[][];
  /** the picture that shows it, as its corners are measured */
  fine: SmoothedPicture;
}

/** The largest lattice of one of the pictures at one level; null when the level is too small to look at. */
export function searchLattice(pictures: readonly GrayImage[], chart: Chart, level: number, onStep: () => void = () => undefined): FoundLattice | null {
  const factor = 2 ** level;
  if (Math.min(pictures[0].widthPx, pictures[0].heightPx) / factor < 64) return null;
  let best: FoundLattice | null = null;
  for (const picture of pictures) {
    const fine = new SmoothedPicture(picture, SMOOTHING_PX);
    const smoothed = level === 0 ? fine.whole() : smooth(reduced(picture, level), SMOOTHING_PX);
    onStep();
    const [nodes = [], ...others] = growLattices(chart.spots(smoothed), smoothed.widthPx, smoothed.heightPx, chart);
    if (!best || nodes.length > best.nodes.length) best = { nodes, pieces: ofItsKind(nodes, others), fine };
  }
  return best && { ...best, nodes: enlarged(best.nodes, factor), pieces: best.pieces.map((p) => enlarged(p, factor)) };
}

/** A chart at a slant, or a strong lens, has cells of twice and of half the size. */
const LARGEST_RATIO = 2.5;

function ofItsKind(nodes: readonly LatticeNode[], others: readonly LatticeNode[][]): LatticeNode[][] {
  const cellPx = medianCellPx(nodes);
  return others.filter((o) => {
    const ratio = medianCellPx(o) / cellPx;
    return ratio < LARGEST_RATIO && ratio > 1 / LARGEST_RATIO;
  });
}

/** A picture reduced to about this size shows cells of a few dozen pixels as well as the whole of it does. */
const AFAR_LONG_SIDE_PX = 1600;
/** The least reduced size that is looked at: large cells show there in a quarter of the pixels. */
const FARTHEST_LONG_SIDE_PX = 400;
/** Neighbours nearer than this, seen from afar, may have been lost or mistaken for each other. */
const AFAR_CELL_PX = 9;
/** So many times as many strong places as there is room for are no noise beside a chart of such cells. */
const NOISE_TIMES = 2;
/** A smaller lattice may be something beside the chart that is only seen from nearby. */
const AFAR_COVERAGE = 0.25;

/** The lattice of a chequer of large cells, found in a reduced picture, the smallest first; null where only the whole of it can tell. */
export function searchFromAfar(image: GrayImage): FoundLattice | null {
  const longSidePx = Math.max(image.widthPx, image.heightPx);
  const nearest = Math.max(1, Math.ceil(Math.log2(longSidePx / AFAR_LONG_SIDE_PX)));
  for (let level = Math.floor(Math.log2(longSidePx / FARTHEST_LONG_SIDE_PX)); level >= nearest; level -= 1) {
    const small = smooth(glance(image, level), SMOOTHING_PX);
    const strong = strongPlaces(small);
    // more than there is room for at that distance: they stand closer, and the next size tells; of the last, noise may be some of them
    if (strong.places.length * AFAR_CELL_PX ** 2 > (level > nearest ? 1 : NOISE_TIMES) * small.widthPx * small.heightPx) continue;
    const [nodes = [], ...others] = growLattices(saddlesAmong(strong, small, SADDLE_RING_PX), small.widthPx, small.heightPx, CHARTS.chequer);
    if (nodes.length < MIN_NODES || hullAreaPx(nodes) < AFAR_COVERAGE * small.widthPx * small.heightPx) continue;
    if (quantile(latticeStepsPx(nodes), 0.02) < AFAR_CELL_PX) continue;
    // between the pixels, since each of them is many of the picture's
    const placed = (piece: readonly LatticeNode[]) =>
      enlarged(
        piece.map((n) => {
          const [x, y] = saddlePoint(small, n.x, n.y);
          return { ...n, x, y };
        }),
        2 ** level,
      );
    return { nodes: placed(nodes), pieces: ofItsKind(nodes, others).map(placed), fine: new SmoothedPicture(image, SMOOTHING_PX) };
  }
  return null;
}

const SADDLE_RING_PX = 4;

function reduced(image: GrayImage, level: number): GrayImage {
  let small = image;
  for (let l = 0; l < level; l += 1) small = halve(small);
  return small;
}

const enlarged = (nodes: LatticeNode[], factor: number): LatticeNode[] => (factor === 1 ? nodes : nodes.map((n) => ({ ...n, x: n.x * factor, y: n.y * factor })));
