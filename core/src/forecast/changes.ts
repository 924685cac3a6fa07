import { USUAL_SIGMA } from '../facts';
import { distance, type Vec3 } from '../math';
import { gainPct, type Forecast } from './forecast';
import type { ForecastFacts } from './plan';

/** A measurement that could be made besides those that are planned. */
export type Measurement = { words: string; at: Vec3 | null } & (
  { kind: 'tie'; a: string; b: string; sigmaM: number } | { kind: 'level'; ids: string[] } | { kind: 'height'; sigmaM: number } | { kind: 'plate' }
);

/** What has to be known to say which measurements are left. */
export interface Measurable {
  /** marks that the shot sees: a tie to any other gives it nothing */
  inSight: readonly { id: string; at: Vec3 }[];
  facts: Pick<ForecastFacts, 'level'> & { lengths: readonly { a: string; b: string }[]; heights: number };
  lensHeld: boolean;
  /** where the camera begins */
  start: Vec3;
}

/** A mark at the floor lies no higher, m. */
const FLOOR_M = 0.02;
/** Among more marks the widest pair of these is wide enough. */
const MOST_MARKS = 100;

/** The widest tie that is not planned yet, the floor's marks as level, a first height, a plate where the lens is not held. */
export function measurementsLeft({ inSight, facts, lensHeld, start }: Measurable): Measurement[] {
  const out: Measurement[] = [];
  const pair = widestPair(inSight.slice(0, MOST_MARKS), facts.lengths);
  if (pair) {
    const [a, b] = pair;
    const middle: Vec3 = [(a.at[0] + b.at[0]) / 2, (a.at[1] + b.at[1]) / 2, (a.at[2] + b.at[2]) / 2];
    out.push({ kind: 'tie', a: a.id, b: b.id, sigmaM: USUAL_SIGMA.tieM, at: middle, words: `A tie from ${a.id} to ${b.id}, ${distance(a.at, b.at).toFixed(2)} m` });
  }
  const floor = inSight.filter((m) => m.at[1] < FLOOR_M && !facts.level.includes(m.id));
  if (facts.level.length < 3 && floor.length + facts.level.length >= 3)
    out.push({ kind: 'level', ids: floor.map((m) => m.id), at: floor[0].at, words: `${floor.map((m) => m.id).join(', ')} as level marks of the floor` });
  if (facts.heights === 0) out.push({ kind: 'height', sigmaM: USUAL_SIGMA.heightM, at: start, words: 'The camera height at the start' });
  if (!lensHeld) out.push({ kind: 'plate', at: null, words: 'A grid plate at this focal length and focus, so that the lens is held' });
  return out;
}

function widestPair<M extends { id: string; at: Vec3 }>(marks: readonly M[], tied: readonly { a: string; b: string }[]): [M, M] | null {
  const has = new Set(tied.flatMap(({ a, b }) => [`${a}\n${b}`, `${b}\n${a}`]));
  let best: [M, M] | null = null;
  let most = 0;
  for (const a of marks)
    for (const b of marks) {
      const d = distance(a.at, b.at);
      if (d > most && !has.has(`${a.id}\n${b.id}`)) [best, most] = [[a, b], d];
    }
  return best;
}

/** What a change would bring. */
export interface Gain {
  /** by how much the slip falls, per cent of what it is now */
  gainPct: number;
  /** what it makes known that was not: scale, height; null when nothing */
  makesKnown: string | null;
  slipPx: number | null;
}

/** Less than this nobody would go and measure for, per cent. */
const WORTH_PCT = 0.5;

/**
 * Each change judged by a forecast of its own, those that are worth it, the best first. What makes scale or height known comes before any
 * gain in slip, since without them slip alone tells little.
 */
export function ranked<C>(now: Forecast, changes: readonly C[], judge: (change: C) => Forecast, onProgress: (done: number) => void): (C & Gain)[] {
  const judged = changes.map((change, i): C & Gain => {
    const then = judge(change);
    onProgress((i + 1) / changes.length);
    const known = [now.sigmaScalePct === null && then.sigmaScalePct !== null ? 'scale' : null, now.sigmaHeightM === null && then.sigmaHeightM !== null ? 'height' : null].filter((w) => w !== null);
    return { ...change, gainPct: gainPct(now, then), makesKnown: known.length > 0 ? known.join(' and ') : null, slipPx: then.slipPx };
  });
  return judged.filter((j) => j.gainPct > WORTH_PCT || j.makesKnown !== null).sort((a, b) => Number(b.makesKnown !== null) - Number(a.makesKnown !== null) || b.gainPct - a.gainPct);
}
