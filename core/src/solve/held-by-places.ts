import type { FocalTold } from '../anchor';
import { deepened } from './focal-profile';
import { SOLVE, type Warning } from '../warnings';
import { reprofile } from './observations';
import type { FocalRule, Reconstruction } from './reconstruction';
import { lastRounds } from './refine';
import type { SolveResult } from './result';

/** What a solve that was tied to its facts says besides: what those say of its focal length. */
export interface Tied extends SolveResult {
  focalTold: FocalTold | null;
  /** by how much the variance of what is solved is larger than that of white errors: these go along their tracks */
  along: number;
}

/** Fewer places fit many shapes. */
const LEAST_PLACES = 4;
/** Places that say it no better than this share of what the tracks know add nothing worth the name. */
const WORTH_HOLDING = 0.8;
/** Misfit for each fact that is left to make one, above which the facts do not fit any focal length. */
const MOST_MISFIT = 3;
/**
 * Root of the rise of the tracks' cost above which they contradict the places. Chance makes 3; where a move hardly tells the focal length, noise alone pulls
 * its valley's floor far off, and 4 and 5 were seen at the true one. A lens that bends and was taken as straight makes tens.
 */
const CONTRADICTS = 6;
const ROUNDS = 4;
/** The places are asked again until their answer moves by less than this share of its sigma. */
const RESTS = 0.2;

interface Around<T> {
  /** places that are given, whether or not they were of use */
  surveyed: number;
  recordedMm: number;
  /** the reconstruction as it stands, tied to its facts */
  assemble: (warnings?: Warning[]) => T;
  /** called again and again; may throw to stop */
  tell: () => void;
}

/** Focal lengths from which the places are asked where those of the tracks make a world that fits nothing, over the recorded one. */
const STARTS = [1, 0.8, 1.25, 0.64, 1.56];
/** There everything is held so near to the start, of it. */
const NEAR_START = 0.005;
/** A move that tells the focal length to this share of it needs no other start. */
const SEEN_WELL = 0.03;

/**
 * A focal length that is free, or was only roughly known, is held by surveyed places where these say it better than the move of the camera does: a camera
 * that slides past without turning fits any focal length, and the shape of the set fits one. Where tracks and places contradict each other nothing is
 * held, and it is said.
 * Method   What the facts say by themselves (anchor/focal-told) is laid beside the tracks as what is known beforehand, everything is adjusted anew, and
 *          they are asked again from there, since the shape does not follow the focal length in a straight line. Whether the tracks can be so is told by how
 *          much their own cost rises (profile likelihood, as in focal-profile): what they say of a valley's width is not to be trusted.
 * @param first as the tracks have it
 */
export function heldByPlaces<T extends Tied>(r: Reconstruction, first: T, { surveyed, recordedMm, assemble, tell }: Around<T>): T {
  const { focalMm, sigmaFocalMm, noisePx } = first;
  if (r.focalRule.held || r.pair || r.turnOnly || surveyed < LEAST_PLACES || focalMm === null || !sigmaFocalMm || !noisePx) return first;
  // of a lens that bends and was taken as straight no focal length is the true one
  if (first.bending) return first;
  const free: Free = { rule: r.focalRule, ...r.toBundle(), profile: r.obs.profile.slice(), cost: costOf(r) };
  // of a zoom the places say how long all its lengths are together: what the result says is their middle, what is adjusted stands before its profile
  const middle = focalMm / r.focalMm;
  const begun = isTold(first.focalTold) ? first : sigmaFocalMm > SEEN_WELL * focalMm ? begunElsewhere(r, free, { surveyed, recordedMm: recordedMm / middle, assemble, tell }) : null;
  if (!begun || middle * begun.focalTold!.sigmaMm > WORTH_HOLDING * sigmaFocalMm) {
    restore(r, free);
    return first;
  }
  const held = settled(r, free.rule, begun, first.along, { tell, assemble: () => assemble([SOLVE.PLACES_HOLD_FOCAL(focalMm, sigmaFocalMm)]) });
  const sigmas = Math.sqrt(Math.max(0, (2 * (costOf(r) - free.cost)) / (noisePx ** 2 * first.along)));
  if (held && sigmas <= CONTRADICTS) return held;
  restore(r, free);
  if (!held) return first;
  return assemble([SOLVE.PLACES_SAY_OTHER_FOCAL(held.focalMm! + middle * held.focalTold!.offMm, middle * held.focalTold!.sigmaMm, focalMm, sigmaFocalMm)]);
}

/** A reconstruction as the tracks have it. */
interface Free extends ReturnType<Reconstruction['toBundle']> {
  rule: FocalRule;
  /** how a zoom goes */
  profile: Float64Array;
  cost: number;
}

function costOf(r: Reconstruction): number {
  const { costPerObs, residualPx } = r.adjustAll(r.huberPx, 0);
  return costPerObs * residualPx.length;
}
const adjusted = (r: Reconstruction, tell: () => void) => r.adjustAll(r.huberPx, lastRounds(r), 1e-3 / r.obs.count, tell, true).reason;

function restore(r: Reconstruction, free: Free): void {
  r.focalRule = free.rule;
  stand(r, free, free);
}

/** Puts a state back in its place, and the profile that it stands before. */
function stand(r: Reconstruction, { frameOf, trackOf }: Free, { state, profile }: Pick<Free, 'state' | 'profile'>): void {
  reprofile(r.obs, profile);
  r.absorb(state, frameOf, trackOf);
}

/** Of several focal lengths the one in whose world the places agree best; null where they agree in none. */
function begunElsewhere<T extends Tied>(r: Reconstruction, free: Free, { recordedMm, assemble, tell }: Around<T>): T | null {
  let best: { tied: T; misfit: number; at: Pick<Free, 'state' | 'profile'> } | null = null;
  for (const share of STARTS) {
    const mm = share * recordedMm;
    r.focalRule = { held: false, priorMm: mm, priorSigmaMm: NEAR_START * mm };
    stand(r, free, { state: deepened(free.state, mm / free.state.focalMm), profile: free.profile });
    adjusted(r, tell);
    const tied = assemble();
    if (!isTold(tied.focalTold)) continue;
    const misfit = tied.focalTold.misfit / tied.focalTold.freedom;
    if (!best || misfit < best.misfit) best = { tied, misfit, at: { state: r.toBundle().state, profile: r.obs.profile.slice() } };
  }
  if (best) stand(r, free, best.at);
  return best?.tied ?? null;
}

/** Everything adjusted with what the places say, until they say the same; null where they come to contradict each other. */
function settled<T extends Tied>(r: Reconstruction, own: FocalRule, begun: T, along: number, { assemble, tell }: Pick<Around<T>, 'assemble' | 'tell'>): T | null {
  let told = begun.focalTold!;
  let mm = r.focalMm + told.offMm;
  for (let round = 0; round < ROUNDS; round += 1) {
    // beside tracks whose errors count for more than their number says, so do the places
    r.focalRule = joined(own, mm, told.sigmaMm / Math.sqrt(along));
    const reason = adjusted(r, tell);
    const now = assemble();
    if (!isTold(now.focalTold)) return null;
    const before = mm;
    told = now.focalTold;
    mm = r.focalMm + told.offMm;
    if (Math.abs(mm - before) >= RESTS * told.sigmaMm && round + 1 < ROUNDS) continue;
    // the free one may have been stopped on its way along the valley; this one has come to rest
    return reason === 'maxIterations' ? now : { ...now, warnings: now.warnings.filter((w) => w.code !== 'STOPPED_EARLY') };
  }
  return null;
}

const isTold = (told: FocalTold | null): told is FocalTold => told !== null && told.places >= LEAST_PLACES && told.misfit <= MOST_MISFIT * told.freedom;

/** Two things that are known beforehand are one. */
function joined({ priorMm, priorSigmaMm }: FocalRule, mm: number, sigmaMm: number): FocalRule {
  if (priorMm === undefined || !priorSigmaMm) return { held: false, priorMm: mm, priorSigmaMm: sigmaMm };
  const [a, b] = [1 / priorSigmaMm ** 2, 1 / sigmaMm ** 2];
  return { held: false, priorMm: (a * priorMm + b * mm) / (a + b), priorSigmaMm: 1 / Math.sqrt(a + b) };
}
