import { median } from '../math';
import { sampleAt, type GrayImage } from './gray-image';
import type { LatticeNode } from './grow-lattice';

/**
 * Blur of the picture as the sigma in px of the edge spread, measured across cell edges: for a step of contrast C blurred by a
 * Gaussian, the steepest slope is C / (sigma √(2π)). The lens's and the sensor's own softness are in it.
 */
export function edgeBlurPx(image: GrayImage, nodes: readonly LatticeNode[]): number {
  const byPlace = new Map(nodes.map((n) => [n.row * 65536 + n.col, n]));
  const values: number[] = [];
  const stride = Math.max(1, Math.floor(nodes.length / 400));
  for (let i = 0; i < nodes.length; i += stride) {
    const a = nodes[i];
    const b = byPlace.get(a.row * 65536 + a.col + 1);
    if (!b) continue;
    const length = Math.hypot(b.x - a.x, b.y - a.y);
    const nx = -(b.y - a.y) / length;
    const ny = (b.x - a.x) / length;
    const mx = (a.x + b.x) / 2;
    const my = (a.y + b.y) / 2;
    const reach = 0.4 * length;
    if (mx - reach < 2 || my - reach < 2 || mx + reach > image.widthPx - 2 || my + reach > image.heightPx - 2) continue;
    const step = 0.5;
    let low = Infinity,
      high = -Infinity,
      steepest = 0;
    let previous = sampleAt(image, mx - reach * nx, my - reach * ny);
    for (let s = -reach + step; s <= reach; s += step) {
      const v = sampleAt(image, mx + s * nx, my + s * ny);
      low = Math.min(low, v);
      high = Math.max(high, v);
      steepest = Math.max(steepest, Math.abs(v - previous) / step);
      previous = v;
    }
    if (steepest > 0) values.push((high - low) / (steepest * Math.sqrt(2 * Math.PI)));
  }
  return values.length > 0 ? median(values) : Number.NaN;
}

/** Share of an edge's contrast that falls within one pixel, 0…1: erf(1 / (2√2 sigma)), Abramowitz & Stegun 7.1.26. */
export function sharpnessOf(blurPx: number): number {
  const x = 1 / (2 * Math.SQRT2 * Math.max(blurPx, 1e-6));
  const t = 1 / (1 + 0.3275911 * x);
  return 1 - t * (0.254829592 + t * (-0.284496736 + t * (1.421413741 + t * (-1.453152027 + t * 1.061405429)))) * Math.exp(-x * x);
}
