import type { MomentWatch } from '../marks';
import type { SetupFacts, SetupStudy } from '../setup';
import type { WitnessWatch } from '../witness';

/** By how often the number exceeds its limit. */
export const SEVERITIES = ['grave', 'serious', 'small'] as const;
export type Severity = (typeof SEVERITIES)[number];

/** A change of the plan that the application can make by itself. */
export type Remedy =
  { set: 'shutterDeg'; value: number } | { set: 'stop'; value: number } | { set: 'stabiliser'; value: 'off' } | { set: 'sync'; value: 'timecode and clap' } | { set: 'slower'; value: number };

/** One computed remark about a setup. */
export interface Caution {
  rule: string;
  severity: Severity;
  /** what was found */
  found: string;
  /** the number, its limit and their unit */
  value: number;
  limit: number;
  unit: string;
  /** why it matters to a solve */
  why: string;
  /** what to do */
  advice: string;
  /** which entry would change it */
  entry: string;
  remedy: Remedy | null;
  /** when in the move it is worst, s; null when it does not depend on time */
  worstAtS: number | null;
}

/** What cameras see of the setup, moment by moment; reckoned once for cautions and drawings. */
export interface SetupWatch {
  moments: readonly MomentWatch[];
  /** in the order of the facts' witnesses; null for one that nobody has placed */
  witnesses: readonly (WitnessWatch | null)[];
}

export interface RuleInput {
  study: SetupStudy;
  watch: readonly MomentWatch[];
  witnesses: SetupWatch['witnesses'];
  facts: SetupFacts;
}

/** A rule finds one caution or none. */
export type Rule = (input: RuleInput) => Caution | null;

const GRAVE_TIMES = 2;
const SERIOUS_TIMES = 1.25;

/** Severity follows from the number: twice beyond the limit is grave, a quarter beyond clear. */
export const severityOf = (timesBeyond: number): Severity => (timesBeyond >= GRAVE_TIMES ? 'grave' : timesBeyond >= SERIOUS_TIMES ? 'serious' : 'small');

type Found = Omit<Caution, 'severity' | 'remedy' | 'worstAtS'> & { severity?: Severity; remedy?: Remedy | null; worstAtS?: number | null };

/** Caution when the value is above its limit. */
export function whenAbove(f: Found): Caution | null {
  if (!(f.value > f.limit)) return null;
  return { remedy: null, worstAtS: null, ...f, severity: f.severity ?? severityOf(f.limit > 0 ? f.value / f.limit : Infinity) };
}

/** Caution when the value is below its limit. */
export function whenBelow(f: Found): Caution | null {
  if (!(f.value < f.limit)) return null;
  return { remedy: null, worstAtS: null, ...f, severity: f.severity ?? severityOf(f.value > 0 ? f.limit / f.value : Infinity) };
}

/** A number for a sentence: three figures at most, whole ones without noughts behind them. */
export const said = (v: number): string => (!Number.isFinite(v) ? 'infinite' : Math.abs(v) >= 100 ? v.toFixed(0) : String(Number(v.toPrecision(3))));
