import { median } from '../math';
import { gradientOf, inFixedGauge } from './covariance';
import type { Reconstruction } from './reconstruction';
import { sharesByTrack } from './track-clusters';

/** A track with less of what is known of the focal length pulls it by less than anybody would see. */
const LEAST_SHARE = 0.03;
/** Off in the one direction that counts, over what the noise explains and over how far its like are off. */
const PULLS_SIGMAS = 4;
const LEAST_TRACKS = 24;
/** Tracks that a frame keeps. */
const LEAST_IN_FRAME = 8;
const ROUNDS = 10;
const ADJUST_ROUNDS = 12;

/**
 * Where a move shows the focal length poorly, a handful of near points says most of it. If one of them is none (where the edge of something near
 * crosses a line far behind it, a track goes with both and stands nowhere), it fits well enough to stay, and the focal length is what it says:
 * four millimetres off in a shot of thirty centimetres, with a sigma of a quarter. Each track is therefore asked how far it is off in the one
 * direction in which it would move the focal length, where many small errors add up; the worst is left out, and the others asked anew.
 * Source   data snooping (Baarda 1968) of a whole track along the influence function of one unknown (Hampel et al., Robust Statistics, 1986).
 * @returns tracks that were left out, with the RMS of their residuals, px; everything is adjusted without them
 */
export function withoutLeaning(r: Reconstruction): { track: number; rms: number }[] {
  const left: { track: number; rms: number }[] = [];
  for (let round = 0; round < ROUNDS; round += 1) {
    const worst = worstPull(r);
    if (worst === null) break;
    left.push({ track: worst, rms: r.missOf(worst) });
    r.rejected[worst] = 1;
    r.points[worst] = null;
    r.adjustAll(r.huberPx, ADJUST_ROUNDS, 1e-5);
  }
  return left;
}

/** The track that pulls most on the focal length beyond what its noise explains; null where none does. */
function worstPull(r: Reconstruction): number | null {
  const { problem, state, trackOf } = r.toBundle();
  if (problem.focal.held || problem.pointCount < LEAST_TRACKS) return null;
  r.factored = null;
  const factored = inFixedGauge(problem, state, r.huberPx);
  if (!factored) return null;
  r.factored = factored;
  const [{ shares }] = sharesByTrack(problem, factored.system, factored.lin, [gradientOf(problem, { focal: 1 })]);
  const own = shares.reduce((s, q) => s + q.own, 0);
  const { residual } = factored.lin;
  const unknowns = 6 * problem.cameraCount + 3 * problem.pointCount - 6;
  const variance = residual.reduce((s, v) => s + v * v, 0) / Math.max(1, residual.length - unknowns);
  if (!(own > 0 && variance > 0)) return null;
  // a track that says much has bent the whole towards itself by as much
  const off = shares.map((q) => (q.own > 0 ? Math.abs(q.score) / Math.sqrt(variance * q.own * Math.max(0.02, 1 - q.own / own)) : 0));
  const usual = Math.max(1, median(off) / 0.6745);
  const inFrame = new Int32Array(problem.cameraCount);
  const camerasOf: number[][] = shares.map(() => []);
  problem.point.forEach((p, i) => {
    inFrame[problem.camera[i]] += 1;
    camerasOf[p].push(problem.camera[i]);
  });
  let worst: number | null = null;
  for (let p = 0; p < shares.length; p += 1) {
    if (shares[p].own < LEAST_SHARE * own || off[p] < PULLS_SIGMAS * usual) continue;
    if (camerasOf[p].some((c) => inFrame[c] <= LEAST_IN_FRAME)) continue;
    if (worst === null || Math.abs(shares[p].score) > Math.abs(shares[worst].score)) worst = p;
  }
  return worst === null ? null : trackOf[worst];
}
