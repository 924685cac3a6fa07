import { mutualNearest, type Described } from './binary-features';
import { WALK_WORDS, type WalkFeatures } from './walk-features';

/** Up to so many pictures each is laid beside every other one; of more only those that a glance finds alike. */
const EVERY_PAIR = 24;
/** Features of a picture that a glance takes, spread over all sizes. */
const GLANCED = 220;
const GLANCE = { words: WALK_WORDS, farBits: 64, ratio: 0.8 };
/** By chance a pair of strangers has one or two. */
const ALIKE = 5;

/** Which pictures are worth laying beside each other in full. Those that are neighbours by the plan always are. */
export function likelyPairs(features: readonly WalkFeatures[], neighbours: readonly (readonly [number, number])[]): [number, number][] {
  const n = features.length;
  const planned = new Set(neighbours.map(([a, b]) => Math.min(a, b) * n + Math.max(a, b)));
  const glances = n > EVERY_PAIR ? features.map(glanceOf) : null;
  const pairs: [number, number][] = [];
  for (let a = 0; a < n; a += 1) for (let b = a + 1; b < n; b += 1) if (!glances || planned.has(a * n + b) || mutualNearest(glances[a], glances[b], GLANCE).length >= ALIKE) pairs.push([a, b]);
  return pairs;
}

function glanceOf({ count, bits }: WalkFeatures): Described {
  const step = Math.max(1, count / GLANCED);
  const kept: number[] = [];
  for (let k = 0; k < count && kept.length < GLANCED; k += step) kept.push(Math.floor(k));
  const out = new Uint32Array(WALK_WORDS * kept.length);
  kept.forEach((from, k) => out.set(bits.subarray(WALK_WORDS * from, WALK_WORDS * (from + 1)), WALK_WORDS * k));
  return { count: kept.length, bits: out };
}
