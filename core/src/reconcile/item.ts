import type { KnownCause } from './causes';

export type Verdict = 'agrees' | 'drifts' | 'contradicts' | 'not observable';

export interface Cause {
  cause: string;
  title: string;
  evidence: string;
  /** share of belief among the causes considered and "something else", 0…1 */
  likelihood: number;
  correction?: KnownCause['correction'];
}

export interface ReconcileItem {
  quantity: 'focalLength' | 'cameraHeight' | 'length' | 'distance' | 'tilt' | 'roll' | 'squeeze' | 'principalX' | 'principalY' | 'witnessOffset' | 'witnessAngle';
  about: string;
  unit: 'mm' | 'm' | '°' | '×' | 'px';
  recorded: number;
  recordedSigma: number;
  solved: number | null;
  /** one standard deviation of the solved value */
  sigma: number | null;
  difference: number | null;
  verdict: Verdict;
  /** why this verdict, in one sentence */
  sentence: string;
  causes: Cause[];
}

/** A solve that knows a value no better than to 5 % (one sigma) cannot judge a record of it. */
const OBSERVABLE_SIGMA = 0.05;
/** Known no better than this, not even a large difference says anything: the sigma itself is then a guess. */
const MUCH_TOO_POOR = 0.1;
/** Differences beyond 2 sigma are worth a look, beyond 3.3 (one in a thousand) they are not chance. Below half a per cent they do no harm. */
const DRIFT_SIGMAS = 2;
const CONTRADICT_SIGMAS = 3.3;
const HARMLESS_SHARE = 0.005;
/** In units whose values may be near nought a share says nothing: what does no harm, and how well something must be known to judge. */
const ABSOLUTE: Partial<Record<ReconcileItem['unit'], { harmless: number; tooPoor: number }>> = { '°': { harmless: 0.2, tooPoor: 1 }, px: { harmless: 3, tooPoor: 12 } };
/** Of a rig, m: an offset may be near nought too. */
const OFFSET = { harmless: 0.003, tooPoor: 0.03 };
const NAMES: Record<ReconcileItem['quantity'], (about: string) => string> = {
  focalLength: () => 'Focal length',
  cameraHeight: (about) => `Camera height, ${about}`,
  length: (about) => `Length ${about}`,
  distance: (about) => `Distance to ${about}`,
  tilt: (about) => `Tilt, ${about}`,
  roll: (about) => `Roll, ${about}`,
  squeeze: () => 'Squeeze',
  principalX: () => 'Principal point, across',
  principalY: () => 'Principal point, down',
  witnessOffset: (about) => about,
  witnessAngle: (about) => about,
};

/** One quantity as it was recorded and as it was solved, judged; its causes are asked for only where it contradicts. */
export function item(
  quantity: ReconcileItem['quantity'],
  about: string,
  unit: ReconcileItem['unit'],
  recorded: number,
  recordedSigma: number,
  solved: number | null,
  sigma: number | null,
  causes: () => Cause[],
  unseen: string,
): ReconcileItem {
  const base = { quantity, about, unit, recorded, recordedSigma, solved, sigma };
  const digits = unit === 'm' || unit === '×' ? 3 : unit === 'px' ? 1 : 2;
  const absolute = ABSOLUTE[unit] ?? (quantity === 'witnessOffset' ? OFFSET : undefined);
  const { harmless, tooPoor } = absolute ?? { harmless: HARMLESS_SHARE * Math.abs(recorded), tooPoor: OBSERVABLE_SIGMA * Math.abs(recorded) };
  if (solved === null || sigma === null) return { ...base, difference: null, verdict: 'not observable', sentence: unseen, causes: [] };
  const difference = solved - recorded;
  const sigmas = Math.abs(difference) / Math.hypot(recordedSigma, sigma);
  const harms = Math.abs(difference) > harmless;
  const text = `recorded ${recorded.toFixed(digits)}, solved ${solved.toFixed(digits)} ± ${sigma.toFixed(digits)} ${unit}`;
  const name = NAMES[quantity](about);
  if (sigma > MUCH_TOO_POOR * Math.abs(solved) && !absolute)
    return { ...base, difference, verdict: 'not observable', sentence: `${name}: ${text}. The solve knows it too poorly to judge.`, causes: [] };
  if (sigmas > CONTRADICT_SIGMAS && harms)
    return { ...base, difference, verdict: 'contradicts', sentence: `${name}: ${text}. The difference is ${sigmas.toFixed(0)} times what both tolerances allow.`, causes: causes() };
  if (sigma > tooPoor) return { ...base, difference, verdict: 'not observable', sentence: `${name}: ${text}. The solve knows it too poorly to judge.`, causes: [] };
  if (sigmas > DRIFT_SIGMAS && harms) return { ...base, difference, verdict: 'drifts', sentence: `${name}: ${text}. Larger than expected, not beyond doubt.`, causes: [] };
  return { ...base, difference, verdict: 'agrees', sentence: `${name}: ${text}.`, causes: [] };
}
