/** How much worse a fit may be for keeping a fact: 3.3 sigma for one number (one in a thousand), Baarda's usual limit; as much for three. */
export const COST_OF_ONE = 3.3 ** 2;
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

/** An answer as it was fitted. */
export interface FittedAnswer {
  /** the sum of squares of the facts that are kept, in their own sigmas, at its least */
  misfit: number;
  /** how far each group lies off, in its own sigmas squared; read of those that are kept */
  off: readonly number[];
}
/** Of many facts so many of the worst are tried to leave out next, so many of them against one that is out, and so many rounds. */
const WORST_TRIED = 8;
const SWAPPED = 3;
const ROUNDS = 8;

export const costOf = (g: FactGroup): number => (g.facts.length >= 3 ? COST_OF_THREE : COST_OF_ONE * g.facts.length);

/**
 * Which facts hold, judged by what remains: the answer with the least misfit of what is kept plus a price for each fact that is left out.
 * Few facts: all answers, from none left out upwards, until more cannot pay. Many: the worst ones go one after the other, and from the best
 * of that chain and of the starts one fact is moved in or out, or two past each other, while it pays: what was left out early comes back
 * when it fits.
 * Source: subset selection by penalised likelihood; the price is the test of one blunder at one in a thousand (Baarda 1968).
 * @param fitOf the facts that are kept, fitted
 * @param starts groups left out to begin with, beside none
 */
export function chooseFacts(groups: readonly FactGroup[], fitOf: (out: readonly number[]) => FittedAnswer, starts: readonly (readonly number[])[]): Choice {
  const tried = new Map<string, Hypothesis & { off: readonly number[] }>();
  const priced = groups.map(costOf);
  const attempt = (out: readonly number[]) => {
    const sorted = [...out].sort((a, b) => a - b);
    const key = sorted.join(',');
    const known = tried.get(key);
    if (known) return known;
    const { misfit, off } = fitOf(sorted);
    const made = { out: sorted, misfit, off, cost: misfit + sorted.reduce((s, g) => s + priced[g], 0) };
    tried.set(key, made);
    return made;
  };
  let best = attempt([]);
  const better = (h: typeof best) => {
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
  if (!whole) {
    for (let chain = attempt([]); chain.out.length < groups.length / 2;) {
      const [worst] = worstOf(chain);
      if (worst === undefined || chain.off[worst] < priced[worst]) break;
      chain = attempt([...chain.out, worst]);
      better(chain);
    }
    const from = [best, ...starts.map(attempt).sort((a, b) => a.cost - b.cost)].slice(0, 3);
    for (const start of from) {
      let now = start;
      for (let round = 0; round < ROUNDS; round += 1) {
        const next = neighbours(now).reduce((least, out) => {
          const h = attempt(out);
          return h.cost < least.cost - 1e-9 ? h : least;
        }, now);
        if (next === now) break;
        now = next;
      }
      better(now);
    }
  }
  return { best, rivals: rivalsOf(best, [...tried.values()]) };
}

/** Groups that are kept, the one that lies farthest off first. */
const worstOf = (h: { out: readonly number[]; off: readonly number[] }): number[] => [...h.off.keys()].filter((g) => !h.out.includes(g)).sort((a, b) => h.off[b] - h.off[a]);

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
function neighbours(h: { out: readonly number[]; off: readonly number[] }): number[][] {
  const worst = worstOf(h);
  const more = worst.length > 1 ? worst.slice(0, WORST_TRIED).map((g) => [...h.out, g]) : [];
  const back = h.out.map((g) => h.out.filter((o) => o !== g));
  const other = back.flatMap((left) => worst.slice(0, SWAPPED).map((g) => [...left, g]));
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
