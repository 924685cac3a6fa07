import { evaluateBundle, Linearisation } from './bundle-problem';
import type { Reconstruction } from './reconstruction';
import { trackDrift, type TrackDrift } from './track-drift';

/** How the errors of the tracks go along them, from the residuals; those that the adjustment let count less count as much less here. */
export function driftOf(r: Reconstruction): TrackDrift {
  const { problem, state, obsOf } = r.toBundle();
  const lin = new Linearisation(problem.camera.length);
  evaluateBundle(problem, state, lin, false);
  const runs = new Map<number, { u: number[]; v: number[] }[]>();
  const lastFrame = new Map<number, number>();
  const byFrame: number[][] = r.obs.frames.map(() => []);
  obsOf.forEach((o, i) => byFrame[r.obs.frame[o]].push(i));
  for (const i of byFrame.flat()) {
    const [track, frame] = [r.obs.track[obsOf[i]], r.obs.frame[obsOf[i]]];
    const mine = runs.get(track) ?? [];
    if (mine.length === 0 || lastFrame.get(track) !== frame - 1) mine.push({ u: [], v: [] });
    const [u, v] = [lin.residual[2 * i], lin.residual[2 * i + 1]];
    const clipped = Math.min(1, r.huberPx / Math.hypot(u, v));
    mine[mine.length - 1].u.push(u * clipped);
    mine[mine.length - 1].v.push(v * clipped);
    runs.set(track, mine);
    lastFrame.set(track, frame);
  }
  return trackDrift([...runs.values()].flat());
}
