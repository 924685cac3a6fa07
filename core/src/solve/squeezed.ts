import { SOLVE } from '../warnings';
import { freeRest } from './free-lens';
import type { Reconstruction } from './reconstruction';
import type { SolveResult } from './result';
import type { SolveLens, SolveSetup } from './setup';
import { BENT_FACTOR } from './zoom';

/** Another squeeze than was recorded. */
export interface Squeezed {
  value: number;
  sigma: number;
}

/** Of the robust cost: with the squeeze free at least so much must go, or it is not what is wrong. */
const EXPLAINS = 0.8;
/** With it the tracks must be plainly quieter, and what is left go along them far less. */
const QUIETER = 0.9;
const WHITER = 0.5;
/** A nearer one is a lens that squeezes a little otherwise than is engraved, which bends no solve. */
const LEAST_CHANGE = 0.05;
const LEAST_SIGMAS = 6;
/** Squeezes that lenses are made with. */
export const SQUEEZES = [1, 1.33, 1.5, 1.65, 1.8, 2] as const;
/** So many are tried, nearest first: the solve that took another one lies in a valley of its own. */
const TRIED = 4;

/**
 * Was the lens another one in its squeeze than the record says? A picture that is taken for unsqueezed is solved into a bent path that keeps most
 * of its error along the tracks. Asked cheaply first (one more unknown from where the solve ended), then by whole solves from the squeezes that
 * lenses are made with, since the first answer may lie in another valley.
 * @param r as it was solved; it is changed
 * @param again solves the same tracks by another record, as far as its cameras and tracks go
 * @param mostPx noise that it may leave, px: what something else explains better is no squeeze
 */
export function squeezedSeen(r: Reconstruction, solved: SolveResult, lens: SolveLens, setup: SolveSetup, again: (setup: SolveSetup) => SolveResult, mostPx = Infinity): Squeezed | null {
  if (solved.status === 'failed' || setup.squeezeFit || !solved.noisePx || (solved.driftFactor ?? 1) < BENT_FACTOR) return null;
  const huberPx = Math.max(1e-3, 3 * r.noisePx);
  const before = r.adjustAll(huberPx, 0).costPerObs;
  const recorded = setup.squeeze ?? 1;
  const ratioBefore = r.lens.pxPerMmX / r.lens.pxPerMmY;
  freeRest(r, { ...lens, alsoFree: ['ratio'], unasked: [] });
  if (!(r.adjustAll(huberPx, 0).costPerObs < EXPLAINS * before)) return null;
  const hint = (recorded * ratioBefore * r.lens.pxPerMmY) / r.lens.pxPerMmX;
  const drift = (s: SolveResult): number => (s.driftFactor ?? 1) - 1;
  const candidates = SQUEEZES.filter((s) => Math.abs(s / recorded - 1) > LEAST_CHANGE)
    .sort((a, b) => Math.abs(Math.log(a / hint)) - Math.abs(Math.log(b / hint)))
    .slice(0, TRIED);
  let best: { noisePx: number; found: Squeezed } | null = null;
  for (const squeeze of candidates) {
    // what was measured is not asked: some of it was entered into the same wrong picture
    const s = again({ ...setup, squeeze, squeezeFit: { mode: 'free' }, focal: { mode: 'free', mm: setup.focal.mm }, anchors: undefined });
    const found = s.found?.squeeze;
    if (s.status === 'failed' || !s.noisePx || !found?.told || found.sigma === null) continue;
    if (s.frames.length < solved.frames.length || s.noisePx > Math.min(mostPx, QUIETER * solved.noisePx) || drift(s) > WHITER * drift(solved)) continue;
    const change = Math.abs(found.value / recorded - 1);
    if (change < LEAST_CHANGE || change * recorded < LEAST_SIGMAS * found.sigma) continue;
    if (!best || s.noisePx < best.noisePx) best = { noisePx: s.noisePx, found: { value: found.value, sigma: found.sigma } };
    // as quiet as white noise: another one would be no better
    if (drift(s) < 0.1) break;
  }
  return best?.found ?? null;
}

/**
 * A squeeze that was asked for and found far from the record was found from the record's valley: the same take is solved again from the squeezes
 * next to what was found, and the quietest holds.
 */
export function settledSqueeze(solved: SolveResult, setup: SolveSetup, again: (setup: SolveSetup) => SolveResult): SolveResult {
  const found = solved.found?.squeeze;
  if (setup.squeezeFit?.mode !== 'free' || !found?.told || Math.abs(found.value / (setup.squeeze ?? 1) - 1) < LEAST_CHANGE) return solved;
  const others = [...SQUEEZES].sort((a, b) => Math.abs(Math.log(a / found.value)) - Math.abs(Math.log(b / found.value))).slice(0, 2);
  const better = (s: SolveResult, than: SolveResult): boolean =>
    s.status !== 'failed' && s.frames.length >= than.frames.length && s.points.length >= than.points.length && (s.noisePx ?? Infinity) < 1.05 * (than.noisePx ?? 0);
  return others.map((squeeze) => again({ ...setup, squeeze })).reduce((best, s) => (better(s, best) ? s : best), solved);
}

/** A solve that was made with another squeeze than the lens has: what it says is bent, and it says so. */
export function toldSqueezed(solved: SolveResult, squeezed: Squeezed, recorded: number): SolveResult {
  const reason = `the lens squeezes ${squeezed.value.toFixed(2)} times, and ${recorded === 1 ? 'was taken as spherical' : `${recorded} was recorded`}: path and points are bent by it`;
  return {
    ...solved,
    squeezed,
    bending: null,
    status: 'partial',
    reason: solved.reason ? `${solved.reason}; ${reason}` : reason,
    warnings: [SOLVE.LENS_SQUEEZES(reason), ...solved.warnings.filter((w) => w.code !== 'LENS_BENDS')],
  };
}
