import { attemptNet } from './net-attempt';
import type { Net } from './net';
import { weighRows } from './net-fit';
import type { NetInput, NetResult, OpenPoint } from './net-result';
import { factOutcomes, littleChecked, netPoints, netWarnings, widening } from './net-told';
import { nextTies } from './next-tie';
import { bestFold } from './other-folds';
import { placeNet } from './place';
import { netOf, openPoints } from './read-input';
import { onlyKnown, withUntied } from './untied';
import { SURVEY } from '../warnings';

/**
 * Tape net: all ties, heights and level facts of a set, adjusted together.
 * Model    each fact is a function of the coordinates of its points ± its sigma; minimises the squared weighted residuals.
 * Method   first coordinates from a layout of the whole net (`placeNet`); least squares, at first with far residuals counting less; then data
 *          snooping: the fact with the largest normalised residual w = v / (σ √r) beyond 3.29 is left out, in one round with others as bad that
 *          share no point with it, and comes back when it fits. Where the tolerances are too small throughout, w is measured against the spread of all.
 * Source   Ghilani, Adjustment Computations (2017), ch. 21 (blunder detection); Baarda, A Testing Procedure for Use in Geodetic Networks (1968).
 * Folds    where something contradicts, or too little holds the net, it is laid out several times more; the best counts, and points that another one
 *          puts elsewhere at the same cost are open (other-folds).
 * Sigma    from the covariance, as much wider as the residuals scatter beyond their tolerances where chance does not explain it.
 * Limits   a fact without redundancy hides any blunder. Covariances hold in the stated datum.
 * @throws CoreError TOO_FEW_OBSERVATIONS | INVALID_OPTION | NON_FINITE_INPUT
 */
export function solveNet(input: NetInput): NetResult {
  const net = netOf(input);
  if (input.facts.length === 0) return onlyKnown(net.untied);
  const raw = placeNet(net);
  if (raw.size < 2) return withUntied(nothing(net, input), net.known, net.untied, false);
  const { best, elsewhere } = bestFold(net, attemptNet(net, input, raw), (again) => attemptNet(net, input, again));
  const { problem, fit, names, datum, mirror, twins, redundancy, sigma0, scatter, contradictory } = best;
  // the best of several was not the last
  weighRows(problem, fit.suspects);
  const wider = widening(scatter, redundancy);
  const { points: determined, weak } = netPoints(problem, fit, names, wider);
  // what two points have in common with another fold is a length, and no place
  const apart = determined.filter((p) => !elsewhere.has(p.id));
  const points = elsewhere.size > 0 && apart.length < 3 ? [] : apart;
  const folded = determined
    .filter((p) => !points.includes(p))
    .map((p): OpenPoint => ({ id: p.id, facts: p.facts, missing: 'all its facts fit another place as well: one further tie, or its height' }));
  const open = [...openPoints(net, best.placed), ...weak, ...folded];
  const result: NetResult = {
    status: statusOf({ points, open, contradictory, known: net.known }),
    points,
    open,
    facts: factOutcomes(problem, fit),
    sigma0,
    redundancy,
    datum: datum.words,
    mirror,
    twins,
    next: contradictory ? [] : nextTies(problem.rows, fit.x, names),
    warnings: netWarnings({ converged: fit.converged, scatter: wider > 1 ? wider : null, redundancy, contradictory, datum, points, known: net.known, mirror, twins }),
  };
  return withUntied(result, net.known, net.untied, datum.byKnown);
}

function statusOf({ points, open, contradictory, known }: Pick<NetResult, 'points' | 'open'> & Pick<Net, 'known'> & { contradictory: boolean }): NetResult['status'] {
  if (points.length === 0) return 'none';
  if (contradictory) return 'contradictory';
  if (open.length > 0) return 'partial';
  return littleChecked(points, known).length > 0 ? 'unchecked' : 'solved';
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
