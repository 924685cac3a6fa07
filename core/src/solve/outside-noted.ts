import type { SolveResult } from './result';
import type { SolveSetup } from './setup';

/** A zoom that ends so far outside what was noted of it is none that this lens made: path and lens traded places. */
const OUTSIDE = 1.3;

export function outsideNoted(solve: SolveResult, setup: SolveSetup): Partial<SolveResult> {
  const { mm, sigmaMm, profile = [], endMm } = setup.focal;
  const adapter = setup.adapterFactor ?? 1;
  const noted = [...profile.map((n) => n.mm), ...(sigmaMm ? [mm - sigmaMm, mm + sigmaMm] : []), ...(endMm ? [mm, endMm] : [])].map((v) => v * adapter);
  if (solve.frames.length === 0) return {};
  // nothing but a middle: a zoom of three times either way
  if (noted.length === 0) noted.push((mm * adapter) / 3, 3 * mm * adapter);
  const lengths = solve.frames.map((f) => f.focalMm);
  const [from, to] = [Math.min(...lengths), Math.max(...lengths)];
  const [low, high] = [Math.min(...noted), Math.max(...noted)];
  if (from > low / OUTSIDE && to < high * OUTSIDE) return {};
  const reason = `the solve zooms from ${from.toFixed(1)} to ${to.toFixed(1)} mm, and ${low.toFixed(1)} to ${high.toFixed(1)} mm were noted: this move does not tell the lens from the path, or the note is wrong`;
  return { status: solve.status === 'failed' ? 'failed' : 'partial', reason: solve.reason ? `${solve.reason}; ${reason}` : reason };
}
