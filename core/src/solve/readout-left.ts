import type { BundleProblem } from './bundle-problem';
import type { Reconstruction } from './reconstruction';

/** What the residuals still show of rows that were not read at one moment. */
export interface ReadoutLeft {
  /** of a frame's time, from the first row to the last; negative: from the last to the first. What cameras and points took up is not in it: it is at least so much */
  share: number;
  sigma: number;
  /** root mean square of what it moves in the picture, px */
  px: number;
}

/** Louder ones are blunders, and say nothing of the rows. */
const LOUD_NOISES = 5;
const FEWEST = 200;

/**
 * Do places run ahead of the solve below the middle of the picture, and lag above it, as they move? Residuals along their own motion against
 * row times motion, by least squares; its deviation by frames, since one error of a camera moves all places of its frame (cluster-robust:
 * Liang & Zeger, Biometrika 73, 1986). Motions are taken from the tracks themselves, between the frames before and after.
 * @param residual weighted, px, two for each observation of the problem: the solve's place less the one that was seen
 * @param obsOf which of all observations each one is
 */
export function readoutLeft(r: Reconstruction, problem: BundleProblem, residual: Float64Array, obsOf: ArrayLike<number>, noisePx: number, heightPx: number): ReadoutLeft | null {
  const { obs } = r;
  const at = new Map<number, number>();
  const key = (track: number, frame: number): number => track * obs.frames.length + frame;
  for (let o = 0; o < obs.count; o += 1) at.set(key(obs.track[o], obs.frame[o]), o);
  const next = (o: number, by: number): number | undefined => {
    const frame = obs.frame[o] + by;
    return obs.frames[frame] === obs.frames[obs.frame[o]] + by ? at.get(key(obs.track[o], frame)) : undefined;
  };
  const along = new Map<number, { rd: number; dd: number }>();
  let [rd, dd, count] = [0, 0, 0];
  for (let i = 0; i < obsOf.length; i += 1) {
    const o = obsOf[i];
    const [a, b] = [next(o, -1), next(o, 1)];
    if (a === undefined || b === undefined) continue;
    const row = obs.yPx[o] / heightPx - 0.5;
    const [du, dv] = [(row * (obs.xPx[b] - obs.xPx[a])) / 2, (row * (obs.yPx[b] - obs.yPx[a])) / 2];
    const w = Math.sqrt(problem.weight[i]);
    if (!(w > 0)) continue;
    const [eu, ev] = [residual[2 * i] / w, residual[2 * i + 1] / w];
    if (Math.hypot(eu, ev) > LOUD_NOISES * noisePx) continue;
    const mine = along.get(obs.frame[o]) ?? { rd: 0, dd: 0 };
    mine.rd -= eu * du + ev * dv;
    mine.dd += du * du + dv * dv;
    along.set(obs.frame[o], mine);
    count += 1;
  }
  for (const f of along.values()) [rd, dd] = [rd + f.rd, dd + f.dd];
  if (count < FEWEST || !(dd > 0)) return null;
  const share = rd / dd;
  let spread = 0;
  for (const f of along.values()) spread += (f.rd - share * f.dd) ** 2;
  return { share, sigma: Math.sqrt(spread) / dd, px: Math.abs(share) * Math.sqrt(dd / count) };
}
