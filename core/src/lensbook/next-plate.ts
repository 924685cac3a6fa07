import { Kriging, type Place, type Scales } from './kriging';
import { growthAt, type LensBook } from './open-book';

/** What a lens can be set to. */
export interface BookRange {
  minFocalMm: number;
  maxFocalMm: number;
  closeFocusM: number;
  /** false: plates at one focus are enough, the lens does not breathe */
  focusMatters: boolean;
}

export interface BookFieldCell {
  focalMm: number;
  focusM: number;
  /** standard deviation over the frame, px; null without any scale of the lens's changes */
  sigmaPx: number | null;
  /** the same as a share of the lens's own changes, 0 at a plate … 1 far from all */
  openShare: number;
}

export interface NextPlate {
  focalMm: number;
  focusM: number;
  /** the largest uncertainty over the range before and after it, as a share of the lens's own changes, 0…1 */
  openBefore: number;
  openAfter: number;
  sentence: string;
}

/** Far focus of the range: beyond it a lens changes no more. */
const FAR_M = 15;
const FIELD = { across: 17, down: 9 };
const STANDARD_SCALES: Scales = { focal: 0.7, dioptres: 1.5 };
/** Below this share of the lens's changes another plate tells nothing new. */
const COVERED_SHARE = 0.12;
/** A plate so near to another would be the same one again. */
const SAME_FOCAL = 0.03;
const SAME_DIOPTRES = 0.06;

const range = (from: number, to: number, steps: number) => (from === to || steps < 2 ? [from] : Array.from({ length: steps }, (_, i) => from + ((to - from) * i) / (steps - 1)));

function places(r: BookRange, across: number, down: number): Place[] {
  const focal = range(Math.log(r.minFocalMm), Math.log(r.maxFocalMm), across);
  const dioptres = r.focusMatters ? range(1 / Math.max(FAR_M, r.closeFocusM), 1 / r.closeFocusM, down) : [1 / Math.min(3, Math.max(r.closeFocusM, 3))];
  return dioptres.flatMap((d) => focal.map((f): Place => [f, d]));
}

/** How open each setting still is, over the lens's range: a raster of focal length (across) and focus. */
export function bookField(book: LensBook | null, r: BookRange): { cells: BookFieldCell[]; across: number; down: number } {
  const all = places(r, FIELD.across, FIELD.down);
  const across = new Set(all.map((p) => p[0])).size;
  return {
    across,
    down: all.length / across,
    cells: all.map((p) => {
      const openShare = book ? Math.sqrt(Math.min(1, book.kriging.at(p).variance)) : 1;
      return {
        focalMm: Math.exp(p[0]),
        focusM: 1 / p[1],
        openShare,
        sigmaPx: book?.changePx === undefined || book.changePx === null ? null : (book.changePx * openShare) / growthAt(book.growth, Math.exp(p[0])),
      };
    }),
  };
}

/**
 * The one plate that would help most: after it the mean variance over the lens's range is smallest (I-optimal design). A plate's values
 * are not needed for that, only where it is.
 * Source  Fedorov, Theory of Optimal Experiments (1972), ch. 2.
 * @returns null when the range is covered
 */
export function nextPlate(book: LensBook | null, r: BookRange): NextPlate | null {
  const domain = places(r, 13, 5);
  const scales = book ? { focal: Math.min(book.kriging.scales.focal, 1.4), dioptres: Math.min(book.kriging.scales.dioptres, 1.5) } : STANDARD_SCALES;
  const have = book?.kriging.places ?? [];
  const open = (at: readonly Place[]) => {
    if (at.length === 0) return { mean: 1, worst: 1, worstPx: 1 };
    const kriging = new Kriging(at, scales);
    const open = domain.map((p) => Math.min(1, kriging.at(p).variance));
    const inPx = open.map((v, i) => v / (book ? growthAt(book.growth, Math.exp(domain[i][0])) ** 2 : 1));
    return { mean: inPx.reduce((a, b) => a + b, 0) / inPx.length, worst: Math.sqrt(Math.max(...open)), worstPx: Math.sqrt(Math.max(...inPx)) };
  };
  const before = open(have);
  if (before.worst < COVERED_SHARE) return null;
  let best: { place: Place; mean: number; worst: number; worstPx: number } | null = null;
  const free = places(r, 9, 4).filter((p) => !have.some((q) => Math.abs(p[0] - q[0]) < SAME_FOCAL && Math.abs(p[1] - q[1]) < SAME_DIOPTRES));
  for (const place of free) {
    const after = open([...have, place]);
    if (!best || after.mean < best.mean - 1e-12) best = { place, ...after };
  }
  if (!best) return null;
  const focalMm = roundFocal(Math.exp(best.place[0]), r);
  const focusM = roundFocus(1 / best.place[1]);
  const gain = book?.changePx ? `, the largest uncertainty falls from ${px(book.changePx * before.worstPx)} to ${px(book.changePx * best.worstPx)}` : '';
  return {
    focalMm,
    focusM,
    openBefore: before.worst,
    openAfter: best.worst,
    sentence: `Next: ${focalMm} mm at ${focusM} m${gain}.`,
  };
}

const px = (v: number) => `${v < 1 ? v.toFixed(2) : v.toFixed(1)} px`;
/** Whole millimetres, as a barrel is marked, within the lens's range. */
const roundFocal = (mm: number, r: BookRange) => Math.min(r.maxFocalMm, Math.max(r.minFocalMm, Math.round(mm)));
const roundFocus = (m: number) => (m >= 5 ? Math.round(m) : Number(m.toFixed(m < 1 ? 2 : 1)));
