import type { Analysis, AnalysisKind } from '@mesure/contract';

type Outcome = NonNullable<Analysis['outcome']>;
type Briefs = { [K in AnalysisKind]: (outcome: Extract<Outcome, { kind: K }>) => Extract<Outcome, { kind: K }> };

/** What a list shows of each kind's outcome: without what is large in it. */
const BRIEFS: Briefs = {
  grid: (o) => ({ ...o, corners: [] }),
  solve: (o) => ({ ...o, solve: { ...o.solve, frames: [], points: [], ...(o.solve.directions ? { directions: [] } : {}) } }),
  'lens-files': (o) => o,
  sync: (o) => o,
  elsewhere: (o) => ({ ...o, solve: { ...o.solve, frames: [], points: [] } }),
  tracks: (o) => ({ ...o, frames: [] }),
  walk: (o) => ({ ...o, placed: { ...o.placed, places: [] } }),
};

/** Kept beside the outcome when it is written, so that lists do not read megabytes. */
export const briefOf = (outcome: Analysis['outcome']): Analysis['outcome'] => outcome && (BRIEFS[outcome.kind] as (o: Outcome) => Outcome)(outcome);
