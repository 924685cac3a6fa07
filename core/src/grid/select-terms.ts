import { fitRadial, type GridFrame, type GridObservation, type RadialFit, type RadialTerm } from './fit-radial';

/**
 * Chooses the terms of the radial model by comparing all sensible sets, since adding one term at a time goes astray: on a tilted plate
 * shot through a forgotten reducer a shifted centre looks like a small gain at first and hides that the focal length is wrong.
 * Rule    Bayesian information criterion, n ln(RSS/n) + p ln n, with 5 more for each term: a set must be better by far more than chance
 *         ("very strong", Kass & Raftery 1995, is 10 for two terms). n counts corners, not coordinates, since a corner's errors go together.
 *         500 corners suffice for the choice; all are used for the fit.
 */
export function selectRadialTerms(observations: readonly GridObservation[], frame: GridFrame): RadialFit {
  const stride = Math.max(1, Math.floor(observations.length / 500));
  const sample = observations.filter((_, i) => i % stride === 0);
  let best: RadialFit | null = null as RadialFit | null;
  let bestScore = Infinity;
  let plainest: RadialFit | undefined;
  for (const terms of CANDIDATES) {
    // k3 is only worth a try where k2 already was
    if (terms.includes('k3') && !best?.terms.includes('k2')) continue;
    // from the plainest set's poses: all sets lie near it
    const fit = fitRadial(sample, frame, { terms, start: plainest });
    plainest ??= fit;
    const value = score(fit);
    if (value < bestScore) {
      best = fit;
      bestScore = value;
    }
  }
  // the sample's fit is robust already: what lies beyond 4 sigma of it is dropped, and one plain fit follows
  return fitRadial(observations, frame, { terms: best!.terms, start: best!, robustRounds: 0 });
}

// centre and tangential terms describe nearly the same thing: at most one of them
const CANDIDATES: RadialTerm[][] = [[], ['k2'], ['k2', 'k3']].flatMap((radial) =>
  [[], ['center'], ['p'], ['focalRatio'], ['center', 'focalRatio']].map((extra) => [...radial, ...extra] as RadialTerm[]),
);

const COST_OF: Record<RadialTerm, number> = { k2: 1, k3: 1, p: 2, center: 2, focalRatio: 1 };

function score(fit: RadialFit): number {
  // robust sum of squares over all corners: a set must not win by throwing corners away
  const n = fit.used.length;
  const cap = (4 * Math.max(fit.sigmaPx, 0.005)) ** 2;
  let sum = 0;
  for (let i = 0; i < n; i += 1) sum += Math.min(cap, fit.residuals[2 * i] ** 2 + fit.residuals[2 * i + 1] ** 2);
  const parameters = 1 + fit.terms.reduce((s, t) => s + COST_OF[t], 0);
  return n * Math.log(Math.max(sum, 1e-12) / n) + parameters * (Math.log(n) + 5);
}
