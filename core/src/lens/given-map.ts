import { CoreError } from '../errors';
import type { StMap } from './st-map';

/** Which way a map or a set of coefficients goes. */
export const WAYS = ['undistorts', 'distorts'] as const;
export type Way = (typeof WAYS)[number];

/** How a map that another program made is read. */
export interface MapReading {
  /** `undistorts`: for each pixel of the undistorted picture its place in the recorded one; `distorts`: the other way round */
  way: Way;
  /** width over height of a pixel of the undistorted picture, against those of the recorded one; 1: the same */
  stretch: number;
}

/** Places of the undistorted picture beside those of the recorded one, x y x y …; undistorted ones in a unit, at a size and a place of their own. */
export interface PlacePairs {
  undistorted: Float64Array;
  /** px of the recorded picture, from its upper left corner */
  recorded: Float64Array;
  /** points of the raster that they were taken from, across and down */
  across: number;
  down: number;
}

/** A map's values as they were found to count; for the person who brought it. */
export interface MapCount {
  /** what lies upwards in the second value */
  up: boolean;
  /** shares of the picture, or its pixels */
  unit: 'share' | 'px';
  /** share of the map without a value */
  holes: number;
  /** what the pixels of the undistorted picture would still have to be widened by to be as the recorded ones are, by the middle of the map */
  middleStretch: number;
}

/** Points of the raster along the longer side: a lens bends far more slowly than that. */
const RASTER = 56;
/** Values beyond this are pixels: a share of the picture stays near 0…1. */
const MOST_SHARE = 4;
/** A value runs over the other picture once while the place does; so far from once it is something else. */
const RUN = { least: 0.2, most: 5 };
/** Half of the middle box by which a pixel's shape is seen, of the picture. */
const MIDDLE = 0.12;

/**
 * Reads a map: which way it counts, and the places that it pairs, on a raster of about 56 points across.
 * @param map two values a pixel; NaN where there is none
 * @param frame the recorded picture, px
 * @throws CoreError INVALID_OPTION when the values are no places
 */
export function mapPairs(map: StMap, reading: MapReading, frame: { widthPx: number; heightPx: number }): PlacePairs & { count: MapCount } {
  const { widthPx, heightPx, data } = map;
  const step = Math.max(1, Math.max(widthPx, heightPx) / RASTER);
  const across = Math.max(2, Math.floor(widthPx / step));
  const down = Math.max(2, Math.floor(heightPx / step));
  const at = (n: number, of: number, px: number) => Math.min(px - 1, Math.floor(((n + 0.5) * px) / of));
  const nodes: { x: number; y: number; s: number; t: number }[] = [];
  let missing = 0;
  for (let j = 0; j < down; j += 1)
    for (let i = 0; i < across; i += 1) {
      const x = at(i, across, widthPx);
      const y = at(j, down, heightPx);
      const k = 2 * (y * widthPx + x);
      if (Number.isFinite(data[k]) && Number.isFinite(data[k + 1])) nodes.push({ x: x + 0.5, y: y + 0.5, s: data[k], t: data[k + 1] });
      else missing += 1;
    }
  if (nodes.length < 40) throw new CoreError('INVALID_OPTION', 'The map has a value at hardly any of its pixels.', 'map');
  const largest = nodes.reduce((m, n) => Math.max(m, Math.abs(n.s), Math.abs(n.t)), 0);
  const unit = largest > MOST_SHARE ? 'px' : 'share';
  const other = reading.way === 'undistorts' ? frame : { widthPx, heightPx };
  const toShare = unit === 'share' ? [1, 1] : [1 / other.widthPx, 1 / other.heightPx];
  const runS = slope(nodes.map((n) => [n.x / widthPx, n.s * toShare[0]]));
  const runT = slope(nodes.map((n) => [n.y / heightPx, n.t * toShare[1]]));
  const sDown = slope(nodes.map((n) => [n.y / heightPx, n.s * toShare[0]]));
  mustRun(runS, runT, sDown);
  const up = runT < 0;
  // pixels that count upwards begin at the picture's lower border, as shares do
  const places = nodes.map((n) => ({ ...n, s: n.s * toShare[0], t: up ? 1 - n.t * toShare[1] : n.t * toShare[1] }));
  const recorded: number[] = [];
  const undistorted: number[] = [];
  for (const n of places) {
    const there = [n.s, n.t];
    const here = [n.x / widthPx, n.y / heightPx];
    const [r, u] = reading.way === 'undistorts' ? [there, here] : [here, there];
    // what lies beyond the recorded picture was run on by whoever made the map
    if (r[0] < 0 || r[1] < 0 || r[0] > 1 || r[1] > 1) continue;
    recorded.push(r[0] * frame.widthPx, r[1] * frame.heightPx);
    undistorted.push(u[0] * widthPx * reading.stretch, u[1] * heightPx);
  }
  if (recorded.length < 80) throw new CoreError('INVALID_OPTION', 'Hardly any place of the map lies in the recorded picture. It is of another picture, or goes the other way.', 'map');
  const pairs = { undistorted: Float64Array.from(undistorted), recorded: Float64Array.from(recorded), across, down };
  return { ...pairs, count: { up, unit, holes: missing / (across * down), middleStretch: middleStretch(pairs, frame) } };
}

function mustRun(s: number, t: number, sDown: number): void {
  const range = (v: number) => Math.abs(v) >= RUN.least && Math.abs(v) <= RUN.most;
  if (Math.abs(s) < 0.05 && Math.abs(t) < 0.05 && Math.abs(sDown) < 0.05)
    throw new CoreError('INVALID_OPTION', 'Its values stay the same over the picture: it holds differences of places, not places. Give an ST map: where each pixel’s value lies, 0 to 1.', 'map');
  if (!range(s) || !range(t))
    throw new CoreError('INVALID_OPTION', 'The first two values do not run once across and once over the height of a picture: this is no ST map, or its channels are in another order.', 'map');
  if (s < 0) throw new CoreError('INVALID_OPTION', 'The first value falls to the right: the map is mirrored, and no lens is.', 'map');
}

/** Least-squares slope of pairs. */
function slope(pairs: readonly (readonly [number, number])[]): number {
  const n = pairs.length;
  const mx = pairs.reduce((sum, p) => sum + p[0], 0) / n;
  const my = pairs.reduce((sum, p) => sum + p[1], 0) / n;
  let xy = 0,
    xx = 0;
  for (const [x, y] of pairs) {
    xy += (x - mx) * (y - my);
    xx += (x - mx) ** 2;
  }
  return xy / xx;
}

/**
 * How many times more recorded pixels an undistorted one has across than down, at the middle: there a lens neither stretches nor turns, so that what
 * remains is the shape of the undistorted picture's pixels.
 */
function middleStretch({ undistorted, recorded }: PlacePairs, frame: { widthPx: number; heightPx: number }): number {
  const near: number[] = [];
  for (let i = 0; i < recorded.length; i += 2) if (Math.abs(recorded[i] / frame.widthPx - 0.5) < MIDDLE && Math.abs(recorded[i + 1] / frame.heightPx - 0.5) < MIDDLE) near.push(i);
  if (near.length < 6) return 1;
  const x = slope(near.map((i) => [undistorted[i], recorded[i]]));
  const y = slope(near.map((i) => [undistorted[i + 1], recorded[i + 1]]));
  return x / y;
}
