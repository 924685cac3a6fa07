import { halve, smooth, type FloatImage, type GrayImage } from '../picture';

/** A picture and its halvings, each after a light blur so that a shift by a part of a pixel changes it smoothly. */
export interface Pyramid {
  levels: FloatImage[];
}

/** Of the blur at the full size; less leaves grain that no second frame repeats, more takes detail that does. */
const BLUR_PX = 0.8;
/** The smallest level is about this wide: a feature that crosses a tenth of the frame moves a few pixels there. */
const SMALLEST_PX = 60;
const MOST_LEVELS = 6;

/**
 * @param image any size; levels keep the corner-origin convention: full = 2^level · place in the level
 * @param spent a pyramid that nobody needs any more: its memory is written over
 */
export function pyramidOf(image: GrayImage, spent: Pyramid | null = null): Pyramid {
  const memory = (level: number) => spent?.levels[level]?.data;
  const levels = [smooth(image, BLUR_PX, memory(0))];
  while (levels.length < MOST_LEVELS && Math.max(levels[levels.length - 1].widthPx, levels[levels.length - 1].heightPx) >= 2 * SMALLEST_PX)
    levels.push(halve(levels[levels.length - 1], memory(levels.length)));
  return { levels };
}

/** Every ninth row is read, and every third pixel of it: of a frame of HD size 70,000, whose mean is good to less than a hundredth. */
const ROWS_APART = 9;

/** Mean of the squared gradient: falls where a frame is blurred. */
export function sharpnessOf({ levels: [{ widthPx: w, heightPx: h, data }] }: Pyramid): number {
  let sum = 0;
  let n = 0;
  for (let y = 1; y < h - 1; y += ROWS_APART)
    for (let x = 1; x < w - 1; x += 3) {
      const i = y * w + x;
      sum += (data[i + 1] - data[i - 1]) ** 2 + (data[i + w] - data[i - w]) ** 2;
      n += 1;
    }
  return n === 0 ? 0 : sum / (4 * n);
}
