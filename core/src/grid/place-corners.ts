import { median } from '../math';
import type { GrayImage } from '../picture';
import type { LensFit } from './fit-lens';
import type { GridFrame } from './observation';
import { cornerPredictor } from './predict-corner';
import { filterCorners, type FilteredCorner } from './filter-corners';
import { CornerFitter, FARTHEST_PX, lineWidthCells, type FittedCorner } from './fit-corner';
import type { Chart, Oval } from '../charts';
import type { LatticeNode } from './grow-lattice';
import { thinned } from './sample';
import { cellAt } from './verify-corners';

/** Where the pixels scatter so much more about the model than usual, something else is in the window. */
const FOREIGN_TIMES = 2.5;
const USUAL_BLUR_PX = 1.2;
/** So many are fitted one by one; of more, these tell blur and contrast of the others. */
const ONE_BY_ONE = 135;
/** Parts of the frame each way in which blur is taken to be one. */
const SIDE = 3;

interface Placed<N> {
  n: N;
  x: number;
  y: number;
  cell: Oval;
}

/**
 * Moves corners to where the grey-value model fits the picture best. Few are fitted one by one; many by filters made with the blur, the contrast
 * and the line width that a sample of them shows, and one by one where the picture's border cuts the window off. What stands beside
 * something that is no chart stays where it was.
 */
export function placeCorners<N extends LatticeNode>(image: GrayImage, nodes: readonly N[], fit: LensFit, frame: GridFrame, edgePx: number, chart: Chart): void {
  const predict = cornerPredictor(fit, frame, 0);
  const placed = nodes.flatMap((n): Placed<N>[] => {
    const cell = cellAt(predict, n.row, n.col);
    return cell ? [{ n, x: n.x, y: n.y, cell }] : [];
  });
  const blurPx = Number.isFinite(edgePx) ? edgePx : USUAL_BLUR_PX;
  const lineCells = chart.lines ? lineWidthCells(image, chart, placed, blurPx) : 0;
  const fitter = new CornerFitter(image, chart.form, lineCells);
  const oneByOne = (list: readonly Placed<N>[]) =>
    list.flatMap((p) => {
      const at = fitter.fit(p, p.cell, blurPx);
      return at ? [{ p, at }] : [];
    });
  const sample = oneByOne(thinned(placed, ONE_BY_ONE));
  if (sample.length === 0) return;
  const usualNoise = (list: readonly { noise: number }[]) => median(list.map((l) => l.noise).filter(Number.isFinite));
  const usual = usualNoise(sample.map(({ at }) => at));
  const take = ({ n }: Placed<N>, at: { x: number; y: number; noise: number }, noise = usual): boolean => {
    if (!(at.noise <= FOREIGN_TIMES * noise) || !(Math.hypot(at.x - n.x, at.y - n.y) <= FARTHEST_PX)) return false;
    n.x = at.x;
    n.y = at.y;
    return true;
  };
  for (const { p, at } of sample) take(p, at);
  if (placed.length <= ONE_BY_ONE) return;
  const done = new Set(sample.map(({ p }) => p));
  const rest = placed.filter((p) => !done.has(p));
  const looks = looksOf(sample, frame, chart);
  const filtered = rest.map((p): FilteredCorner => ({ x: p.x, y: p.y, cell: p.cell, ...looks.at(p), noise: Number.NaN }));
  filterCorners(image, filtered, { form: chart.form, lineCells, contrast: looks.contrast });
  // their blur was not asked one by one: they scatter a little more
  const filteredNoise = usualNoise(filtered);
  // what the picture's border cuts off, and what scatters about a filter of its kind though it may not about a model of its own
  const left = rest.filter((p, i) => !take(p, filtered[i], filteredNoise));
  for (const { p, at } of oneByOne(left)) take(p, at);
}

/** What a sample of corners tells of all: blur by part of the frame, contrast, and which way round the pattern is. */
function looksOf<N extends LatticeNode>(sample: readonly { p: Placed<N>; at: FittedCorner }[], frame: GridFrame, chart: Chart) {
  const zone = (x: number, y: number) => {
    const part = (v: number, size: number) => Math.min(SIDE - 1, Math.max(0, Math.floor((v / size) * SIDE)));
    return part(y, frame.heightPx) * SIDE + part(x, frame.widthPx);
  };
  const blurs = (list: typeof sample): [number, number] => [median(list.map(({ at }) => at.blurPx[0])), median(list.map(({ at }) => at.blurPx[1]))];
  const usual = blurs(sample);
  const byZone = Array.from({ length: SIDE * SIDE }, (_, z) => {
    const mine = sample.filter(({ p }) => zone(p.x, p.y) === z);
    return mine.length < 3 ? usual : blurs(mine);
  });
  const even = ({ row, col }: LatticeNode) => chart.sense(row, col);
  const sense = sample.reduce((votes, { p, at }) => votes + even(p.n) * Math.sign(at.amplitude), 0) >= 0 ? 1 : -1;
  return {
    contrast: median(sample.map(({ at }) => Math.abs(at.amplitude / at.level))),
    at: ({ n, x, y }: Placed<N>) => {
      const [blur1Px, blur2Px] = byZone[zone(x, y)];
      return { blur1Px, blur2Px, sense: sense * even(n) };
    },
  };
}
