import { median } from '../math';
import type { GrayImage } from '../picture';
import type { Chart, CornerForm, FormAt, Oval } from '../charts';
import { boxOf, cornerWindow, leftOut, nearEdge, type CornerWindow } from './corner-model';

const ROUNDS = 5;
/** A corner rests when the next step moves it by less: a quarter of the noise of the best plates. */
const RESTS_PX = 0.004;
/** What was measured by gradients is good to a small part of a pixel: who wanders farther follows something else. */
export const FARTHEST_PX = 0.5;
const LEAST_BLUR_PX = 0.35;
const MOST_BLUR_PX = 8;
/** Of four unknowns and four: a window needs some more pixels than that. */
const LEAST_PIXELS = 24;

export interface FittedCorner {
  x: number;
  y: number;
  /** sigma of the blur across the edge that runs along the row, and across the other, px */
  blurPx: readonly [number, number];
  /** grey between the two, and half their difference with its sign: m and a of the model */
  level: number;
  amplitude: number;
  /** scatter of the pixels about the model, grey levels */
  noise: number;
}

/**
 * Sub-pixel place of a corner by least squares of the whole grey-value model: two blurred edges that cross (a chequer), or two blurred lines
 * (ruled). With white noise it is the maximum-likelihood estimate; the point to which the gradients are orthogonal, from which it starts, scatters
 * two to three times as much.
 * Model    I = m + a·w + g·d, w = E₁E₂ with E = erf(p/√2σ) across an edge, or 1 − (1 − L₁)(1 − L₂) with L a line of known width blurred by σ; p the
 *          distance from the edge. Unknown: place, m, a, both blurs, the shading g. The edges' directions are the fitted chart's.
 * Method   Gauss–Newton. The place and the shading are odd about the corner, the other unknowns even: their normal equations are apart but
 *          for what the picture's border cuts off, and are solved apart, round by round.
 * Source   Least-squares template matching: Gruen, Adaptive least squares correlation, S. Afr. J. of Photogrammetry 14(3), 1985.
 */
export class CornerFitter {
  constructor(
    private readonly image: GrayImage,
    private readonly form: CornerForm,
    /** of ruled lines, in cells */
    private readonly lineCells = 0,
  ) {}

  /**
   * @param cell the two sides of the cell at the corner, px
   * @param blurPx to start from
   * @returns null where the window is too small or the model does not hold
   */
  fit(start: { x: number; y: number }, cell: Oval, blurPx: number): FittedCorner | null {
    const blur = Math.min(MOST_BLUR_PX, Math.max(LEAST_BLUR_PX, blurPx));
    const window = cornerWindow(cell, this.lineCells, blur, blur);
    if (!window) return null;
    const now: CornerState = { x: start.x, y: start.y, s1: blur, s2: blur, m: 0, a: 0, gx: 0, gy: 0 };
    let pixels = 0,
      squares = 0;
    for (let round = 0; round < ROUNDS; round += 1) {
      // level and contrast first, from a place and a blur that are about right
      const levels = round === 0;
      pixels = levels ? formsIn(this.image, this.form, window, now) : rowsIn(this.image, this.form, window, now);
      if (pixels < LEAST_PIXELS) return null;
      if (levels) {
        if (!beginLevels(now, pixels)) return null;
        continue;
      }
      squares = squaresOf(residuals, pixels);
      if (!solve4(odd, pixels)) return null;
      const [sx, sy] = [answer[0], answer[1]];
      now.x += sx;
      now.y += sy;
      now.gx += answer[2];
      now.gy += answer[3];
      if (!solve4(even, pixels)) return null;
      now.m += answer[0];
      now.a += answer[1];
      now.s1 = limited(now.s1, answer[2]);
      now.s2 = limited(now.s2, answer[3]);
      if (!isBlur(now.s1) || !isBlur(now.s2)) return null;
      if (!(Math.hypot(now.x - start.x, now.y - start.y) <= FARTHEST_PX)) return null;
      if (sx * sx + sy * sy < RESTS_PX * RESTS_PX) break;
    }
    return { x: now.x, y: now.y, blurPx: [now.s1, now.s2], level: now.m, amplitude: now.a, noise: Math.sqrt(squares / Math.max(1, pixels - 8)) };
  }
}

/** The unknowns of a corner: place, blurs, m and a of the model, shading. */
interface CornerState {
  x: number;
  y: number;
  s1: number;
  s2: number;
  m: number;
  a: number;
  gx: number;
  gy: number;
}

/** A blur must not run away in one step. */
const limited = (blurPx: number, step: number): number => Math.min(1.5 * blurPx, Math.max(blurPx / 1.5, blurPx + step));
const isBlur = (blurPx: number): boolean => blurPx > LEAST_BLUR_PX / 2 && blurPx < MOST_BLUR_PX;

/** A window of 28 px each way at a slant of a tenth of a right angle; what is slanted more is no corner that could be measured. */
const MOST_PIXELS = 8192;
/** Of the window's pixels, one after the other: how far from the corner, the form and its derivatives, the grey. */
const offsets = new Float64Array(2 * MOST_PIXELS);
const forms = new Float64Array(5 * MOST_PIXELS);
const greys = new Float64Array(MOST_PIXELS);
/** Rows of the odd unknowns x, y, gx, gy and of the even ones m, a, s1, s2, and what the model leaves. */
const odd = new Float64Array(4 * MOST_PIXELS);
const even = new Float64Array(4 * MOST_PIXELS);
const residuals = new Float64Array(MOST_PIXELS);
const formHere: FormAt = { form: 0, byP: 0, byQ: 0, byS1: 0, byS2: 0 };

/** Looks at each pixel of the window that counts; how many there are, 0 where they are too many. */
function formsIn({ widthPx, heightPx, data }: GrayImage, form: CornerForm, window: CornerWindow, now: CornerState): number {
  const { n1x, n1y, n2x, n2y, reach1Px, reach2Px, half1Px, half2Px } = window;
  const [boxX, boxY] = boxOf(window);
  const { x, y } = now;
  const [i1, i2] = [1 / now.s1, 1 / now.s2];
  const [near1, near2] = [nearEdge(half1Px, now.s1), nearEdge(half2Px, now.s2)];
  const top = Math.max(0, Math.ceil(y - boxY - 0.5));
  const bottom = Math.min(heightPx - 1, Math.floor(y + boxY - 0.5));
  const left = Math.max(0, Math.ceil(x - boxX - 0.5));
  const right = Math.min(widthPx - 1, Math.floor(x + boxX - 0.5));
  let n = 0;
  for (let py = top; py <= bottom; py += 1) {
    const dy = py + 0.5 - y;
    const q1 = n1y * dy;
    const q2 = n2y * dy;
    for (let px = left; px <= right; px += 1) {
      const dx = px + 0.5 - x;
      const p = n1x * dx + q1;
      const q = n2x * dx + q2;
      if (p > reach1Px || p < -reach1Px || q > reach2Px || q < -reach2Px || leftOut(px, py, p, q, near1, near2)) continue;
      if (n === MOST_PIXELS) return 0;
      form(p, q, i1, i2, half1Px, half2Px, formHere);
      offsets[2 * n] = dx;
      offsets[2 * n + 1] = dy;
      const k = 5 * n;
      forms[k] = formHere.form;
      forms[k + 1] = formHere.byP;
      forms[k + 2] = formHere.byQ;
      forms[k + 3] = formHere.byS1;
      forms[k + 4] = formHere.byS2;
      greys[n] = data[py * widthPx + px];
      n += 1;
    }
  }
  return n;
}

/** The same, with the rows of the linearised model and what it leaves of each pixel. */
function rowsIn(image: GrayImage, form: CornerForm, window: CornerWindow, now: CornerState): number {
  const n = formsIn(image, form, window, now);
  const { n1x, n1y, n2x, n2y } = window;
  const { m, a, gx, gy } = now;
  const perLevel = 1 / Math.max(1, Math.abs(m));
  for (let i = 0, k = 0, to = 0; i < n; i += 1, k += 5, to += 4) {
    const w = forms[k];
    // light that falls off takes its share of dark and bright alike
    const lit = (m + a * w) * perLevel;
    const tx = lit * offsets[2 * i];
    const ty = lit * offsets[2 * i + 1];
    const byP = a * forms[k + 1];
    const byQ = a * forms[k + 2];
    residuals[i] = greys[i] - m - a * w - gx * tx - gy * ty;
    odd[to] = -(byP * n1x + byQ * n2x);
    odd[to + 1] = -(byP * n1y + byQ * n2y);
    odd[to + 2] = tx;
    odd[to + 3] = ty;
    even[to] = 1;
    even[to + 1] = w;
    even[to + 2] = a * forms[k + 3];
    even[to + 3] = a * forms[k + 4];
  }
  return n;
}

/** Level and contrast that fit the window's pixels with the form as it is; false where they show none. */
function beginLevels(now: CornerState, n: number): boolean {
  let e2 = 0,
    e22 = 0,
    c1 = 0,
    c2 = 0;
  for (let i = 0; i < n; i += 1) {
    const w = forms[5 * i];
    e2 += w;
    e22 += w * w;
    c1 += greys[i];
    c2 += w * greys[i];
  }
  const d = n * e22 - e2 * e2;
  if (!(d > 1e-9 * n * e22)) return false;
  now.m = (e22 * c1 - e2 * c2) / d;
  now.a = (n * c2 - e2 * c1) / d;
  return now.a !== 0;
}

function squaresOf(values: Float64Array, n: number): number {
  let sum = 0;
  for (let i = 0; i < n; i += 1) sum += values[i] * values[i];
  return sum;
}

const answer = new Float64Array(4);

/** The four unknowns of the rows and the residuals by normal equations and Cholesky's factorisation, into `answer`; false where they are not determined. */
function solve4(rows: Float64Array, n: number): boolean {
  let a = 0,
    b = 0,
    c = 0,
    d = 0,
    e = 0,
    f = 0,
    g = 0,
    h = 0,
    i = 0,
    j = 0;
  let p = 0,
    q = 0,
    r = 0,
    s = 0;
  for (let k = 0, at = 0; k < n; k += 1, at += 4) {
    const v0 = rows[at];
    const v1 = rows[at + 1];
    const v2 = rows[at + 2];
    const v3 = rows[at + 3];
    const left = residuals[k];
    a += v0 * v0;
    b += v0 * v1;
    c += v0 * v2;
    d += v0 * v3;
    e += v1 * v1;
    f += v1 * v2;
    g += v1 * v3;
    h += v2 * v2;
    i += v2 * v3;
    j += v3 * v3;
    p += v0 * left;
    q += v1 * left;
    r += v2 * left;
    s += v3 * left;
  }
  const l21 = b / a,
    l31 = c / a,
    l41 = d / a;
  const d2 = e - l21 * b;
  const l32 = (f - l21 * c) / d2,
    l42 = (g - l21 * d) / d2;
  const d3 = h - l31 * c - l32 * l32 * d2;
  const l43 = (i - l31 * d - l32 * l42 * d2) / d3;
  const d4 = j - l41 * d - l42 * l42 * d2 - l43 * l43 * d3;
  if (!(a > 0 && d2 > 1e-9 * e && d3 > 1e-9 * h && d4 > 1e-9 * j)) return false;
  const y1 = p,
    y2 = q - l21 * y1,
    y3 = r - l31 * y1 - l32 * y2,
    y4 = s - l41 * y1 - l42 * y2 - l43 * y3;
  answer[3] = y4 / d4;
  answer[2] = y3 / d3 - l43 * answer[3];
  answer[1] = y2 / d2 - l32 * answer[2] - l42 * answer[3];
  answer[0] = y1 / a - l21 * answer[1] - l31 * answer[2] - l41 * answer[3];
  return true;
}

/** Line widths that are tried, in cells. */
const WIDTHS = [0.02, 0.03, 0.045, 0.06, 0.08, 0.1, 0.125, 0.155, 0.19, 0.23];
const WIDTH_SAMPLE = 30;

/** The width of a ruled chart's lines in cells, at which the model fits a sample of corners best. */
export function lineWidthCells(image: GrayImage, { form }: Chart, corners: readonly { x: number; y: number; cell: Oval }[], blurPx: number): number {
  const stride = Math.max(1, Math.floor(corners.length / WIDTH_SAMPLE));
  const sample = corners.filter((_, i) => i % stride === 0);
  let best = WIDTHS[0],
    least = Infinity;
  for (const width of WIDTHS) {
    const fitter = new CornerFitter(image, form, width);
    const noises = sample.map((c) => fitter.fit(c, c.cell, blurPx)?.noise ?? Infinity);
    const noise = median(noises);
    if (noise < least) [best, least] = [width, noise];
  }
  return best;
}
