import type { KnownPoint, NetFact } from '../facts';
import { attemptsAt, lacksOf, thatTell, type LengthsProblem } from './lengths-problem';

/**
 * How many numbers are missing before lengths between marks of one picture can say anything of its camera; 0 or less: enough, by count.
 * @param ids marks that are pointed out
 */
export function lengthsMissing(ids: readonly string[], facts: readonly NetFact[], focal: LengthsProblem['focal']['mode']): number {
  const rays = ids.map((id) => ({ id, xMm: 0, yMm: 0, sigmaMm: [1, 1] as const }));
  return Math.min(...attemptsAt(facts).map(({ levelled, floored, of }) => lacksOf({ ...thatTell(rays, of), levelled, floored, focal: { mode: focal, mm: 1, sigmaMm: 1 }, bend: null })));
}

/** What a few places that an instrument gave say of each other, without their frame: lengths between them, and heights. Of four and more the places themselves say it better. */
export function factsOfPlaces(known: readonly KnownPoint[]): NetFact[] {
  const spread = (p: KnownPoint): number => Math.sqrt((p.sigmaM[0] ** 2 + p.sigmaM[1] ** 2 + p.sigmaM[2] ** 2) / 3);
  // held exactly it is still no better than the mark that was put there
  const LEAST_M = 0.001;
  const heights = known.map((p): NetFact => ({ kind: 'height', id: p.id, m: p.at[1], sigmaM: Math.max(LEAST_M, p.sigmaM[1]) }));
  const ties = known.flatMap((a, i) =>
    known.slice(i + 1).map((b): NetFact => ({ kind: 'tie', a: a.id, b: b.id, m: Math.hypot(...a.at.map((v, k) => v - b.at[k])), sigmaM: Math.max(LEAST_M, Math.hypot(spread(a), spread(b))) })),
  );
  return [...ties, ...heights];
}
