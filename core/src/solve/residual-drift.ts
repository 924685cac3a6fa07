import { sigmaFromMedianRadius } from '../estimate';
import { median } from '../math';
import { residualsAt } from './bundle-problem';
import type { Reconstruction } from './reconstruction';
import { trackDrift, type TrackDrift, type TrackRun } from './track-drift';

/** How the errors of the tracks go along them, from the residuals; those that the adjustment let count less count as much less here. */
export const driftOf = (r: Reconstruction): TrackDrift => trackDrift(runsOf(r));

/**
 * One-axis noise that comes and goes from one frame to the next, px: what remains of the residuals where everything that goes along their tracks is
 * explained by something. Half of the steps may be wild. 0 where no track is in two frames that follow each other.
 */
export function whiteNoiseOf(r: Reconstruction): number {
  const steps = runsOf(r).flatMap(({ u, v }) => u.slice(1).map((next, t) => Math.hypot(next - u[t], v[t + 1] - v[t])));
  return steps.length > 0 ? sigmaFromMedianRadius(median(steps)) / Math.SQRT2 : 0;
}

function runsOf(r: Reconstruction): TrackRun[] {
  const { problem, state, obsOf } = r.toBundle();
  const residual = residualsAt(problem, state);
  const rowOf = new Int32Array(r.obs.count).fill(-1);
  obsOf.forEach((o, i) => {
    rowOf[o] = i;
  });
  const runs: { u: number[]; v: number[] }[] = [];
  for (const sightings of r.obs.byTrack) {
    let lastFrame = -2;
    for (const o of sightings) {
      const i = rowOf[o];
      if (i < 0) continue;
      const frame = r.obs.frame[o];
      if (frame !== lastFrame + 1) runs.push({ u: [], v: [] });
      lastFrame = frame;
      const u = residual[2 * i],
        v = residual[2 * i + 1];
      const clipped = Math.min(1, r.huberPx / Math.hypot(u, v));
      const run = runs[runs.length - 1];
      run.u.push(u * clipped);
      run.v.push(v * clipped);
    }
  }
  return runs;
}
