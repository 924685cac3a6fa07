/** How residuals go on along their tracks from one frame to the next. */
export interface TrackDrift {
  /** correlation of a track's error with itself one frame later, without what the fit takes out of it */
  correlation: number;
  /** by how much the variance of what the tracks say together is larger than of as many independent observations; 1 for white noise */
  factor: number;
}

/** Residuals of one track in the order of time, px: runs of frames that follow each other. */
export interface TrackRun {
  u: readonly number[];
  v: readonly number[];
}

const WHITE: TrackDrift = { correlation: 0, factor: 1 };
/** A correlation below so many of its own standard deviations is chance. */
const BY_CHANCE = 4;
/** One so small widens no sigma that anybody reads. */
const HARMLESS = 0.1;
/** Runs that are shorter say nothing of their own correlation. */
const SHORTEST = 8;
const MOST_CORRELATED = 0.995;
/** What mean and slope take out of the residuals is at most this share of them. */
const MOST_TAKEN = 0.7;
const TAKEN_OUT = 1.2;
const ROUNDS = 12;

/**
 * A followed track slides off its feature slowly: its error goes along it, and a hundred frames say little more of it than ten.
 * Model    e_t = d_t + w_t along a track, independent between tracks: d first-order autoregressive, w white, so that the correlation at k
 *          frames is share · ρᵏ. The mean of L observations then has the variance of L / (1 + 2 share Σ (1 − k/L) ρᵏ) independent ones; each
 *          track, which tells what it tells by where it is over its whole length, counts so.
 * Method   ρ from the correlations at one and three frames, since white noise lowers both alike.
 * Bias     A track's own point and the cameras take mean and slope out of its residuals, and so the variance of a mean and more out of every
 *          covariance (Marriott & Pope 1954); it is put back, by rounds, since it grows with what is looked for. How much more was measured:
 *          of 0.9 to 2 the trials of track-drift.verify.ts are nearest to honest at 1.2.
 */
export function trackDrift(runs: readonly TrackRun[]): TrackDrift {
  const long = runs.filter((r) => r.u.length >= SHORTEST);
  const lags = [0, 1, 3].map((lag) => covarianceAt(long, lag));
  const [still, one, three] = lags.map((l) => l.sum / Math.max(1, l.count));
  if (!(still > 0)) return WHITE;
  const length = long.reduce((s, r) => s + r.u.length ** 2, 0) / long.reduce((s, r) => s + r.u.length, 0);
  const [seen1, seen3] = [one / still, three / still];
  if (!(seen1 + TAKEN_OUT / length > Math.max(HARMLESS, BY_CHANCE / Math.sqrt(lags[1].count)))) return WHITE;
  let found = { correlation: 0, factor: 1 };
  for (let round = 0; round < ROUNDS; round += 1) {
    const taken = Math.min(MOST_TAKEN, (TAKEN_OUT * found.factor) / length);
    const [at1, at3] = [seen1, seen3].map((r) => r * (1 - taken) + taken);
    const correlation = Math.min(MOST_CORRELATED, at3 > 0 && at3 < at1 ? Math.sqrt(at3 / at1) : at1);
    const share = Math.min(1, at1 / correlation);
    found = { correlation, factor: 1 + share * (factorAt(correlation, length) - 1) };
  }
  return found;
}

/** Sum of the products of a run with itself, so many frames later, in both directions. */
function covarianceAt(runs: readonly TrackRun[], lag: number): { sum: number; count: number } {
  let [sum, count] = [0, 0];
  for (const { u, v } of runs)
    for (let t = 0; t + lag < u.length; t += 1) {
      sum += u[t] * u[t + lag] + v[t] * v[t + lag];
      count += 2;
    }
  return { sum, count };
}

function factorAt(rho: number, length: number): number {
  let sum = 1;
  let power = 1;
  for (let k = 1; k < length; k += 1) {
    power *= rho;
    sum += 2 * (1 - k / length) * power;
  }
  return sum;
}
