import { median } from '../math';
import type { GrayImage } from '../picture';
import type { Chart, CornerForm, FormAt, Oval } from '../charts';
import { boxOf, cornerWindow, leftOut, nearEdge } from './corner-model';

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
  private readonly formHere: FormAt = { form: 0, byP: 0, byQ: 0, byS1: 0, byS2: 0 };
  private readonly w: number;
  private readonly h: number;
  private readonly data: GrayImage['data'];

  constructor(
    image: GrayImage,
    private readonly form: CornerForm,
    /** of ruled lines, in cells */
    private readonly lineCells = 0,
  ) {
    this.w = image.widthPx;
    this.h = image.heightPx;
    this.data = image.data;
  }

  /**
   * @param cell the two sides of the cell at the corner, px
   * @param blurPx to start from
   * @returns null where the window is too small or the model does not hold
   */
  fit(start: { x: number; y: number }, cell: Oval, blurPx: number): FittedCorner | null {
    let { x, y } = start;
    let s1 = Math.min(MOST_BLUR_PX, Math.max(LEAST_BLUR_PX, blurPx));
    let s2 = s1;
    const window = cornerWindow(cell, this.lineCells, s1, s2);
    if (!window) return null;
    const { n1x, n1y, n2x, n2y, reach1Px, reach2Px, half1Px, half2Px } = window;
    const [boxX, boxY] = boxOf(window);
    const { w, h, data, formHere: at } = this;
    let m = 0,
      a = 0,
      gx = 0,
      gy = 0;
    let squares = 0,
      pixels = 0;
    for (let round = 0; round < ROUNDS; round += 1) {
      const levels = round === 0;
      // of the odd unknowns x, y, gx, gy
      let xx = 0,
        xy = 0,
        x3 = 0,
        x4 = 0,
        yy = 0,
        y3 = 0,
        y4 = 0,
        o33 = 0,
        o34 = 0,
        o44 = 0,
        bx = 0,
        by = 0,
        b3 = 0,
        b4 = 0;
      // of the even ones m, a, s1, s2
      let e1 = 0,
        e12 = 0,
        e13 = 0,
        e14 = 0,
        e22 = 0,
        e23 = 0,
        e24 = 0,
        e33 = 0,
        e34 = 0,
        e44 = 0,
        c1 = 0,
        c2 = 0,
        c3 = 0,
        c4 = 0;
      squares = 0;
      pixels = 0;
      const [i1, i2] = [1 / s1, 1 / s2];
      const [near1, near2] = [nearEdge(half1Px, s1), nearEdge(half2Px, s2)];
      const perLevel = 1 / Math.max(1, Math.abs(m));
      const top = Math.max(0, Math.ceil(y - boxY - 0.5));
      const bottom = Math.min(h - 1, Math.floor(y + boxY - 0.5));
      const left = Math.max(0, Math.ceil(x - boxX - 0.5));
      const right = Math.min(w - 1, Math.floor(x + boxX - 0.5));
      for (let py = top; py <= bottom; py += 1) {
        const dy = py + 0.5 - y;
        const [q1, q2] = [n1y * dy, n2y * dy];
        for (let px = left; px <= right; px += 1) {
          const dx = px + 0.5 - x;
          const p = n1x * dx + q1;
          const q = n2x * dx + q2;
          if (p > reach1Px || p < -reach1Px || q > reach2Px || q < -reach2Px || leftOut(px, py, p, q, near1, near2)) continue;
          this.form(p, q, i1, i2, half1Px, half2Px, at);
          const form = at.form;
          const grey = data[py * w + px];
          pixels += 1;
          if (levels) {
            e1 += 1;
            e12 += form;
            e22 += form * form;
            c1 += grey;
            c2 += form * grey;
            continue;
          }
          // light that falls off takes its share of dark and bright alike
          const lit = (m + a * form) * perLevel;
          const [tx, ty] = [lit * dx, lit * dy];
          const r = grey - m - a * form - gx * tx - gy * ty;
          squares += r * r;
          const byP = a * at.byP;
          const byQ = a * at.byQ;
          const jx = -(byP * n1x + byQ * n2x);
          const jy = -(byP * n1y + byQ * n2y);
          const js1 = a * at.byS1;
          const js2 = a * at.byS2;
          xx += jx * jx;
          xy += jx * jy;
          x3 += jx * tx;
          x4 += jx * ty;
          yy += jy * jy;
          y3 += jy * tx;
          y4 += jy * ty;
          o33 += tx * tx;
          o34 += tx * ty;
          o44 += ty * ty;
          bx += jx * r;
          by += jy * r;
          b3 += tx * r;
          b4 += ty * r;
          e1 += 1;
          e12 += form;
          e13 += js1;
          e14 += js2;
          e22 += form * form;
          e23 += form * js1;
          e24 += form * js2;
          e33 += js1 * js1;
          e34 += js1 * js2;
          e44 += js2 * js2;
          c1 += r;
          c2 += form * r;
          c3 += js1 * r;
          c4 += js2 * r;
        }
      }
      if (pixels < LEAST_PIXELS) return null;
      if (levels) {
        const d = e1 * e22 - e12 * e12;
        if (!(d > 1e-9 * e1 * e22)) return null;
        m = (e22 * c1 - e12 * c2) / d;
        a = (e1 * c2 - e12 * c1) / d;
        if (a === 0) return null;
        continue;
      }
      if (!solve4(xx, xy, x3, x4, yy, y3, y4, o33, o34, o44, bx, by, b3, b4)) return null;
      const [sx, sy] = [answer[0], answer[1]];
      gx += answer[2];
      gy += answer[3];
      x += sx;
      y += sy;
      if (!solve4(e1, e12, e13, e14, e22, e23, e24, e33, e34, e44, c1, c2, c3, c4)) return null;
      m += answer[0];
      a += answer[1];
      // a blur must not run away in one step
      s1 = Math.min(1.5 * s1, Math.max(s1 / 1.5, s1 + answer[2]));
      s2 = Math.min(1.5 * s2, Math.max(s2 / 1.5, s2 + answer[3]));
      if (!(s1 > LEAST_BLUR_PX / 2 && s1 < MOST_BLUR_PX && s2 > LEAST_BLUR_PX / 2 && s2 < MOST_BLUR_PX)) return null;
      const moved = Math.hypot(x - start.x, y - start.y);
      if (!(moved <= FARTHEST_PX)) return null;
      if (sx * sx + sy * sy < RESTS_PX * RESTS_PX) break;
    }
    const noise = Math.sqrt(squares / Math.max(1, pixels - 8));
    return { x, y, blurPx: [s1, s2], level: m, amplitude: a, noise };
  }
}

const answer = new Float64Array(4);

/** The four unknowns of symmetric normal equations by Cholesky's factorisation; false where they are not determined. */
function solve4(a: number, b: number, c: number, d: number, e: number, f: number, g: number, h: number, i: number, j: number, p: number, q: number, r: number, s: number): boolean {
  const l11 = a,
    l21 = b / l11,
    l31 = c / l11,
    l41 = d / l11;
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
  const x4 = y4 / d4,
    x3 = y3 / d3 - l43 * x4,
    x2 = y2 / d2 - l32 * x3 - l42 * x4,
    x1 = y1 / a - l21 * x2 - l31 * x3 - l41 * x4;
  answer[0] = x1;
  answer[1] = x2;
  answer[2] = x3;
  answer[3] = x4;
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
