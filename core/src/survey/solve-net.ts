import { median, type Mat3, type Vec3 } from '../math';
import { adjust, covarianceOf, orderPoints, type NetCovariance } from './adjust';
import { datumBases, takeDatum, type Datum } from './datum';
import { pointsOfFact } from './facts';
import { chooseMirror } from './mirror';
import { rowsOf, type Net } from './net';
import type { FactOutcome, NetInput, NetPoint, NetResult, OpenPoint } from './net-result';
import { nextTies } from './next-tie';
import { placeNet } from './place';
import { netOf, openPoints } from './read-input';
import { onlyKnown, withUntied } from './untied';
import { settleSides } from './twins';
import { SURVEY, type Warning } from '../warnings';

/** Residual over its sigma beyond which a fact contradicts the others: one in a thousand good ones does by chance (Baarda 1968). */
export const SUSPECT_NORMALISED = 3.29;
/** So many sigmas off after the robust start is a blunder beyond doubt. */
const GROSS = 25;
/** A fact that others check by less than this share can hide any blunder. */
const LEAST_REDUNDANCY = 0.02;
/** Residuals of at least this share of the worst one are looked at in the same round. */
const ALSO_BAD = 0.6;
/** At most so large a share of the facts is taken out; more contradict each other altogether. */
const MOST_SUSPECTS = 0.1;
/** So large a share of facts beyond ten sigmas after the robust start, and no single blunder can be told. */
const HOPELESS_SHARE = 0.25;
/** The robust start draws residuals towards nothing: the true spread is up to about twice what it shows. */
const ROBUST_TIMES = 2;
const MOST_ROUNDS = 60;
/** Nobody misreads so many; then it is the layout that is wrong. */
const MANY_SUSPECTS = 8;
const MANY_SHARE = 0.04;
/** A coordinate that is looser than this is not determined, m. */
const UNDETERMINED_M = 0.5;

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
  let x: Float64Array = Float64Array.from(order.flatMap((p) => mirror.placed.get(p)!));
  const slot = orderPoints(rows, order.length);
  const factRows = rows.count;
  const names = order.map((p) => net.ids[p]);
  let datum = takeDatum(rows, x, names, datumBases(rows, x)[0]);
  const warnings: Warning[] = [];

  const suspects = new Set<number>();
  const mostSuspects = Math.max(3, Math.floor(MOST_SUSPECTS * net.facts.length));
  const g = new Float64Array(9);
  let covariance: NetCovariance | null = null;
  const settle = () => {
    for (let r = 0; r < rows.count; r += 1) rows.weight[r] = rows.fact[r] >= 0 && suspects.has(rows.fact[r]) ? 0 : 1;
    const fit = adjust(rows, x, slot);
    x = fit.x;
    covariance = covarianceOf(rows, x, slot);
    return fit.converged;
  };
  /** normalised residual of a row; of one that is left out, against what the others predict */
  const judge = (r: number): { v: number; w: number | null; share: number; sigmaComputedM: number } => {
    const v = rows.measured[r] - rows.evaluate(r, x, g);
    const q = covariance ? covariance.ofRow(r, g) : 0;
    const s2 = rows.sigma[r] ** 2;
    if (rows.weight[r] === 0) return { v, w: v / Math.sqrt(s2 + q), share: 1, sigmaComputedM: Math.sqrt(q) };
    const share = Math.max(0, 1 - q / s2);
    return { v, w: share > LEAST_REDUNDANCY ? v / (rows.sigma[r] * Math.sqrt(share)) : null, share, sigmaComputedM: Math.sqrt(q) };
  };
  robustStart();
  grossOut();
  datum = takeBestDatum();
  // where so much is off the start was wrong, or the facts are: no single blunder can be picked out
  const offShare = rows.fact.filter((i, r) => i >= 0 && rows.offSigmas(r, x, g) > 10).length / Math.max(1, net.facts.length);
  const hopeless = net.facts.length > 20 && offShare > HOPELESS_SHARE;
  const mostSpread = ROBUST_TIMES * robustSpread();
  let spread = 1;
  let stillBad = false;
  let converged = settle();
  for (let round = 0; round <= MOST_ROUNDS && !hopeless; round += 1) {
    const judged = Array.from({ length: rows.count }, (_, r) => (rows.fact[r] < 0 ? null : { r, ...judge(r) })).filter((j) => j !== null);
    const used = judged.filter((j) => j.w !== null && rows.weight[j.r] > 0);
    // tolerances that are too small throughout are no blunders
    spread = used.length >= 6 ? Math.max(1, Math.min(mostSpread, median(used.map((j) => Math.abs(j.w!))) / 0.6745)) : 1;
    const back = judged.filter((j) => rows.weight[j.r] === 0 && Math.abs(j.w!) < 0.8 * SUSPECT_NORMALISED * spread).sort((a, b) => Math.abs(a.w!) - Math.abs(b.w!))[0];
    if (back) {
      suspects.delete(rows.fact[back.r]);
      converged = settle();
      // once in, it must stay in by the same measure as all
      if (Math.abs(judge(back.r).w ?? 0) < SUSPECT_NORMALISED * spread) continue;
      suspects.add(rows.fact[back.r]);
      converged = settle();
    }
    const bad = used.filter((j) => Math.abs(j.w!) > SUSPECT_NORMALISED * spread).sort((a, b) => Math.abs(b.w!) - Math.abs(a.w!));
    stillBad = bad.length > 0;
    if (!stillBad || suspects.size >= mostSuspects) break;
    // the worst one; and of those as bad, the ones that share no point with it, since they do not speak of the same
    const touched = new Set<string>();
    for (const j of bad) {
      const ids = pointsOfFact(net.facts[rows.fact[j.r]]);
      if (Math.abs(j.w!) < ALSO_BAD * Math.abs(bad[0].w!) || ids.some((id) => touched.has(id)) || suspects.size >= mostSuspects) continue;
      suspects.add(rows.fact[j.r]);
      ids.forEach((id) => touched.add(id));
    }
    converged = settle();
  }
  const sides = hopeless ? null : settleSides(net, new Map(order.map((p, k): [number, Vec3] => [p, [x[3 * k], x[3 * k + 1], x[3 * k + 2]]])), input, suspects, !datum.upTaken);
  if (sides?.turned) {
    x = Float64Array.from(order.flatMap((p) => sides.placed.get(p)!));
    converged = settle();
  }
  if (!converged) warnings.push(SURVEY.NOT_AT_REST());

  const outcomes = factOutcomes();
  const { points, weak } = pointsOfNet();
  const open = [...openPoints(net, mirror.placed), ...weak];
  const kept = Array.from({ length: rows.count }, (_, r) => r).filter((r) => rows.fact[r] >= 0 && rows.weight[r] > 0);
  const redundancy = Math.max(0, Math.round(kept.reduce((sum, r) => sum + judge(r).share, 0)));
  const cost = kept.reduce((sum, r) => sum + (judge(r).v / rows.sigma[r]) ** 2, 0);
  const sigma0 = redundancy > 0 ? Math.sqrt(cost / redundancy) : null;
  if (sigma0 !== null && redundancy >= 5 && sigma0 > 2) warnings.push(SURVEY.LENGTHS_SCATTER(sigma0));
  const contradictory = hopeless || (net.facts.length > 20 && stillBad && suspects.size >= mostSuspects) || suspects.size > Math.max(MANY_SUSPECTS, MANY_SHARE * net.facts.length);
  if (contradictory) warnings.push(SURVEY.NET_CONTRADICTS());
  if (redundancy === 0) warnings.push(SURVEY.NOTHING_CHECKS());
  if (datum.upTaken) warnings.push(SURVEY.NO_UP());
  const noHeight = points.filter((p) => p.sigmaM[1] === null);
  if (2 * noHeight.length > points.length) warnings.push(SURVEY.NET_FLAT());
  else if (noHeight.length > 0) warnings.push(SURVEY.HEIGHTS_OPEN(noHeight.map((p) => p.id)));
  if (mirror.choice.status === 'open') warnings.push(SURVEY.MIRROR_OPEN(mirror.choice.words));
  const twins = sides?.open ?? [];
  warnings.push(...twins.map((t) => SURVEY[t.ask ? 'SIDE_ASKED' : 'SIDE_OPEN'](t.words)));
  const result: NetResult = {
    status: points.length === 0 ? 'none' : contradictory ? 'contradictory' : open.length > 0 ? 'partial' : 'solved',
    points,
    open,
    facts: outcomes,
    sigma0,
    redundancy,
    datum: datum.words,
    mirror: mirror.choice,
    twins,
    next: contradictory ? [] : nextTies(rows, x, names),
    warnings,
  };
  return withUntied(result, net.known, net.untied, datum.byKnown);

  /** Where the net bends, the datum goes to the part of it that holds most points. */
  function takeBestDatum(): Datum {
    rows.truncate(factRows);
    let best: { loose: number; base: [number, number, number] } | null = null;
    for (const base of datumBases(rows, x)) {
      takeDatum(rows, x, names, base);
      const c = covarianceOf(rows, x, slot);
      rows.truncate(factRows);
      const loose = order.filter((_, k) => !c || isLoose(c.ofPoint(k))).length;
      if (!best || loose < best.loose) best = { loose, base };
      if (loose === 0) break;
    }
    return takeDatum(rows, x, names, best!.base);
  }

  /** A few rounds in which far residuals count less, so that the first look at residuals is not spoiled by the blunders. */
  function robustStart(): void {
    for (let round = 0; round < 7; round += 1) {
      for (let r = 0; r < rows.count; r += 1) {
        const off = rows.offSigmas(r, x, g);
        rows.weight[r] = rows.fact[r] >= 0 && off > 2 ? Math.min(1, (2 / off) ** 1.5) : 1;
      }
      x = adjust(rows, x, slot, 1).x;
    }
  }

  /** How much wider than stated the residuals of the robust start scatter; blunders do not count in a median. */
  function robustSpread(): number {
    const off: number[] = [];
    for (let r = 0; r < rows.count; r += 1) if (rows.fact[r] >= 0) off.push(rows.offSigmas(r, x, g));
    // residuals are smaller than errors by the root of the redundancy's share
    const share = Math.max(0.1, 1 - (x.length - 3) / off.length);
    return Math.max(1, median(off) / 0.6745 / Math.sqrt(share));
  }

  /** What is beyond all doubt goes at once; it comes back when it fits the rest after all. */
  function grossOut(): void {
    const gross = Array.from({ length: rows.count }, (_, r) => ({ r, off: rows.fact[r] < 0 ? 0 : rows.offSigmas(r, x, g) }))
      .filter((q) => q.off > GROSS)
      .sort((a, b) => b.off - a.off);
    // two at one point speak of the point, not of the lengths
    const at = new Map<string, number>();
    for (const q of gross) for (const id of pointsOfFact(net.facts[rows.fact[q.r]])) at.set(id, (at.get(id) ?? 0) + 1);
    const alone = gross.filter((q) => pointsOfFact(net.facts[rows.fact[q.r]]).every((id) => at.get(id) === 1));
    for (const q of alone.slice(0, Math.floor(mostSuspects / 3))) suspects.add(rows.fact[q.r]);
  }

  function factOutcomes(): FactOutcome[] {
    const byFact = new Map<number, FactOutcome>();
    for (let r = 0; r < rows.count; r += 1) {
      const i = rows.fact[r];
      if (i < 0) continue;
      const j = judge(r);
      const one: FactOutcome = {
        fact: i,
        computedM: rows.measured[r] - j.v,
        residualM: j.v,
        normalised: j.w,
        redundancy: rows.weight[r] === 0 ? 1 : j.share,
        suspect: suspects.has(i),
        sigmaComputedM: j.sigmaComputedM,
      };
      const before = byFact.get(i);
      if (!before || Math.abs(one.residualM) > Math.abs(before.residualM)) byFact.set(i, one);
    }
    return [...byFact.values()].sort((a, b) => a.fact - b.fact);
  }

  function pointsOfNet(): { points: NetPoint[]; weak: OpenPoint[] } {
    const share = new Float64Array(order.length);
    const count = new Int32Array(order.length);
    for (let r = 0; r < rows.count; r += 1) {
      if (rows.fact[r] < 0 || rows.weight[r] === 0) continue;
      const there = [0, 1, 2].map((k) => rows.point[3 * r + k]).filter((p) => p >= 0);
      for (const p of there) {
        share[p] += judge(r).share / there.length;
        count[p] += 1;
      }
    }
    const weak: OpenPoint[] = [];
    const solved = order.flatMap((_, k): NetPoint[] => {
      const c = covariance?.ofPoint(k) ?? new Float64Array(9).fill(Infinity);
      const [sx, sy, sz] = [0, 4, 8].map((i) => Math.sqrt(Math.max(0, c[i])));
      if (isLoose(c)) {
        weak.push({ id: names[k], facts: count[k], missing: 'it moves against the rest: one further tie across to the others, or its height' });
        return [];
      }
      return [
        { id: names[k], at: [x[3 * k], x[3 * k + 1], x[3 * k + 2]], sigmaM: [sx, sy > UNDETERMINED_M ? null : sy, sz], covarianceM2: [...c] as unknown as Mat3, redundancy: share[k], facts: count[k] },
      ];
    });
    return { points: solved, weak };
  }
}

/** Level, a point is determined or not; its height alone may be open, in a net that lies in one plane. */
const isLoose = (c: Float64Array): boolean => !(Math.sqrt(c[0]) <= UNDETERMINED_M && Math.sqrt(c[8]) <= UNDETERMINED_M);

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
