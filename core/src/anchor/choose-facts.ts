/** How much worse a fit may be for keeping a fact: 3.3 sigma for one number (one in a thousand), Baarda's usual limit; as much for three. */
const COST_OF_ONE = 3.3 ** 2;
const COST_OF_THREE = 16.27;
/** Two answers whose costs differ by less are both possible: odds of one in ten. */
const POSSIBLE = 2 * Math.log(10);
/** Answers that are tried one by one; beyond it a search that moves one fact at a time. */
const MOST_TRIED = 400;

export interface FactGroup {
  id: string;
  /** indexes of its facts */
  facts: readonly number[];
}
export interface Hypothesis {
  /** groups that are left out, ascending indexes */
  out: readonly number[];
  misfit: number;
  /** misfit of what is kept, in its sigmas, and what it costs to leave the others out */
  cost: number;
}
export interface Choice {
  best: Hypothesis;
  /** as possible as the best, with other facts left out instead of some of these: the data do not say which */
  rivals: readonly Hypothesis[];
}

export const costOf = (g: FactGroup): number => (g.facts.length >= 3 ? COST_OF_THREE : COST_OF_ONE * g.facts.length);

/**
 * Which facts hold, judged by what remains: the answer with the least misfit of what is kept plus a price for each fact that is left out.
 * Few facts: all answers, from none left out upwards, until more cannot pay. Many: from several starts, moving one fact in or out or two
 * past each other while it pays, so that what was left out early comes back when it fits.
 * Source: subset selection by penalised likelihood; the price is the test of one blunder at one in a thousand (Baarda 1968).
 * @param misfitOf of the facts that are kept: the sum of squares in their own sigmas, at its least
 * @param starts groups left out to begin with, beside none
 */
export function chooseFacts(groups: readonly FactGroup[], misfitOf: (out: readonly number[]) => number, starts: readonly (readonly number[])[]): Choice {
  const tried = new Map<string, Hypothesis>();
  const priced = groups.map(costOf);
  const attempt = (out: readonly number[]): Hypothesis => {
    const sorted = [...out].sort((a, b) => a - b);
    const key = sorted.join(',');
    const known = tried.get(key);
    if (known) return known;
    const misfit = misfitOf(sorted);
    const made = { out: sorted, misfit, cost: misfit + sorted.reduce((s, g) => s + priced[g], 0) };
    tried.set(key, made);
    return made;
  };
  let best = attempt([]);
  const better = (h: Hypothesis) => {
    if (h.cost < best.cost - 1e-9) best = h;
  };
  const cheapest = Math.min(...priced, Infinity);
  let whole = true;
  for (let size = 1; size < groups.length && size * cheapest <= best.cost + POSSIBLE; size += 1) {
    if (tried.size + combinations(groups.length, size) > MOST_TRIED) {
      whole = false;
      break;
    }
    for (const out of subsets(groups.length, size)) better(attempt(out));
  }
  if (!whole)
    for (const start of [best.out, ...starts]) {
      let now = attempt(start);
      for (;;) {
        const next = neighbours(now.out, groups.length).reduce((least, out) => {
          const h = attempt(out);
          return h.cost < least.cost - 1e-9 ? h : least;
        }, now);
        if (next === now) break;
        now = next;
      }
      better(now);
    }
  return { best, rivals: rivalsOf(best, [...tried.values()]) };
}

/**
 * Possible answers that neither leave out more than the best nor less, but others; each with the fewest that it needs. Here one fact is as
 * easily wrong as another: a place of three numbers that contradicts one length is no better witness than the length.
 */
function rivalsOf(best: Hypothesis, all: readonly Hypothesis[]): Hypothesis[] {
  const holds = (big: readonly number[], small: readonly number[]) => small.every((g) => big.includes(g));
  const even = (h: Hypothesis) => h.misfit + COST_OF_ONE * h.out.length;
  const possible = all.filter((h) => even(h) <= even(best) + POSSIBLE && !holds(h.out, best.out) && !holds(best.out, h.out)).sort((a, b) => even(a) - even(b));
  return possible.filter((h, i) => !possible.slice(0, i).some((o) => holds(h.out, o.out)));
}

/** One more left out, one taken back, one for another. */
function neighbours(out: readonly number[], count: number): number[][] {
  const kept = Array.from({ length: count }, (_, g) => g).filter((g) => !out.includes(g));
  const more = kept.length > 1 ? kept.map((g) => [...out, g]) : [];
  const back = out.map((g) => out.filter((o) => o !== g));
  const other = back.flatMap((left) => kept.map((g) => [...left, g]));
  return [...more, ...back, ...other];
}

function combinations(n: number, k: number): number {
  let c = 1;
  for (let i = 0; i < k; i += 1) c = (c * (n - i)) / (i + 1);
  return c;
}

function* subsets(n: number, k: number, from = 0): Generator<number[]> {
  if (k === 0) {
    yield [];
    return;
  }
  for (let i = from; i <= n - k; i += 1) for (const rest of subsets(n, k - 1, i + 1)) yield [i, ...rest];
}
