import type { Vec3 } from '../math';
import { orderPoints } from './adjust';
import { bestDatum, datumBases, takeDatum } from './datum';
import { chooseMirror } from './mirror';
import { rowsOf, type Net } from './net';
import { fitWithout, offBy, robustSpread, robustStart, type NetProblem } from './net-fit';
import type { NetInput, NetResult } from './net-result';
import { factOutcomes, isLoose, netPoints, netWarnings, redundancyOf } from './net-told';
import { nextTies } from './next-tie';
import { placeNet } from './place';
import { netOf, openPoints } from './read-input';
import { grossBlunders, snoopNet } from './snoop-net';
import { settleSides } from './twins';
import { onlyKnown, withUntied } from './untied';
import { SURVEY } from '../warnings';

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

/**
 * Tape net: all ties, heights and level facts of a set, adjusted together.
 * Model    each fact is a function of the coordinates of its points ± its sigma; minimises the squared weighted residuals.
 * Method   first coordinates from a layout of the whole net (`placeNet`); least squares, at first with far residuals counting less; then data
 *          snooping: the fact with the largest normalised residual w = v / (σ √r) beyond 3.29 is left out, in one round with others as bad that
 *          share no point with it, and comes back when it fits. Where the tolerances are too small throughout, w is measured against the spread of all.
 * Source   Ghilani, Adjustment Computations (2017), ch. 21 (blunder detection); Baarda, A Testing Procedure for Use in Geodetic Networks (1968).
 * Limits   a fact without redundancy hides any blunder. Covariances hold in the stated datum.
 * @throws CoreError TOO_FEW_OBSERVATIONS | INVALID_OPTION | NON_FINITE_INPUT
 */
export function solveNet(input: NetInput): NetResult {
  const net = netOf(input);
  if (input.facts.length === 0) return onlyKnown(net.untied);
  const raw = placeNet(net);
  if (raw.size < 2) return withUntied(nothing(net, input), net.known, net.untied, false);
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

  const { points, weak } = netPoints(problem, fit, names);
  const open = [...openPoints(net, mirror.placed), ...weak];
  const { redundancy, sigma0 } = redundancyOf(problem, fit);
  const suspects = fit.suspects.size;
  const contradictory = hopeless || (many && stillBad && suspects >= most) || suspects > Math.max(MANY_SUSPECTS, MANY_SHARE * net.facts.length);
  const twins = sides?.open ?? [];
  const result: NetResult = {
    status: points.length === 0 ? 'none' : contradictory ? 'contradictory' : open.length > 0 ? 'partial' : 'solved',
    points,
    open,
    facts: factOutcomes(problem, fit),
    sigma0,
    redundancy,
    datum: datum.words,
    mirror: mirror.choice,
    twins,
    next: contradictory ? [] : nextTies(rows, fit.x, names),
    warnings: netWarnings({ converged: fit.converged, sigma0, redundancy, contradictory, datum, points, mirror: mirror.choice, twins }),
  };
  return withUntied(result, net.known, net.untied, datum.byKnown);
}

function nothing(net: Net, input: NetInput): NetResult {
  return {
    status: 'none',
    points: [],
    open: openPoints(net, new Map()),
    facts: [],
    sigma0: null,
    redundancy: 0,
    datum: '',
    mirror: { status: 'settled', words: '' },
    twins: [],
    next: [],
    warnings: [input.facts.filter((f) => f.kind === 'tie').length < 3 ? SURVEY.TOO_FEW_TIES() : SURVEY.NO_TRIANGLE()],
  };
}
