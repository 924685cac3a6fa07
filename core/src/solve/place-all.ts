import { answerOn, firstAnswer } from './first-answer';
import { joinParts, type PlacedPart } from './join-parts';
import type { Observations } from './observations';
import { reprofile } from './observations';
import type { FocalRule, Reconstruction } from './reconstruction';
import { noiseOf, placeRest, type Progress } from './refine';
import type { SolveResult } from './result';
import type { SolveLens, SolveSetup } from './setup';
import { growOver, MIN_RAY_ANGLE_RAD } from './start';
import { countsOf, GOOD_SCORE, onOtherFrames, startsOf, tryStart } from './starts';
import { splineBasis } from './zoom';

/** Pairs tried at a focal length; once some start explains nearly everything, a rival gets one. */
const PAIRS_TRIED = 3;
/** Share of the keyframes that a first answer stands on at least. */
const COARSE_KEYS = 0.8;
/** While a free focal length is still seen from few frames it is pulled to the start by 10 %: else it wanders, and the path bends with it. */
const GROWTH_FOCAL_SHARE = 0.1;

interface StartInput {
  /** few enough tracks for a dozen starts */
  sparse: Observations;
  setup: SolveSetup;
  lens: SolveLens;
  rule: FocalRule;
  keys: readonly number[];
  zooms: boolean;
  random: () => number;
  progress: Progress;
}

/** The best of several pairs at several focal lengths, some keyframes placed; null where none carries. The thin tracks keep its profile. */
export function bestStart({ sparse, setup, lens, rule, keys, zooms, random, progress }: StartInput): Reconstruction | null {
  const starts = startsOf(sparse, setup, lens);
  const trying = { obs: sparse, lens, rule, keys, random, counts: countsOf(sparse, setup.anchors) };
  let best: { r: Reconstruction; score: number; profile: Float64Array } | null = null;
  for (const [i, { focalMm, profile }] of starts.entries()) {
    reprofile(sparse, profile);
    progress({ stage: 'starting pair', done: i, total: starts.length });
    const pulled: FocalRule = rule.held || rule.priorSigmaMm ? rule : { held: false, priorMm: focalMm, priorSigmaMm: GROWTH_FOCAL_SHARE * focalMm };
    const tried = tryStart(trying, focalMm, pulled, best && best.score < GOOD_SCORE ? 1 : PAIRS_TRIED);
    if (tried && (!best || tried.score < best.score)) best = { ...tried, profile };
  }
  if (!best) return null;
  reprofile(sparse, best.profile);
  if (zooms) best.r.zoom = splineBasis(sparse.frames, 1);
  return best.r;
}

interface PlaceInput extends Omit<StartInput, 'setup'> {
  started: Reconstruction;
  obs: Observations;
  /** solves some frames by themselves; null: this is such a stretch already */
  solveStretch: ((frames: ReadonlySet<number>) => SolveResult) | null;
}

/** From the start over the keyframes to all frames and tracks; stretches that nothing leads to frame by frame are solved apart and joined. */
export function placeAll({ started, sparse, obs, lens, rule, keys, zooms, random, progress, solveStretch }: PlaceInput): { r: Reconstruction; parts: PlacedPart[] } {
  const total = obs.frames.length;
  const onPlaced = (done: number) => progress({ stage: 'frames placed', done, total });
  growOver(started, keys, random, onPlaced);
  // what is pulled to where it began is let go once, so that the first answer is the tracks' own
  // a few frames of a long shot say nothing yet of its lens
  if (!zooms && started.placedFrames().length >= COARSE_KEYS * keys.length)
    progress({ stage: 'frames placed', done: started.placedFrames().length, total, coarse: firstAnswer(started, sparse, rule, noiseOf) });
  if (zooms && sparse !== obs) reprofile(obs, onOtherFrames(sparse, obs));
  const r = started.carryTo(obs, rule);
  r.lensPriors = lens.priors;
  if (zooms) r.zoom = splineBasis(obs.frames, 1);
  r.triangulate(MIN_RAY_ANGLE_RAD, 4);
  r.adjustAll(2, 10, 1e-4);
  const onSettled = zooms ? undefined : (few: ReadonlySet<number>) => progress({ stage: 'frames placed', done: few.size, total, coarse: answerOn(r, noiseOf, few) });
  const open = placeRest(r, random, onPlaced, onSettled);
  const parts = open.length > 0 && solveStretch ? joinParts(r, solveStretch, random) : [];
  return { r, parts };
}
