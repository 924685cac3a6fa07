import { DISTORTION_MODELS, frameEffect, type DistortionModel } from '../lens';
import { fitLens, type LensFit } from './fit-lens';
import { fittedUnknowns, unknownsOf, type LensTerm, type FittedUnknown } from './lens-unknowns';
import type { GridFrame, GridObservation } from './observation';
import { cornerPredictor } from './predict-corner';
import { thinned } from './sample';
import { chooseTerms, selectTerms } from './select-terms';

/** One model as it was tried. */
export interface ModelCandidate {
  model: DistortionModel;
  terms: LensTerm[];
  unknowns: number;
  /** over the corners that it was fitted to, px */
  rmsInPx: number;
  /** over parts of the lattice that were held out, px; null when only one model was asked for */
  rmsOutPx: number | null;
  /** folds over inside the frame: must not be used */
  folds: boolean;
  fitted: FittedUnknown[];
}

export interface ModelChoice {
  fit: LensFit;
  candidates: ModelCandidate[];
  /** why this one, in a sentence */
  why: string;
}

/** Parts of the picture across and down that are held out in turn. */
const PARTS = 3;
/** Corners for the comparison: the held-out error of a few hundred is known to a few per cent. */
const COMPARED_CORNERS = 700;
/** A model with more unknowns must predict what it has not seen better by this share. */
const WORTH_SHARE = 0.03;

/**
 * Fits one model, or all and chooses by what each predicts of parts of the lattice that it has not seen. Whole blocks are held out, since
 * a corner's neighbours would give it away; the error of a corner block shows how a model runs on beyond its data.
 * Source  Burman, Chow, Nolan, A cross-validatory method for dependent data, Biometrika 81(2), 1994 (blocks against dependence).
 */
export function selectModel(observations: readonly GridObservation[], frame: GridFrame, asked: DistortionModel | 'auto'): ModelChoice {
  if (asked !== 'auto') {
    return chosen(selectTerms(observations, frame, asked), frame, `${asked} as asked for`);
  }
  const sample = thinned(observations, COMPARED_CORNERS);
  const tried = DISTORTION_MODELS.map((model) => {
    const fit = chooseTerms(sample, frame, model);
    return { fit, candidate: describe(fit, frame, heldOutRms(sample, frame, fit)) };
  });
  const usable = tried.filter((t) => !t.candidate.folds && Number.isFinite(t.candidate.rmsOutPx!));
  const ranked = [...(usable.length > 0 ? usable : tried)].sort((a, b) => a.candidate.unknowns - b.candidate.unknowns);
  let best = ranked[0];
  for (const t of ranked) if (t.candidate.rmsOutPx! < (1 - WORTH_SHARE) * best.candidate.rmsOutPx!) best = t;
  const fit = fitLens(observations, frame, { model: best.fit.model, terms: best.fit.terms, start: best.fit, robustRounds: 0 });
  const second = ranked.filter((t) => t !== best).sort((a, b) => a.candidate.rmsOutPx! - b.candidate.rmsOutPx!)[0];
  const px = (v: number | null) => `${v!.toFixed(3)} px`;
  const why =
    `${best.candidate.model} predicts unseen parts of the chart to ${px(best.candidate.rmsOutPx)}` +
    (second
      ? second.candidate.rmsOutPx! < best.candidate.rmsOutPx!
        ? `; ${second.candidate.model} is not better by enough (${px(second.candidate.rmsOutPx)}) for its ${second.candidate.unknowns} unknowns`
        : `, ${second.candidate.model} to ${px(second.candidate.rmsOutPx)}`
      : '');
  return { fit, candidates: tried.map((t) => t.candidate), why };
}

/** A fit that needed no comparison. */
export const chosen = (fit: LensFit, frame: GridFrame, why: string): ModelChoice => ({ fit, candidates: [describe(fit, frame, null)], why });

function describe(fit: LensFit, frame: GridFrame, rmsOutPx: number | null): ModelCandidate {
  const { valid } = frameEffect({ ...frame, fxPx: frame.fxPx * fit.aspect, center: fit.center, distortion: fit.distortion });
  return { model: fit.model, terms: fit.terms, unknowns: unknownsOf(fit.model, fit.terms).length, rmsInPx: fit.rmsPx, rmsOutPx, folds: !valid, fitted: fittedUnknowns(fit) };
}

function heldOutRms(sample: readonly GridObservation[], frame: GridFrame, fit: LensFit): number {
  const partOf = (o: GridObservation) =>
    Math.min(PARTS - 1, Math.max(0, Math.floor((PARTS * o.x) / frame.widthPx))) + PARTS * Math.min(PARTS - 1, Math.max(0, Math.floor((PARTS * o.y) / frame.heightPx)));
  // a wild corner says nothing of the model
  const good = sample.filter((_, i) => fit.used[i] === 1);
  const squares: number[] = [];
  for (let part = 0; part < PARTS * PARTS; part += 1) {
    const out = good.filter((o) => partOf(o) === part);
    const rest = good.filter((o) => partOf(o) !== part);
    if (out.length === 0 || rest.length < 30) continue;
    const trained = fitLens(rest, frame, { model: fit.model, terms: fit.terms, start: fit, robustRounds: 0 });
    const plates = trained.poses.map((_, plate) => cornerPredictor(trained, frame, plate));
    for (const o of out) {
      const at = plates[o.plate](o.row, o.col);
      squares.push(at ? (at[0] - o.x) ** 2 + (at[1] - o.y) ** 2 : Infinity);
    }
  }
  return Math.sqrt(squares.reduce((s, v) => s + v, 0) / Math.max(1, squares.length));
}
