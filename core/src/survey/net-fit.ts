import { median } from '../math';
import { adjust, covarianceOf, type NetCovariance } from './adjust';
import type { NetRows } from '../facts';

/** A fact that others check by less than this share can hide any blunder. */
const LEAST_REDUNDANCY = 0.02;
const ROBUST_ROUNDS = 7;

/** The rows of a net and the order in which its points are eliminated; `rows.weight` is what the last adjustment took. */
export interface NetProblem {
  rows: NetRows;
  slot: Int32Array;
}

/** A net as it was adjusted. */
export interface NetFit {
  /** metres, three for each point */
  x: Float64Array;
  /** facts that were left out */
  suspects: ReadonlySet<number>;
  covariance: NetCovariance | null;
  converged: boolean;
}

/** One row against the rest. */
export interface Judged {
  row: number;
  /** measured less computed */
  v: number;
  /** residual over its own sigma; of a row that is left out, against what the others predict; null: nothing checks it */
  w: number | null;
  /** redundancy, 0…1 */
  share: number;
  sigmaComputedM: number;
}

/** The rows count, all but those of the suspects. */
export function weighRows({ rows }: NetProblem, suspects: ReadonlySet<number>): void {
  for (let r = 0; r < rows.count; r += 1) rows.weight[r] = rows.fact[r] >= 0 && suspects.has(rows.fact[r]) ? 0 : 1;
}

/** Adjusts without the suspects. */
export function fitWithout(problem: NetProblem, from: Float64Array, suspects: ReadonlySet<number>): NetFit {
  const { rows, slot } = problem;
  weighRows(problem, suspects);
  const { x, converged } = adjust(rows, from, slot);
  return { x, suspects, covariance: covarianceOf(rows, x, slot), converged };
}

const g = new Float64Array(9);

/** A row by its normalised residual w = v / (σ √r) (Baarda 1968). */
export function judgeRow({ rows }: NetProblem, fit: NetFit, row: number): Judged {
  const v = rows.measured[row] - rows.evaluate(row, fit.x, g);
  const q = fit.covariance ? fit.covariance.ofRow(row, g) : 0;
  const s2 = rows.sigma[row] ** 2;
  if (rows.weight[row] === 0) return { row, v, w: v / Math.sqrt(s2 + q), share: 1, sigmaComputedM: Math.sqrt(q) };
  const share = Math.max(0, 1 - q / s2);
  return { row, v, w: share > LEAST_REDUNDANCY ? v / (rows.sigma[row] * Math.sqrt(share)) : null, share, sigmaComputedM: Math.sqrt(q) };
}

/** The rows of facts; the others are what is known of points, and the datum. */
export const factRowsOf = (rows: NetRows): number[] => Array.from({ length: rows.count }, (_, r) => r).filter((r) => rows.fact[r] >= 0);

/** A few rounds in which far residuals count less, so that the first look at residuals is not spoiled by the blunders. */
export function robustStart({ rows, slot }: NetProblem, from: Float64Array): Float64Array {
  let x = from;
  for (let round = 0; round < ROBUST_ROUNDS; round += 1) {
    for (let r = 0; r < rows.count; r += 1) {
      const off = rows.offSigmas(r, x, g);
      rows.weight[r] = rows.fact[r] >= 0 && off > 2 ? Math.min(1, (2 / off) ** 1.5) : 1;
    }
    x = adjust(rows, x, slot, 1).x;
  }
  return x;
}

/** How much wider than stated the residuals of the robust start scatter; blunders do not count in a median. */
export function robustSpread({ rows }: NetProblem, x: Float64Array): number {
  const off = factRowsOf(rows).map((r) => rows.offSigmas(r, x, g));
  // residuals are smaller than errors by the root of the redundancy's share
  const share = Math.max(0.1, 1 - (x.length - 3) / off.length);
  return Math.max(1, median(off) / 0.6745 / Math.sqrt(share));
}

/** By how many of its sigmas each fact is off, worst row first. */
export const offBy = ({ rows }: NetProblem, x: Float64Array): { row: number; off: number }[] =>
  factRowsOf(rows)
    .map((row) => ({ row, off: rows.offSigmas(row, x, g) }))
    .sort((a, b) => b.off - a.off);
