import { COST_OF_ONE } from '../estimate';
import type { Vec3 } from '../math';
import { orderPoints } from './adjust';
import { bestDatum, datumBases, takeDatum, type Datum } from './datum';
import { chooseMirror, type MirrorChoice } from './mirror';
import { rowsOf, type Net, type Places } from './net';
import { factRowsOf, fitWithout, offBy, robustSpread, robustStart, type NetFit, type NetProblem } from './net-fit';
import type { NetInput } from './net-result';
import { isLoose, redundancyOf } from './net-told';
import { grossBlunders, snoopNet } from './snoop-net';
import { settleSides, type TwinQuestion } from './twins';

/** At most so large a share of the facts is taken out; more contradict each other altogether. */
const MOST_SUSPECTS = 0.1;
const LEAST_SUSPECTS = 3;
/** Of those, the share that may go before the first adjustment. */
const GROSS_SHARE = 1 / 3;
/** So large a share of facts beyond ten sigmas after the robust start, and no single blunder can be told: the start was wrong, or the facts are. */
const HOPELESS_SHARE = 0.25;
const HOPELESS_SIGMAS = 10;
/** In a small net a single blunder is a large share. */
const MANY_FACTS = 20;
/** The robust start draws residuals towards nothing: the true spread is up to about twice what it shows. */
const ROBUST_TIMES = 2;
/** Nobody misreads so many; then it is the layout that is wrong. */
const MANY_SUSPECTS = 8;
const MANY_SHARE = 0.04;
/** Lengths that scatter over so many of their tolerances, and nothing is what it says. */
const MOST_SCATTER = 6;
/** What a point that found no place costs beside the facts that are left out. */
const COST_OF_A_POINT = 1e4;

/** A net adjusted from one layout. */
export interface NetAttempt {
  problem: NetProblem;
  fit: NetFit;
  /** ids of its points, in the order of the fit */
  names: string[];
  placed: Places;
  datum: Datum;
  mirror: MirrorChoice;
  twins: TwinQuestion[];
  redundancy: number;
  sigma0: number | null;
  /** the same over all facts where so many were left out that it is an instrument, or a tolerance, and not single readings */
  scatter: number | null;
  contradictory: boolean;
  /** the squares of what is kept in its sigmas, and the price of what is not: layouts are compared by it */
  cost: number;
}

/** Adjusts a layout of the whole net and takes out what contradicts the rest. */
export function attemptNet(net: Net, input: NetInput, raw: Places): NetAttempt {
  const mirror = chooseMirror(net, raw, input);
  const { rows, order } = rowsOf(net, mirror.placed, true);
  const laid = Float64Array.from(order.flatMap((p) => mirror.placed.get(p)!));
  const problem: NetProblem = { rows, slot: orderPoints(rows, order.length) };
  const names = order.map((p) => net.ids[p]);
  const factRows = rows.count;
  takeDatum(rows, laid, names, datumBases(rows, laid)[0]);
  const start = robustStart(problem, laid);
  const off = offBy(problem, start);
  const most = Math.max(LEAST_SUSPECTS, Math.floor(MOST_SUSPECTS * net.facts.length));
  const gross = grossBlunders(net, problem, off, Math.floor(most * GROSS_SHARE));
  rows.truncate(factRows);
  const datum = bestDatum(problem, start, names, isLoose);
  const many = net.facts.length > MANY_FACTS;
  const hopeless = many && off.filter((q) => q.off > HOPELESS_SIGMAS).length / net.facts.length > HOPELESS_SHARE;
  const mostSpread = ROBUST_TIMES * robustSpread(problem, start);
  const first = fitWithout(problem, start, gross);
  const { fit: snooped, stillBad } = hopeless ? { fit: first, stillBad: false } : snoopNet(net, problem, first, most, mostSpread);
  const at = (k: number): Vec3 => [snooped.x[3 * k], snooped.x[3 * k + 1], snooped.x[3 * k + 2]];
  const sides = hopeless ? null : settleSides(net, new Map(order.map((p, k) => [p, at(k)])), input, snooped.suspects, !datum.upTaken);
  const fit = sides?.turned ? fitWithout(problem, Float64Array.from(order.flatMap((p) => sides.placed.get(p)!)), snooped.suspects) : snooped;
  const { redundancy, sigma0 } = redundancyOf(problem, fit);
  const suspects = fit.suspects.size;
  const several = suspects > LEAST_SUSPECTS && suspects > MANY_SHARE * net.facts.length;
  // of a net that lies in one plane the heights never come to rest, and that is no contradiction
  const scattered = redundancy > 1 && sigma0! > (fit.converged ? MOST_SCATTER : 2);
  return {
    problem,
    fit,
    names,
    placed: new Map(order.map((p, k) => [p, [fit.x[3 * k], fit.x[3 * k + 1], fit.x[3 * k + 2]] as Vec3])),
    datum,
    mirror: mirror.choice,
    twins: sides?.open ?? [],
    redundancy,
    sigma0,
    scatter: several ? redundancyOf(problem, fit, true).sigma0 : sigma0,
    contradictory: hopeless || scattered || (many && stillBad && suspects >= most) || suspects > Math.max(MANY_SUSPECTS, MANY_SHARE * net.facts.length),
    cost: squaresOf(problem, fit) + COST_OF_ONE * suspects + COST_OF_A_POINT * (net.ids.length - order.length),
  };
}

const g = new Float64Array(9);
/** The squares of what is kept, in sigmas of its own. */
function squaresOf({ rows }: NetProblem, fit: NetFit): number {
  return factRowsOf(rows).reduce((sum, r) => (rows.weight[r] === 0 ? sum : sum + ((rows.measured[r] - rows.evaluate(r, fit.x, g)) / rows.sigma[r]) ** 2), 0);
}
