import type { TrackPoint } from '../track/track-point';
import { buildObservations } from './observations';
import type { SolveResult } from './result';
import { readSolveSetup, type SolveSetup } from './setup';
import { solveTracks } from './solve-tracks';
import { AS_ZOOM, mayZoom, zoomSeen } from './zoom';

/**
 * Tracks that were solved with one focal length solved as a zoom, as far as their cameras and tracks go: where the picture grows or shrinks, errors go
 * along the tracks, and a zoom explains them plainly better. Else null.
 */
export function zoomedInstead(points: readonly TrackPoint[], setup: SolveSetup, asOne: SolveResult): SolveResult | null {
  if (asOne.status === 'failed' || setup.focal.mode === 'zoom') return null;
  if (!mayZoom(buildObservations(points, readSolveSetup(setup).map), asOne.driftFactor ?? 1)) return null;
  const asZoom = solveTracks(points, { ...setup, ...AS_ZOOM, focal: { mode: 'zoom', mm: setup.focal.mm } }, { onlyTracks: true });
  return zoomSeen(asOne, asZoom) === null ? null : asZoom;
}
