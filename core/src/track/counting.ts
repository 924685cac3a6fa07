import { CoreError } from '../errors';
import type { TrackPoint } from './track-point';

/** How a file of tracks counts. The conventions count from the top left corner, y downwards, in pixels of the recorded picture. */
export interface TrackCounting {
  from: 'corner' | 'middle';
  /** y grows upwards; from a corner that is then the lower left one */
  yUp: boolean;
  /** the picture that was tracked, in the file's own unit: 1 × 1 where it counts in shares of the picture */
  widthPx: number;
  heightPx: number;
  /** added to each frame number, so that the record and the tracks speak of the same frames */
  addFrames: number;
}

export interface PictureSize {
  widthPx: number;
  heightPx: number;
}

export const asRecorded = (picture: PictureSize): TrackCounting => ({ from: 'corner', yUp: false, ...picture, addFrames: 0 });

export const sameCounting = (a: TrackCounting, b: TrackCounting): boolean =>
  a.from === b.from && a.yUp === b.yUp && a.widthPx === b.widthPx && a.heightPx === b.heightPx && a.addFrames === b.addFrames;

/**
 * Tracks as the conventions count them.
 * @throws CoreError INVALID_OPTION for a picture without a size
 */
export function countedAs(tracks: readonly TrackPoint[], counting: TrackCounting, picture: PictureSize): TrackPoint[] {
  const { widthPx, heightPx, from, yUp, addFrames } = counting;
  if (!(widthPx > 0 && heightPx > 0)) throw new CoreError('INVALID_OPTION', 'The picture that was tracked needs a width and a height', 'counting.widthPx');
  if (sameCounting(counting, asRecorded(picture))) return [...tracks];
  const [sx, sy] = [picture.widthPx / widthPx, picture.heightPx / heightPx];
  const [ox, oy] = from === 'middle' ? [widthPx / 2, heightPx / 2] : [0, yUp ? heightPx : 0];
  return tracks.map((t) => ({ ...t, frame: t.frame + addFrames, x: sx * (t.x + ox), y: sy * (oy + (yUp ? -t.y : t.y)) }));
}

export interface CountingQuestion {
  /** `mirrored` is seen in a solve, the others in the tracks alone */
  what: 'middle' | 'shares' | 'larger' | 'smaller' | 'mirrored';
  /** what was seen, in words */
  words: string;
  /** how they may count instead, the likeliest first */
  choices: TrackCounting[];
}

/** Places are judged by all but the outermost: a track may leave the picture a little before it is cut. */
const OUTERMOST = 0.005;
/** Sizes of proxies over the picture that they were made from, smallest first. */
const PROXIES = [1 / 8, 1 / 6, 1 / 4, 1 / 3, 1 / 2, 2 / 3, 3 / 4];
/** So many tracks do not all lie in the upper left half of a picture by chance; for a part that is nearly all of it many more are needed. */
const FEW_TRACKS = 12;
const MANY_TRACKS = 60;
/** Of the picture's half: tracks that reach so far fill it. */
const FILLED = 0.8;

/**
 * Do the tracks make sense as the conventions count them? What lies outside of the picture, or fills only its upper left part, was counted
 * otherwise or tracked on a picture of another size; which of them is for a person to say. Null where nothing speaks against them.
 */
export function questionCounting(tracks: readonly TrackPoint[], picture: PictureSize): CountingQuestion | null {
  if (tracks.length === 0) return null;
  const { widthPx: w, heightPx: h } = picture;
  const [x0, x1] = spread(tracks.map((t) => t.x));
  const [y0, y1] = spread(tracks.map((t) => t.y));
  const sized = (share: number): PictureSize => ({ widthPx: Math.round(w * share), heightPx: Math.round(h * share) });
  const far = `x from ${tell(x0)} to ${tell(x1)} and y from ${tell(y0)} to ${tell(y1)}, in a picture of ${w} × ${h}`;
  if (Math.max(Math.abs(x0), Math.abs(x1), Math.abs(y0), Math.abs(y1)) <= 1.05) {
    const middle = x0 < -0.05 || y0 < -0.05;
    // −1…1 over the picture, or shares of it about its middle
    const half = Math.max(Math.abs(x0), Math.abs(x1), Math.abs(y0), Math.abs(y1)) <= 0.525;
    const size = middle && !half ? { widthPx: 2, heightPx: 2 } : { widthPx: 1, heightPx: 1 };
    return {
      what: 'shares',
      words: `The tracks lie between ${tell(Math.min(x0, y0))} and ${tell(Math.max(x1, y1))}: they seem to count in shares of the picture, not in pixels.`,
      choices: bothWays({ from: middle ? 'middle' : 'corner', ...size, addFrames: 0 }),
    };
  }
  if (x0 < -0.02 * w || y0 < -0.02 * h) {
    const reach = Math.max(Math.abs(x0), Math.abs(x1)) / (w / 2);
    const down = Math.max(Math.abs(y0), Math.abs(y1)) / (h / 2);
    // the smallest picture that holds them all is the likeliest, where they fill it
    const share = PROXIES.find((p) => p <= 0.5 && p >= Math.max(reach, down) - 0.02) ?? 1;
    const whole = bothWays({ from: 'middle', ...picture, addFrames: 0 });
    const smaller = share < 1 ? bothWays({ from: 'middle', ...sized(share), addFrames: 0 }) : [];
    return {
      what: 'middle',
      words: `The tracks have ${far}: they seem to count from the middle of the picture.`,
      choices: Math.max(reach, down) > FILLED * share ? [...smaller, ...whole] : [...whole, ...smaller],
    };
  }
  if (x1 > 1.02 * w || y1 > 1.02 * h) {
    const need = Math.max(x1 / w, y1 / h);
    const larger = [...PROXIES]
      .reverse()
      .map((p) => 1 / p)
      .filter((r) => r >= need - 0.02);
    return {
      what: 'larger',
      words: `The tracks have ${far}: they seem to have been tracked on a larger picture.`,
      choices: (larger.length > 0 ? larger.slice(0, 2) : [need]).map((r) => ({ ...asRecorded(sized(r)), addFrames: 0 })),
    };
  }
  const count = new Set(tracks.map((t) => t.track)).size;
  const share = PROXIES.find((p) => x1 <= 1.02 * p * w && y1 <= 1.02 * p * h && x0 < 0.35 * p * w && y0 < 0.35 * p * h);
  if (share !== undefined && count >= (share <= 0.5 ? FEW_TRACKS : MANY_TRACKS)) {
    return {
      what: 'smaller',
      words: `All ${count} tracks lie in the upper left part (${far}): they seem to have been tracked on a picture of ${sized(share).widthPx} × ${sized(share).heightPx}.`,
      choices: [asRecorded(sized(share))],
    };
  }
  return null;
}

/** What does not count from the upper left corner mostly counts upwards. */
const bothWays = (counting: Omit<TrackCounting, 'yUp'>): TrackCounting[] => [true, false].map((yUp) => ({ ...counting, yUp }));
const tell = (v: number): string => (Math.abs(v) < 3 ? v.toFixed(2) : v.toFixed(0));

/** All but the outermost on each side. */
function spread(values: readonly number[]): [number, number] {
  const sorted = Float64Array.from(values).sort();
  const skip = Math.floor(OUTERMOST * (sorted.length - 1));
  return [sorted[skip], sorted[sorted.length - 1 - skip]];
}

/** "from the middle, y upwards, on 1920 × 1080" */
export function countingWords(c: TrackCounting, picture: PictureSize): string {
  const parts = [c.from === 'middle' ? 'from the middle' : c.yUp ? 'from the lower left corner' : 'from the upper left corner', c.yUp ? 'y upwards' : 'y downwards'];
  if (c.widthPx === 1 && c.heightPx === 1) parts.push('in shares of the picture');
  else if (c.widthPx === 2 && c.heightPx === 2) parts.push('from −1 to 1 over the picture');
  else if (c.widthPx !== picture.widthPx || c.heightPx !== picture.heightPx) parts.push(`on a picture of ${c.widthPx} × ${c.heightPx}`);
  if (c.addFrames !== 0) parts.push(`frame numbers ${c.addFrames > 0 ? `+ ${c.addFrames}` : `− ${-c.addFrames}`}`);
  return parts.join(', ');
}
