import { focalAsked, toldAsked } from './focal-asked';
import { movedAfterAll, toldMoved } from './moved-after-all';
import { OTHER_LENS_EXPLAINS_ZOOM } from './move-or-turn';
import type { Observations } from './observations';
import { toldRead, type ReadoutSeen } from './readout-asked';
import type { Reconstruction } from './reconstruction';
import type { SolveResult } from './result';
import { bendExplainsAll, toldZoomed } from './second-thoughts';
import type { SolveLens, SolveSetup } from './setup';
import { squeezedSeen, toldSqueezed } from './squeezed';
import { AS_ZOOM, mayZoom, zoomSeen } from './zoom';

interface Thoughts {
  turned: SolveResult;
  r: Reconstruction;
  sparse: Observations;
  lens: SolveLens;
  setup: SolveSetup;
  /** do pairs of frames, or all of them together, show motion? */
  moves: () => boolean;
  readout: (solved: SolveResult) => ReadoutSeen | null;
  /** solves the same tracks by another record */
  again: (setup: SolveSetup, more?: { onlyTracks?: boolean }) => SolveResult;
  settled: boolean;
}

/**
 * What else may have made a turn what it is: late rows, another focal length than was held, a squeeze or a zoom that nobody wrote down, and, where
 * somebody said that the camera only turned, a move. Each track of a move has a depth to its liking, so that it explains what a lens did as well: whoever
 * said that it turned is believed as long as another lens explains the turn.
 */
export function turnThoughts({ turned, r, sparse, lens, setup, moves, readout, again, settled }: Thoughts): SolveResult {
  const seen = readout(turned);
  if (seen) return toldRead(turned, seen);
  const asked = focalAsked(turned, setup, again);
  if (asked) return toldAsked(turned, asked, setup);
  const zooms = setup.focal.mode === 'zoom';
  const doubted = setup.motion === 'pan' && moves();
  const moved = doubted ? movedAfterAll(turned, again({ ...setup, motion: 'free' })) : null;
  const mostPx = moved ? OTHER_LENS_EXPLAINS_ZOOM * moved.movePx : Infinity;
  const squeezed = zooms || settled || bendExplainsAll(turned, r) ? null : squeezedSeen(r, turned, lens, setup, (other) => again(other, { onlyTracks: true }), mostPx);
  if (squeezed) return toldSqueezed(turned, squeezed, setup.squeeze ?? 1);
  const mayHaveZoomed = doubted && !zooms && turned.status !== 'failed' && (moved !== null || mayZoom(sparse, turned.driftFactor ?? 1));
  const asZoom = mayHaveZoomed ? again({ ...setup, ...AS_ZOOM, focal: { mode: 'zoom', mm: setup.focal.mm }, anchors: undefined }, { onlyTracks: true }) : null;
  const zoomed = asZoom && (asZoom.noisePx ?? Infinity) < mostPx ? zoomSeen(turned, asZoom) : null;
  if (zoomed !== null) return toldZoomed(turned, zoomed);
  return moved ? toldMoved(turned, moved) : turned;
}
