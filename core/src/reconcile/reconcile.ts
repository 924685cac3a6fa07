import { CoreError } from '../errors';
import { computeOptics } from '../optics';
import type { SolveSetup } from '../solve/setup';
import type { SolveResult } from '../solve/result';
import { focalCauses, LENGTH_CAUSES, type KnownCause } from './causes';

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
  quantity: 'focalLength' | 'cameraHeight' | 'length';
  about: string;
  unit: 'mm' | 'm';
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

export interface ReconcileReport {
  items: ReconcileItem[];
  verdict: Verdict;
  sentence: string;
  warnings: string[];
}

/** A marked focal length is rounded and made to about a per cent. */
const MARKED_FOCAL_SIGMA = 0.01;
/** A solve that knows a value no better than to 5 % (one sigma) cannot judge a record of it. */
const OBSERVABLE_SIGMA = 0.05;
/** Differences beyond 2 sigma are worth a look, beyond 3.3 (one in a thousand) they are not chance. Below half a per cent they do no harm. */
const DRIFT_SIGMAS = 2;
const CONTRADICT_SIGMAS = 3.3;
const HARMLESS_SHARE = 0.005;
/** Belief in "something else", as a density over the ratio: keeps a bad match from winning for want of rivals. */
const ELSE_DENSITY = 0.6;

/** The parts of a solve result that reconciling reads; files from elsewhere may lack the rest. */
export type SolvedForReconcile = Pick<SolveResult, 'status' | 'focalMm' | 'sigmaFocalMm' | 'frames' | 'points'> & Partial<Pick<SolveResult, 'focalMode' | 'anchoring' | 'reason'>>;

/**
 * Recorded against solved, with verdict and likely causes.
 * Lengths and heights took part in anchoring; each is judged against the value that everything else gives (data snooping), never
 * against the one it helped to make.
 * @throws CoreError INVALID_OPTION when the result holds no solve
 */
export function reconcile(setup: SolveSetup, solve: SolvedForReconcile): ReconcileReport {
  if (solve.status === 'failed' || solve.focalMm === null || solve.frames.length === 0) {
    throw new CoreError('INVALID_OPTION', `The solve failed${solve.reason ? ` (${solve.reason})` : ''}: there is nothing to compare`, 'status');
  }
  const items: ReconcileItem[] = [focalItem(setup, solve)];
  const residuals = solve.anchoring?.residuals ?? [];
  for (const h of setup.anchors?.cameraHeights ?? []) {
    const about = `frame ${h.frame}`;
    const r = residuals.find((q) => q.kind === 'cameraHeight' && q.about === about);
    const frame = solve.frames.find((f) => f.frame === h.frame);
    // a result without anchoring evidence: the position itself, as far as its own sigma goes
    const plain = !solve.anchoring?.residuals && frame ? { value: frame.position[1], sigma: frame.sigmaPositionM ?? null } : null;
    items.push(lengthItem('cameraHeight', about, h.m, h.sigmaM ?? 0.005, r ? r.independentM : (plain?.value ?? null), r ? r.sigmaIndependentM : (plain?.sigma ?? null)));
  }
  for (const l of setup.anchors?.lengths ?? []) {
    const about = `${l.a}–${l.b}`;
    const r = residuals.find((q) => q.kind === 'length' && q.about === about);
    const a = solve.points.find((p) => p.track === l.a);
    const b = solve.points.find((p) => p.track === l.b);
    const plain =
      !solve.anchoring?.residuals && a && b
        ? { value: Math.hypot(a.position[0] - b.position[0], a.position[1] - b.position[1], a.position[2] - b.position[2]), sigma: Math.hypot(a.sigmaM ?? 0, b.sigmaM ?? 0) }
        : null;
    items.push(lengthItem('length', about, l.m, l.sigmaM ?? 0.003, r ? r.independentM : (plain?.value ?? null), r ? r.sigmaIndependentM : (plain?.sigma ?? null)));
  }
  const order: Verdict[] = ['contradicts', 'drifts', 'not observable', 'agrees'];
  const seen = items.filter((i) => i.verdict !== 'not observable');
  const verdict = order.find((v) => (seen.length > 0 ? seen : items).some((i) => i.verdict === v)) ?? 'not observable';
  items.sort((a, b) => order.indexOf(a.verdict) - order.indexOf(b.verdict) || gap(b) - gap(a));
  return { items, verdict, sentence: headline(items, verdict), warnings: [] };
}

const gap = (i: ReconcileItem) => (i.difference === null ? 0 : Math.abs(i.difference) / Math.hypot(i.recordedSigma, i.sigma ?? 0));

function headline(items: readonly ReconcileItem[], verdict: Verdict): string {
  const first = items[0];
  const cause = first.causes[0];
  if (verdict === 'contradicts' && cause && cause.likelihood > 0.5) return `${cause.title}.`;
  if (verdict === 'contradicts' || verdict === 'drifts') return first.sentence;
  if (verdict === 'agrees') return 'The record agrees with the solve.';
  return 'This solve cannot judge the record.';
}

function focalItem(setup: SolveSetup, solve: SolvedForReconcile): ReconcileItem {
  const recorded = computeOptics(setup).effectiveFocalMm;
  const adapter = setup.adapterFactor ?? 1;
  const mode = solve.focalMode ?? setup.focal.mode ?? 'held';
  const recordedSigma = (setup.focal.sigmaMm ?? 0) > 0 ? setup.focal.sigmaMm! * adapter : MARKED_FOCAL_SIGMA * recorded;
  let solved = solve.focalMm;
  let sigma = solve.sigmaFocalMm;
  if (mode === 'held') {
    return item(
      'focalLength',
      'focal length',
      'mm',
      recorded,
      recordedSigma,
      null,
      null,
      () => [],
      'The solve held the recorded focal length, so it cannot judge it. Solve again with the focal length free.',
    );
  }
  if (mode === 'guided' && setup.focal.sigmaMm && solved !== null && sigma) {
    // take the recorded value out again, so that it is not compared with itself
    const information = 1 / sigma ** 2 - 1 / recordedSigma ** 2;
    if (information <= 0) {
      solved = null;
      sigma = null;
    } else {
      solved = (solved / sigma ** 2 - recorded / recordedSigma ** 2) / information;
      sigma = Math.sqrt(1 / information);
    }
  }
  const causes = () =>
    rankCauses(
      focalCauses({ adapterFactor: adapter, squeeze: setup.squeeze ?? 1, sensorWidthMm: setup.sensor.widthMm }),
      recorded,
      recordedSigma,
      solved!,
      sigma ?? 0,
      (k) =>
        `${recorded.toFixed(2)} mm × ${k.ratio.toFixed(3)} = ${(recorded * k.ratio).toFixed(2)} mm; solved ${solved!.toFixed(2)} ± ${(sigma ?? 0).toFixed(2)} mm, ratio ${(solved! / recorded).toFixed(3)}`,
    );
  return item('focalLength', 'focal length', 'mm', recorded, recordedSigma, solved, sigma, causes, 'This move does not show the focal length.');
}

function lengthItem(quantity: 'cameraHeight' | 'length', about: string, recorded: number, recordedSigma: number, solved: number | null, sigma: number | null): ReconcileItem {
  const causes = () =>
    rankCauses(
      LENGTH_CAUSES,
      recorded,
      recordedSigma,
      solved!,
      sigma ?? 0,
      (k) => `${recorded.toFixed(3)} m × ${k.ratio.toFixed(3)} = ${(recorded * k.ratio).toFixed(3)} m; solved ${solved!.toFixed(3)} ± ${(sigma ?? 0).toFixed(3)} m`,
    );
  return item(quantity, about, 'm', recorded, recordedSigma, solved, sigma, causes, 'Nothing else in this solve gives the scale, so it cannot be checked. One more length or height would do.');
}

function item(
  quantity: ReconcileItem['quantity'],
  about: string,
  unit: 'mm' | 'm',
  recorded: number,
  recordedSigma: number,
  solved: number | null,
  sigma: number | null,
  causes: () => Cause[],
  unseen: string,
): ReconcileItem {
  const base = { quantity, about, unit, recorded, recordedSigma, solved, sigma };
  const digits = unit === 'mm' ? 2 : 3;
  if (solved === null || sigma === null) return { ...base, difference: null, verdict: 'not observable', sentence: unseen, causes: [] };
  const difference = solved - recorded;
  const sigmas = Math.abs(difference) / Math.hypot(recordedSigma, sigma);
  const share = Math.abs(difference / recorded);
  const text = `recorded ${recorded.toFixed(digits)}, solved ${solved.toFixed(digits)} ± ${sigma.toFixed(digits)} ${unit}`;
  const name = { focalLength: 'Focal length', cameraHeight: `Camera height, ${about}`, length: `Length ${about}` }[quantity];
  if (sigmas > CONTRADICT_SIGMAS && share > HARMLESS_SHARE)
    return { ...base, difference, verdict: 'contradicts', sentence: `${name}: ${text}. The difference is ${sigmas.toFixed(0)} times what both tolerances allow.`, causes: causes() };
  if (sigma > OBSERVABLE_SIGMA * Math.abs(recorded)) return { ...base, difference, verdict: 'not observable', sentence: `${name}: ${text}. The solve knows it too poorly to judge.`, causes: [] };
  if (sigmas > DRIFT_SIGMAS && share > HARMLESS_SHARE) return { ...base, difference, verdict: 'drifts', sentence: `${name}: ${text}. Larger than expected, not beyond doubt.`, causes: [] };
  return { ...base, difference, verdict: 'agrees', sentence: `${name}: ${text}.`, causes: [] };
}

/** Belief by Bayes' rule: each cause predicts the ratio as a normal law about its own, "something else" as a flat one. */
function rankCauses(known: readonly KnownCause[], recorded: number, recordedSigma: number, solved: number, sigma: number, evidence: (k: KnownCause) => string): Cause[] {
  const ratio = solved / recorded;
  const own = ratio * Math.hypot(recordedSigma / recorded, sigma / solved);
  const density = (k: KnownCause) => {
    const s = Math.hypot(own, k.spread);
    return (k.prior * Math.exp(-0.5 * ((ratio - k.ratio) / s) ** 2)) / (s * Math.sqrt(2 * Math.PI));
  };
  const weights = known.map(density);
  const total = weights.reduce((a, b) => a + b, 0) + ELSE_DENSITY;
  return known
    .map((k, i) => ({ cause: k.cause, title: k.title, evidence: evidence(k), likelihood: weights[i] / total, ...(k.correction ? { correction: k.correction } : {}) }))
    .filter((c) => c.likelihood > 0.05)
    .sort((a, b) => b.likelihood - a.likelihood);
}
