import type { Mat3 } from '../math';
import type { KnownPoint } from '../facts';
import { SURVEY, type Warning } from '../warnings';
import type { Datum } from './datum';
import type { MirrorChoice } from './mirror';
import { factRowsOf, judgeRow, type NetFit, type NetProblem } from './net-fit';
import type { FactOutcome, NetPoint, OpenPoint } from './net-result';
import type { TwinQuestion } from './twins';

/** A coordinate that is looser than this is not determined, m. */
const UNDETERMINED_M = 0.5;

/** Level, a point is determined or not; its height alone may be open, in a net that lies in one plane. */
export const isLoose = (c: Float64Array): boolean => !(Math.sqrt(c[0]) <= UNDETERMINED_M && Math.sqrt(c[8]) <= UNDETERMINED_M);

/** What became of each fact; of one with several rows its worst. */
export function factOutcomes(problem: NetProblem, fit: NetFit): FactOutcome[] {
  const { rows } = problem;
  const byFact = new Map<number, FactOutcome>();
  for (const r of factRowsOf(rows)) {
    const j = judgeRow(problem, fit, r);
    const one: FactOutcome = {
      fact: rows.fact[r],
      computedM: rows.measured[r] - j.v,
      residualM: j.v,
      normalised: j.w,
      redundancy: rows.weight[r] === 0 ? 1 : j.share,
      suspect: fit.suspects.has(rows.fact[r]),
      sigmaComputedM: j.sigmaComputedM,
    };
    const before = byFact.get(one.fact);
    if (!before || Math.abs(one.residualM) > Math.abs(before.residualM)) byFact.set(one.fact, one);
  }
  return [...byFact.values()].sort((a, b) => a.fact - b.fact);
}

/** Beyond so many of its own sigmas the scatter of the residuals is no chance. */
const BY_CHANCE = 3;
/** By how much sigmas are wider for residuals that scatter beyond their tolerances; 1 where chance explains it (χ² over its degrees has the sigma √(2/r)). */
export const widening = (sigma0: number | null, redundancy: number): number => (sigma0 !== null && sigma0 ** 2 > 1 + BY_CHANCE * Math.sqrt(2 / redundancy) ? sigma0 : 1);

/** The points that are determined, and those that move against the rest; sigmas that many times as wide. */
export function netPoints(problem: NetProblem, fit: NetFit, names: readonly string[], wider = 1): { points: NetPoint[]; weak: OpenPoint[] } {
  const { rows } = problem;
  const share = new Float64Array(names.length);
  const count = new Int32Array(names.length);
  for (const r of factRowsOf(rows)) {
    if (rows.weight[r] === 0) continue;
    const there = [0, 1, 2].map((k) => rows.point[3 * r + k]).filter((p) => p >= 0);
    const own = judgeRow(problem, fit, r).share / there.length;
    for (const p of there) {
      share[p] += own;
      count[p] += 1;
    }
  }
  const [points, weak]: [NetPoint[], OpenPoint[]] = [[], []];
  names.forEach((id, k) => {
    const c = (fit.covariance?.ofPoint(k) ?? new Float64Array(9).fill(Infinity)).map((v) => v * wider * wider);
    const [sx, sy, sz] = [0, 4, 8].map((i) => Math.sqrt(Math.max(0, c[i])));
    const at = [fit.x[3 * k], fit.x[3 * k + 1], fit.x[3 * k + 2]] as const;
    if (isLoose(c)) weak.push({ id, facts: count[k], missing: 'it moves against the rest: one further tie across to the others, or its height' });
    else points.push({ id, at: [...at], sigmaM: [sx, sy > UNDETERMINED_M ? null : sy, sz], covarianceM2: [...c] as unknown as Mat3, redundancy: share[k], facts: count[k] });
  });
  return { points, weak };
}

/**
 * How many facts there are more than needed, and how far they scatter over what was stated; null: nothing is more than needed.
 * @param all those that were left out count too
 */
export function redundancyOf(problem: NetProblem, fit: NetFit, all = false): { redundancy: number; sigma0: number | null } {
  const { rows } = problem;
  const kept = factRowsOf(rows)
    .filter((r) => all || rows.weight[r] > 0)
    .map((r) => judgeRow(problem, fit, r));
  const redundancy = Math.max(0, Math.round(kept.reduce((sum, j) => sum + j.share, 0)));
  const cost = kept.reduce((sum, j) => sum + (j.v / rows.sigma[j.row]) ** 2, 0);
  return { redundancy, sigma0: redundancy > 0 ? Math.sqrt(cost / redundancy) : null };
}

/** A point whose facts the others check by less in all: a blunder at it may stay unseen, and move it by many of its sigmas. */
export const LEAST_CHECKED = 0.45;
/** Points of which a wrong fact would hardly be seen; those that an instrument placed are its own word. */
export const littleChecked = (points: readonly NetPoint[], known: readonly KnownPoint[]): NetPoint[] => points.filter((p) => p.redundancy < LEAST_CHECKED && !known.some((k) => k.id === p.id));

interface Told {
  converged: boolean;
  /** the sigmas were made so many times as wide; null: they were not */
  scatter: number | null;
  redundancy: number;
  contradictory: boolean;
  datum: Datum;
  points: readonly NetPoint[];
  known: readonly KnownPoint[];
  mirror: MirrorChoice;
  twins: readonly TwinQuestion[];
}

/** What is worth knowing of it, in the order in which it weighs. */
export function netWarnings({ converged, scatter, redundancy, contradictory, datum, points, known, mirror, twins }: Told): Warning[] {
  const noHeight = points.filter((p) => p.sigmaM[1] === null);
  const little = littleChecked(points, known);
  return [
    ...(converged ? [] : [SURVEY.NOT_AT_REST()]),
    ...(scatter !== null && redundancy >= 5 && scatter > 2 ? [SURVEY.LENGTHS_SCATTER(scatter)] : []),
    ...(contradictory ? [SURVEY.NET_CONTRADICTS()] : []),
    ...(redundancy === 0
      ? [SURVEY.NOTHING_CHECKS()]
      : little.length > 0 && !contradictory
        ? [SURVEY.LITTLE_CHECKS(little.map((p) => p.id).sort((a, b) => a.localeCompare(b, 'en', { numeric: true })))]
        : []),
    ...(datum.upTaken ? [SURVEY.NO_UP()] : []),
    ...(2 * noHeight.length > points.length ? [SURVEY.NET_FLAT()] : noHeight.length > 0 ? [SURVEY.HEIGHTS_OPEN(noHeight.map((p) => p.id))] : []),
    ...(mirror.status === 'open' ? [SURVEY.MIRROR_OPEN(mirror.words)] : []),
    ...twins.map((t) => SURVEY[t.ask ? 'SIDE_ASKED' : 'SIDE_OPEN'](t.words)),
  ];
}
