import type { GrayImage, SmoothedPicture } from '../picture';
import { ringFits, type Oval, type Saddle } from './saddle';

export const CHART_KINDS = ['chequer', 'ruled'] as const;
export type ChartKind = (typeof CHART_KINDS)[number];

export interface SeenCorner {
  contrast: number;
  brightRad: number;
}

/** The form w of a corner at a pixel, and how it changes: see CornerFitter. */
export interface FormAt {
  form: number;
  /** by the distance from the first and from the second edge */
  byP: number;
  byQ: number;
  /** by the first and the second blur */
  byS1: number;
  byS2: number;
}

/** Writes the form at distances p, q from the two edges, blurred by 1/i1 and 1/i2. */
export type CornerForm = (p: number, q: number, i1: number, i2: number, half1Px: number, half2Px: number, out: FormAt) => void;

/** How the corners of a kind of chart are looked for and looked at. */
export interface ChartLook {
  chart: Chart;
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

/** A dark piece of a printed chart, in cells from the sheet's corner. */
export interface DarkCell {
  x: number;
  y: number;
  width: number;
  height: number;
}

/** All that a kind of chart is: a further one is a file beside these and a line in the table. */
export interface Chart {
  kind: ChartKind;
  /** for people: what a picture of it holds, and what is counted in it */
  words: { title: string; detail?: string; holds: string; corners: string };
  /** the pictures in which it may show, as it is and where light and dark are exchanged */
  pictures(image: GrayImage): GrayImage[];
  /** places that may be its corners, in a picture that was smoothed */
  spots(image: GrayImage): Saddle[];
  /** may two neighbouring corners have these directions? */
  neighbours(a: number, b: number): boolean;
  /** @param level how often the picture was halved when its lattice was found */
  look(cellPx: number, level: number): ChartLook;
  /** bright quadrants change places from corner to corner: a saddle seen from afar is one of its own, and one that points the wrong way is none */
  alternates: boolean;
  /** 1 or −1, as light and dark change places */
  sense(row: number, col: number): 1 | -1;
  /** its lines have a width of their own, which the picture tells */
  lines: boolean;
  form: CornerForm;
  /** its dark pieces on a sheet of so many cells; `offset` is the number of cells of the pattern before this sheet's first one */
  dark(across: number, down: number, offset: number): DarkCell[];
}

/** Of the picture in which charts are searched. */
export const SMOOTHING_PX = 1.2;

/** Largest window that stays inside the picture. */
export const roomAt = (picture: { widthPx: number; heightPx: number }, x: number, y: number): number => Math.min(x, y, picture.widthPx - x, picture.heightPx - y) - 2;

/** A test on a ring in the smoothed picture; null where the ring leaves the picture. */
export function onRing(picture: SmoothedPicture, x: number, y: number, radiusPx: number, test: (image: GrayImage, x: number, y: number, radiusPx: number) => Saddle | null): Saddle | null {
  if (!ringFits(picture, x, y, radiusPx)) return null;
  const { image, x0, y0 } = picture.near(x, y, radiusPx + 2);
  return test(image, x - x0, y - y0, radiusPx);
}
