import { SOLVE } from '../warnings';
import { focalAsked, toldAsked } from './focal-asked';
import type { Observations } from './observations';
import type { Reconstruction } from './reconstruction';
import { whiteNoiseOf } from './residual-drift';
import type { SolveResult } from './result';
import type { SolveLens, SolveSetup } from './setup';
import { settledSqueeze, squeezedSeen, toldSqueezed } from './squeezed';
import { AS_ZOOM, mayZoom, zoomSeen } from './zoom';

interface Thoughts {
  solved: SolveResult;
  r: Reconstruction;
  sparse: Observations;
  lens: SolveLens;
  setup: SolveSetup;
  /** solves the same tracks by another record */
  again: (setup: SolveSetup, more?: { settled?: boolean; trim?: boolean; onlyTracks?: boolean }) => SolveResult;
  options: { settled?: boolean; trim?: boolean };
}

/** With the bend that the residuals ask for, one-axis noise, px; infinite where they ask for none. */
const noiseAsBend = ({ bending, noisePx }: SolveResult): number => (bending ? (noisePx ?? 0) * Math.sqrt(bending.remaining) : Infinity);

/** Of what comes and goes from frame to frame: no other lens leaves less. */
const NOTHING_MORE = 1.15;

/** Does a lens that bends leave nothing that goes along the tracks? Whoever asks for a squeeze or a zoom then solves the take up to five times for nothing. */
export const bendExplainsAll = (solved: SolveResult, r: Reconstruction): boolean => noiseAsBend(solved) < NOTHING_MORE * whiteNoiseOf(r);

/** A solve that fits may stand on a wrong record: was another focal length held, was the lens squeezed otherwise, did it zoom? What is plain is said, and the solve is partial. */
export function secondThoughts({ solved, r, sparse, lens, setup, again, options }: Thoughts): SolveResult {
  const settled = options.settled ? solved : settledSqueeze(solved, setup, (other) => again(other, { ...options, settled: true }));
  if (settled !== solved) return settled;
  const asked = focalAsked(solved, setup, again);
  if (asked) return toldAsked(solved, asked, setup);
  if (bendExplainsAll(solved, r)) return { ...solved, squeezed: null };
  const squeezed = squeezedSeen(r, solved, lens, setup, (other) => again(other, { onlyTracks: true }));
  if (squeezed) return toldSqueezed(solved, squeezed, setup.squeeze ?? 1);
  const doubtful = solved.status !== 'failed' && mayZoom(sparse, solved.driftFactor ?? 1);
  const asZoom = doubtful ? again({ ...setup, ...AS_ZOOM, focal: { mode: 'zoom', mm: setup.focal.mm }, anchors: undefined }, { onlyTracks: true }) : null;
  // a zoom that is taken as one length bends the picture too: what leaves less of the error is what it was
  const zoomed = asZoom && (asZoom.noisePx ?? Infinity) < noiseAsBend(solved) ? zoomSeen(solved, asZoom) : null;
  return zoomed === null ? { ...solved, squeezed: null } : toldZoomed(solved, zoomed);
}

/** A zoom that was solved as one length: what it says is bent, and it says so. `zoomed`: longest over shortest. */
export function toldZoomed(solved: SolveResult, zoomed: number): SolveResult {
  const bent = solved.motion === 'pan' ? 'the turns and what they say of the lens are' : 'path and points are';
  const reason = `the focal length changes during the take, by about ${(100 * (zoomed - 1)).toFixed(0)} %, and was taken as one: ${bent} bent by it`;
  return {
    ...solved,
    zoomed,
    bending: null,
    status: 'partial',
    reason: solved.reason ? `${solved.reason}; ${reason}` : reason,
    warnings: [SOLVE.LENS_ZOOMS(reason), ...solved.warnings.filter((w) => w.code !== 'LENS_BENDS')],
  };
}
