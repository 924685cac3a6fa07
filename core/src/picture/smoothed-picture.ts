import { mirrored, RADIUS, sampleAt, smooth, smoothingTaps, type GrayImage } from './gray-image';
import { pixelsOf, rowKernel, scratchTaken, SPARE, type Pixels, type RowKernel, type Taps } from './row-kernel';

/** A part of a smoothed picture: its pixel (0, 0) is the picture's (x0, y0). It holds until another part is asked for. */
interface Patch {
  image: GrayImage;
  x0: number;
  y0: number;
  kernel: RowKernel;
  /** from here on it is smoothed, to there, px of the picture; to the left from x0 + SPARE on */
  top: number;
  x1: number;
  y1: number;
  taken: number;
}

/** Corners move a little while they are measured: so much more is smoothed than was asked for. */
const MARGIN_PX = 1.5;
/** Height of a band, and how much of the picture's mirror image is smoothed beside it. */
const BAND_PX = 128;
const BESIDE_PX = 64;

/**
 * A picture that is smoothed where it is looked at. A chart of large cells is measured at a few hundred corners; smoothing all of a 4K
 * picture for them costs more than finding and measuring them. Beyond its border the picture goes on as its mirror image.
 */
export class SmoothedPicture {
  readonly widthPx: number;
  readonly heightPx: number;
  private readonly taps: Taps;
  private readonly pixels: Pixels;
  private held: Patch | null = null;

  constructor(
    /** the picture itself */
    readonly source: GrayImage,
    private readonly sigmaPx: number,
  ) {
    this.widthPx = source.widthPx;
    this.heightPx = source.heightPx;
    this.pixels = pixelsOf(source.data);
    this.taps = smoothingTaps(sigmaPx);
  }

  /** The same picture, smoothed by so much. */
  by(sigmaPx: number): SmoothedPicture {
    return sigmaPx === this.sigmaPx ? this : new SmoothedPicture(this.source, sigmaPx);
  }

  whole(): GrayImage {
    return smooth(this.source, this.sigmaPx);
  }

  /** Bilinear value at a place inside. */
  at(xPx: number, yPx: number): number {
    const { image, x0, y0 } = this.near(xPx, yPx, 1);
    return sampleAt(image, xPx - x0, yPx - y0);
  }

  /**
   * The structure tensor about a place, gathered over a round window that `borderPx` at the picture's border are left out of:
   * Σ w g gᵀ as xx, xy, yy and Σ w g gᵀ d, with g twice the gradient, d the way from the place and w = 1 − (|d|/radius)⁴, or ⁸ where `flat`.
   */
  structureAt(xPx: number, yPx: number, radiusPx: number, borderPx: number, flat = false): Float32Array {
    const held = this.near(xPx, yPx, radiusPx + 1);
    const x0 = Math.max(borderPx, Math.ceil(xPx - 0.5 - radiusPx));
    const x1 = Math.min(this.widthPx - 1 - borderPx, Math.floor(xPx - 0.5 + radiusPx));
    const y0 = Math.max(borderPx, Math.ceil(yPx - 0.5 - radiusPx));
    const y1 = Math.min(this.heightPx - 1 - borderPx, Math.floor(yPx - 0.5 + radiusPx));
    const window = { row: y0 - held.y0, x: x0 - held.x0 - SPARE, widthPx: x1 - x0 + 1, heightPx: y1 - y0 + 1, dx: x0 + 0.5 - xPx, dy: y0 + 0.5 - yPx };
    return held.kernel.structure(window, radiusPx, flat);
  }

  /** Smooths all between two heights at once: cheaper than place by place where most of the picture is looked at, from above downwards. */
  holdBand(topPx: number, bottomPx: number): void {
    const held = this.held;
    const width = this.widthPx;
    if (held && held.taken === scratchTaken() && held.x0 + SPARE <= 0 && held.x1 >= width && topPx >= held.top && bottomPx <= held.y1) return;
    this.held = this.smoothed(-BESIDE_PX, Math.floor(topPx), width + 2 * BESIDE_PX, Math.max(BAND_PX, Math.ceil(bottomPx - topPx) + 1));
  }

  /** The picture about a place, smoothed at least within `reachPx` of it. */
  near(xPx: number, yPx: number, reachPx: number): Patch {
    const held = this.held;
    if (held && held.taken === scratchTaken() && xPx - reachPx >= held.x0 + SPARE && yPx - reachPx >= held.top && xPx + reachPx <= held.x1 && yPx + reachPx <= held.y1) return held;
    // a whole number of fours, so that few sizes are in use; what that adds is margin on every side
    const sizePx = 4 * Math.ceil((2 * (reachPx + MARGIN_PX) + 1) / 4);
    return (this.held = this.smoothed(Math.round(xPx - sizePx / 2), Math.round(yPx - sizePx / 2), sizePx, sizePx));
  }

  private smoothed(left: number, top: number, widthPx: number, heightPx: number): Patch {
    const { widthPx: w, heightPx: h, data } = this.source;
    const kernel = rowKernel(widthPx, 3 * heightPx + 4 * RADIUS);
    const { stridePx, data: scratch } = kernel;
    const [first, end] = [left - RADIUS, left + widthPx + RADIUS];
    const [from, to] = [Math.max(0, first), Math.min(w, end)];
    const firsts = new Int32Array(heightPx + 2 * RADIUS);
    for (let i = 0; i < firsts.length; i += 1) firsts[i] = mirrored(top - RADIUS + i, h) * w + from;
    kernel.readRows(this.pixels, firsts, to - from, from - first);
    if (to - from < end - first) {
      for (let i = 0; i < firsts.length; i += 1) {
        const row = firsts[i] - from;
        const out = i * stridePx - first;
        for (let x = first; x < from; x += 1) scratch[out + x] = data[row + mirrored(x, w)];
        for (let x = Math.max(to, first); x < end; x += 1) scratch[out + x] = data[row + mirrored(x, w)];
      }
    }
    const mid = heightPx + 2 * RADIUS;
    const firstRow = 2 * mid;
    kernel.smoothRows(0, mid, firstRow, heightPx, this.taps);
    // the scratch rows as they are, with what was read above what was smoothed: nothing is copied
    const image = { widthPx: stridePx, heightPx: firstRow + heightPx, data: scratch };
    return { image, x0: left - SPARE, y0: top - firstRow, kernel, top, x1: left + widthPx, y1: top + heightPx, taken: scratchTaken() };
  }
}
