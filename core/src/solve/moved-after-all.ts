import { SOLVE } from '../warnings';
import type { SolveResult } from './result';

/** The camera was said to turn only, and it moved. One-axis noise that a turn leaves in the tracks and that a move does, px. */
export interface MovedAfterAll {
  /** null: as a turn no frame of it holds */
  turnPx: number | null;
  movePx: number;
  /** nobody measured the lens, and it seems to bend: a bend with a zoom, or with late rows, looks like a move too */
  lensDoubted: boolean;
}

/** A move takes up more of any error than a turn does; what it leaves must be plainly less. */
const QUIETER = 0.67;

/**
 * Was it a move that somebody took for a turn? Of a turn with an unwritten squeeze, zoom or bend a move may be made too: then those are what is wrong.
 * @param turned as it was asked for
 * @param free the same tracks, solved as whatever they are
 */
export function movedAfterAll(turned: SolveResult, free: SolveResult): MovedAfterAll | null {
  if (free.status === 'failed' || free.motion === 'pan' || free.squeezed || free.zoomed || !free.noisePx) return null;
  if (turned.status === 'failed' || !turned.noisePx) return { turnPx: null, movePx: free.noisePx, lensDoubted: false };
  const asBend = turned.bending ? Math.sqrt(turned.bending.remaining) : 1;
  return free.noisePx < QUIETER * asBend * turned.noisePx ? { turnPx: turned.noisePx, movePx: free.noisePx, lensDoubted: Boolean(turned.bending) } : null;
}

export function movedWords({ turnPx, movePx, lensDoubted }: MovedAfterAll): string {
  const words =
    turnPx === null
      ? 'the camera moved: as a turn no frame of it holds, and as a move the tracks fit'
      : `the camera moved: as a turn the tracks are off by ${turnPx.toFixed(1)} px, as a move by ${movePx.toFixed(1)} px`;
  return lensDoubted ? `${words} (nobody measured the lens: if it bends, and zoomed or was read row by row, that may be all)` : words;
}

/** A turn that was none: what it says leans by the move, and it says so. */
export function toldMoved(turned: SolveResult, moved: MovedAfterAll): SolveResult {
  const reason = movedWords(moved);
  return {
    ...turned,
    movedAfterAll: moved,
    // what a move leaves in a turn looks like these, too
    bending: null,
    status: turned.status === 'failed' ? 'failed' : 'partial',
    reason: turned.reason && turned.status !== 'failed' ? `${turned.reason}; ${reason}` : reason,
    warnings: [SOLVE.CAMERA_MOVED(reason), ...turned.warnings.filter((w) => !['LENS_BENDS', 'TRACKS_DRIFT', 'TRACKS_MOVE', 'CAMERA_STANDS'].includes(w.code))],
  };
}
