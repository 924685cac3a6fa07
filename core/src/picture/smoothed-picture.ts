import { mirrored, RADIUS, sampleAt, smooth, smoothingTaps, type GrayImage } from './gray-image';
import { rowKernel, scratchTaken, SPARE, type RowKernel, type Taps } from './row-kernel';

/** A part of a smoothed picture: its pixel (0, 0) is the picture's (x0, y0). It holds until another part is asked for. */
export interface Patch {
  image: GrayImage;
  x0: number;
  y0: number;
}

interface HeldPatch extends Patch {
  kernel: RowKernel;
  /** of the rows in the kernel */
  firstRow: number;
  /** what lies within is smoothed, px of the picture */
  x1: number;
  y1: number;
  taken: number;
}

/** Corners move a little while they are measured: so much more is smoothed than was asked for. */
const MARGIN_PX = 3;
/** Height of a band, and how much of the picture's mirror image is smoothed beside it. */
const BAND_PX = 128;
const BESIDE_PX = 64;
/** Fewer numbers are copied faster one by one. */
const LONG_PX = 96;

/**
 * A picture that is smoothed where it is looked at. A chart of large cells is measured at a few hundred corners; smoothing all of a 4K
 * picture for them costs more than finding and measuring them. Beyond its border the picture goes on as its mirror image.
 */
export class SmoothedPicture {
  readonly widthPx: number;
  readonly heightPx: number;
  private readonly taps: Taps;
  private held: HeldPatch | null = null;

  constructor(
    private readonly source: GrayImage,
    private readonly sigmaPx: number,
  ) {
    this.widthPx = source.widthPx;
    this.heightPx = source.heightPx;
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

  /** The picture about a place, smoothed at least within `reachPx` of it. */
  near(xPx: number, yPx: number, reachPx: number): Patch {
    return this.hold(xPx, yPx, reachPx);
  }

  /**
   * The structure tensor about a place, gathered over a round window that `borderPx` at the picture's border are left out of:
   * Σ w g gᵀ as xx, xy, yy and Σ w g gᵀ d, with g twice the gradient, d the way from the place and w = 1 − (|d|/radius)⁴, or ⁸ where `flat`.
   */
  structureAt(xPx: number, yPx: number, radiusPx: number, borderPx: number, flat = false): Float32Array {
    const held = this.hold(xPx, yPx, radiusPx + 1);
    const x0 = Math.max(borderPx, Math.ceil(xPx - 0.5 - radiusPx));
    const x1 = Math.min(this.widthPx - 1 - borderPx, Math.floor(xPx - 0.5 + radiusPx));
    const y0 = Math.max(borderPx, Math.ceil(yPx - 0.5 - radiusPx));
    const y1 = Math.min(this.heightPx - 1 - borderPx, Math.floor(yPx - 0.5 + radiusPx));
    const window = { row: held.firstRow + y0 - held.y0, x: x0 - held.x0 - SPARE, widthPx: x1 - x0 + 1, heightPx: y1 - y0 + 1, dx: x0 + 0.5 - xPx, dy: y0 + 0.5 - yPx };
    return held.kernel.structure(window, radiusPx, flat);
  }

  /** Smooths all between two heights at once: cheaper than place by place where most of the picture is looked at, from above downwards. */
  holdBand(topPx: number, bottomPx: number): void {
    const held = this.held;
    const width = this.widthPx;
    if (held && held.taken === scratchTaken() && held.x0 + SPARE <= 0 && held.x1 >= width && topPx >= held.y0 && bottomPx <= held.y1) return;
    this.held = this.smoothed(-BESIDE_PX, Math.floor(topPx), width + 2 * BESIDE_PX, Math.max(BAND_PX, Math.ceil(bottomPx - topPx) + 1));
  }

  private hold(xPx: number, yPx: number, reachPx: number): HeldPatch {
    const held = this.held;
    if (held && held.taken === scratchTaken() && xPx - reachPx >= held.x0 + SPARE && yPx - reachPx >= held.y0 && xPx + reachPx <= held.x1 && yPx + reachPx <= held.y1) return held;
    const reach = reachPx + MARGIN_PX;
    // a whole number of fours, so that few sizes are in use
    const sizePx = 4 * Math.ceil((2 * reach + 2) / 4);
    return (this.held = this.smoothed(Math.floor(xPx - reach), Math.floor(yPx - reach), sizePx, sizePx));
  }

  private smoothed(left: number, top: number, widthPx: number, heightPx: number): HeldPatch {
    const { widthPx: w, heightPx: h, data } = this.source;
    const kernel = rowKernel(widthPx, 3 * heightPx + 4 * RADIUS);
    const { stridePx, data: scratch } = kernel;
    const [first, end] = [left - RADIUS, left + widthPx + RADIUS];
    const [from, to] = [Math.max(0, first), Math.min(w, end)];
    for (let i = 0; i < heightPx + 2 * RADIUS; i += 1) {
      const row = mirrored(top - RADIUS + i, h) * w;
      const out = i * stridePx - first;
      for (let x = first; x < from; x += 1) scratch[out + x] = data[row + mirrored(x, w)];
      if (to - from > LONG_PX) scratch.set(data.subarray(row + from, row + to), out + from);
      else for (let x = from; x < to; x += 1) scratch[out + x] = data[row + x];
      for (let x = Math.max(to, first); x < end; x += 1) scratch[out + x] = data[row + mirrored(x, w)];
    }
    const mid = heightPx + 2 * RADIUS;
    const firstRow = 2 * mid;
    kernel.smoothRows(0, mid, firstRow, heightPx, this.taps);
    const image = { widthPx: stridePx, heightPx, data: scratch.subarray(firstRow * stridePx) };
    return { image, x0: left - SPARE, y0: top, kernel, firstRow, x1: left + widthPx, y1: top + heightPx, taken: scratchTaken() };
  }
}
