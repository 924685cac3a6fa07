import { convexHull } from '../math';
import { inWords } from '../units';

/** How much of the frame the charts of several plates cover together, and where nothing was. */
export interface Cover {
  share: number;
  /** in words, as "right side and bottom" or "top left corner"; null where no part of the border is empty */
  empty: string | null;
}

type Place = { x: number; y: number };

/** Parts of the frame's width that are looked at; a hundredth of the area is a hundred of them. */
const ACROSS = 128;
/** An empty band along a side is worth a word from a tenth of the frame on: a chart ends up to a cell inside it. */
const BAND_SHARE = 0.1;
/** A corner of the frame, a fifth of it each way, is empty with less of it covered than this. */
const CORNER_SHARE = 0.2;
const CORNER_COVERED = 0.3;

/**
 * The union of the areas that the plates' corners enclose. A smaller chart shot in several places covers the frame as well as one that fills
 * it: what counts is where corners were seen at all.
 * @param plates the corners of each, px
 */
export function coverOf(plates: readonly (readonly Place[])[], frame: { widthPx: number; heightPx: number }): Cover {
  const down = Math.max(1, Math.round((ACROSS * frame.heightPx) / frame.widthPx));
  const seen = new Uint8Array(ACROSS * down);
  for (const plate of plates) {
    const hull = convexHull(plate);
    if (hull.length < 3) continue;
    for (let row = 0; row < down; row += 1) {
      const span = acrossHull(hull, ((row + 0.5) / down) * frame.heightPx);
      if (!span) continue;
      // cells whose middle lies between
      const from = Math.max(0, Math.ceil((span[0] / frame.widthPx) * ACROSS - 0.5));
      const to = Math.min(ACROSS - 1, Math.floor((span[1] / frame.widthPx) * ACROSS - 0.5));
      if (to >= from) seen.fill(1, row * ACROSS + from, row * ACROSS + to + 1);
    }
  }
  const share = seen.reduce((n, v) => n + v, 0) / seen.length;
  return { share, empty: share === 0 ? null : emptyPart(seen, down) };
}

/** Where a line across the picture enters and leaves a hull. */
function acrossHull(hull: readonly Place[], y: number): [number, number] | null {
  let left = Infinity,
    right = -Infinity;
  hull.forEach((a, i) => {
    const b = hull[(i + 1) % hull.length];
    if (a.y > y === b.y > y) return;
    const x = a.x + ((y - a.y) / (b.y - a.y)) * (b.x - a.x);
    left = Math.min(left, x);
    right = Math.max(right, x);
  });
  return right >= left ? [left, right] : null;
}

function emptyPart(seen: Uint8Array, down: number): string | null {
  let left = ACROSS,
    right = ACROSS,
    top = down,
    bottom = down;
  for (let row = 0; row < down; row += 1)
    for (let col = 0; col < ACROSS; col += 1) {
      if (!seen[row * ACROSS + col]) continue;
      left = Math.min(left, col);
      right = Math.min(right, ACROSS - 1 - col);
      top = Math.min(top, row);
      bottom = Math.min(bottom, down - 1 - row);
    }
  const sides = [
    { name: 'left side', share: left / ACROSS },
    { name: 'right side', share: right / ACROSS },
    { name: 'top', share: top / down },
    { name: 'bottom', share: bottom / down },
  ].filter((s) => s.share > BAND_SHARE);
  if (sides.length > 0) return inWords(sides.sort((a, b) => b.share - a.share).map((s) => s.name));
  const [w, h] = [Math.round(CORNER_SHARE * ACROSS), Math.round(CORNER_SHARE * down)];
  const covered = (row0: number, col0: number): number => {
    let n = 0;
    for (let row = row0; row < row0 + h; row += 1) for (let col = col0; col < col0 + w; col += 1) n += seen[row * ACROSS + col];
    return n / (w * h);
  };
  const corners = [
    { name: 'top left corner', share: covered(0, 0) },
    { name: 'top right corner', share: covered(0, ACROSS - w) },
    { name: 'bottom left corner', share: covered(down - h, 0) },
    { name: 'bottom right corner', share: covered(down - h, ACROSS - w) },
  ].filter((c) => c.share < CORNER_COVERED);
  return corners.length === 0 ? null : inWords(corners.sort((a, b) => a.share - b.share).map((c) => c.name));
}
