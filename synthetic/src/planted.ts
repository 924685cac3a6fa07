/** What is wrong in a record that was made wrong, and the cause that must be named first for the quantity it is about. */
export interface Planted {
  quantity: string;
  cause: string;
}

/** A reconciliation as far as a planted mistake is looked for in it; words where there is none. */
type Judged =
  | string
  | {
      sentence: string;
      items: readonly { quantity: string; verdict: string; causes: readonly { cause: string; likelihood: number }[] }[];
    };

/** The cause that is named first for the planted quantity; undefined where none is. */
export const causeNamed = (r: Judged, { quantity }: Planted): string | undefined =>
  typeof r === 'string' ? r : r.items.find((i) => i.quantity === quantity && i.verdict !== 'agrees' && i.causes.length > 0)?.causes[0].cause;

/** How sure it is of it, 0…1. */
export const likelihoodNamed = (r: Judged, { quantity }: Planted): number =>
  typeof r === 'string' ? 1 : (r.items.find((i) => i.quantity === quantity && i.causes.length > 0)?.causes[0].likelihood ?? 0);

/** All of it in a line, for whoever reads why a test failed. */
export const judgedWords = (r: Judged): string =>
  typeof r === 'string' ? r : `${r.sentence} | ${r.items.map((q) => `${q.quantity} ${q.verdict} ${q.causes[0] ? `${q.causes[0].cause} ${q.causes[0].likelihood.toFixed(2)}` : ''}`).join('; ')}`;
