import { CoreError } from '../errors';

/** A corner of an outline, px of the recorded picture. */
export type Corner2 = readonly [number, number];

/** What must not be tracked: an outline on one frame or several, moved evenly between them. */
export interface ClipMask {
  /** places in the clip from 0, rising; as many corners on each */
  keys: readonly { index: number; outline: readonly Corner2[] }[];
  /** it holds from here to there; missing: over the whole clip */
  from?: number | null;
  to?: number | null;
}

/** The outline on a frame; before its first and after its last key it stays. Null where the mask does not hold. @throws CoreError INVALID_OPTION */
export function outlineAt(mask: ClipMask, index: number): readonly Corner2[] | null {
  const { keys } = mask;
  if (keys.length === 0 || keys.some((k) => k.outline.length < 3 || k.outline.length !== keys[0].outline.length))
    throw new CoreError('INVALID_OPTION', 'A mask needs an outline of at least three corners, and as many on each of its frames', 'masks');
  if ((mask.from ?? -Infinity) > index || (mask.to ?? Infinity) < index) return null;
  const after = keys.findIndex((k) => k.index >= index);
  if (after === 0) return keys[0].outline;
  if (after < 0) return keys[keys.length - 1].outline;
  const [a, b] = [keys[after - 1], keys[after]];
  const t = (index - a.index) / (b.index - a.index);
  return a.outline.map(([x, y], i) => [x + t * (b.outline[i][0] - x), y + t * (b.outline[i][1] - y)] as const);
}

/** Even–odd rule: a place inside the outline. */
export function isInside(outline: readonly Corner2[], xPx: number, yPx: number): boolean {
  let inside = false;
  for (let i = 0, j = outline.length - 1; i < outline.length; j = i, i += 1) {
    const [xi, yi] = outline[i];
    const [xj, yj] = outline[j];
    if (yi > yPx !== yj > yPx && xPx < ((xj - xi) * (yPx - yi)) / (yj - yi) + xi) inside = !inside;
  }
  return inside;
}

export const isMasked = (masks: readonly ClipMask[], index: number, xPx: number, yPx: number): boolean =>
  masks.some((m) => {
    const outline = outlineAt(m, index);
    return outline !== null && isInside(outline, xPx, yPx);
  });

const ACROSS = 64;
const DOWN = 36;

/** Share of the frame that is masked, 0…1, by a raster. */
export function maskedShare(masks: readonly ClipMask[], index: number, widthPx: number, heightPx: number): number {
  const outlines = masks.flatMap((m) => outlineAt(m, index) ?? []);
  if (outlines.length === 0) return 0;
  let n = 0;
  for (let j = 0; j < DOWN; j += 1) for (let i = 0; i < ACROSS; i += 1) if (isMasked(masks, index, ((i + 0.5) / ACROSS) * widthPx, ((j + 0.5) / DOWN) * heightPx)) n += 1;
  return n / (ACROSS * DOWN);
}
