import { isFocusInfinity } from '../units';
import { Matrix, SingularValueDecomposition } from 'ml-matrix';
import { COEFFICIENTS, DISTORTION_MODELS, distort, distortionFrom, frameEffect, LENS_MODELS, type Distortion, type DistortionModel, type FrameEffect } from '../lens';
import { pictureGeometry } from '../optics';
import type { BookPlate } from './book-plate';
import { Kriging, placeOf, type Place } from './kriging';
import { AT_DIOPTRES, AT_FOCAL, beyondWords, growthAt, type LensBook } from './open-book';

export interface BookEstimate {
  focalMm: number;
  focusM: number;
  /** ready for a solve or a map: normalised with the recorded effective focal length, centre in px of the asked mode */
  distortion: Distortion & { center: [number, number]; aspect: number; focalMm: number };
  /** by how much one model of that kind misses what the plates say together, px */
  modelRmsPx: number;
  /** what may be expected at this setting over the frame, one standard deviation, px; null with a single plate */
  sigmaPx: number | null;
  where: 'at a plate' | 'between' | 'beyond';
  /** when beyond: in what, in words */
  beyond: string | null;
  weights: { id: string; weight: number }[];
  /** effective focal length as measured over as recorded, between the plates that tell it */
  focalRatio: { value: number; sigma: number } | null;
  cornerDisplacementPct: number;
  overscan: FrameEffect['overscan'];
  valid: boolean;
  sentence: string;
}

/** How far a standing lens changes beyond its plates in focus is seldom much; it is said all the same. */
export function lensAt(book: LensBook, asked: { focalMm: number; focusM?: number | null }): BookEstimate {
  const { plates, kriging, columns, samplesMm, setup } = book;
  const focusM = asked.focusM ?? book.middleFocusM;
  const place = placeOf(asked.focalMm, focusM);
  const { weights, variance } = kriging.at(place);
  const g = pictureGeometry({ ...setup, focal: { ...setup.focal, mm: asked.focalMm } });
  const pxPerMm = [g.widthPx / setup.sensor.widthMm, g.heightPx / setup.sensor.heightMm];
  const grown = growthAt(book.growth, asked.focalMm);
  const blend = columns.map((c, k) => c.reduce((sum, v, i) => sum + weights[i] * v, 0) / grown / pxPerMm[k % 2]);
  const centerMm: [number, number] = [0, 1].map((axis) => plates.reduce((sum, p, i) => sum + weights[i] * p.centerMm[axis], 0)) as [number, number];
  const aspect = plates.reduce((sum, p, i) => sum + (weights[i] * p.fxMm) / p.fyMm, 0) / (g.pxPerMmX / pxPerMm[0] / (g.pxPerMmY / pxPerMm[1]));
  const fxMm = (g.effectiveFocalMm * g.pxPerMmX * aspect) / pxPerMm[0];
  const fyMm = (g.effectiveFocalMm * g.pxPerMmY) / pxPerMm[1];
  const model = kindOf(plates);
  const fitted = fitBlend(model, blend, samplesMm, centerMm, fxMm, fyMm, pxPerMm);
  const center: [number, number] = [g.widthPx / 2 + centerMm[0] * pxPerMm[0], g.heightPx / 2 + centerMm[1] * pxPerMm[1]];
  const effect = frameEffect({ widthPx: g.widthPx, heightPx: g.heightPx, fxPx: fxMm * pxPerMm[0], fyPx: fyMm * pxPerMm[1], center, distortion: fitted.distortion });
  const at = plates.some((p, i) => Math.abs(kriging.places[i][0] - place[0]) < AT_FOCAL && (p.focusM === null || Math.abs(kriging.places[i][1] - place[1]) < AT_DIOPTRES));
  const beyond = at ? null : beyondWords(place, kriging.places);
  const sigmaPx = book.changePx === null ? null : Math.hypot((book.changePx * Math.sqrt(variance)) / grown, fitted.rmsPx);
  const where = at ? 'at a plate' : beyond ? 'beyond' : 'between';
  return {
    focalMm: asked.focalMm,
    focusM,
    distortion: { ...fitted.distortion, center, aspect, focalMm: g.effectiveFocalMm },
    modelRmsPx: fitted.rmsPx,
    sigmaPx,
    where,
    beyond,
    weights: plates.map((p, i) => ({ id: p.id, weight: weights[i] })),
    focalRatio: ratioAt(book, place),
    cornerDisplacementPct: effect.cornerDisplacementPct,
    overscan: effect.overscan,
    valid: effect.valid,
    sentence: sentence(where, beyond, sigmaPx, asked.focalMm, focusM),
  };
}

function sentence(where: BookEstimate['where'], beyond: string | null, sigmaPx: number | null, focalMm: number, focusM: number): string {
  const setting = `${Number(focalMm.toFixed(1))} mm at ${isFocusInfinity(focusM) ? 'infinity' : `${Number(focusM.toFixed(2))} m`}`;
  if (sigmaPx === null) return where === 'at a plate' ? `${setting}: measured.` : `${setting}: one plate only; how far it holds is not known.`;
  const expected = sigmaPx < 0.01 ? 'below 0.01 px' : `± ${sigmaPx < 1 ? sigmaPx.toFixed(2) : sigmaPx.toFixed(1)} px`;
  if (where === 'at a plate') return `${setting}: measured.`;
  return where === 'between' ? `${setting}: between the plates, ${expected} over the frame.` : `${setting}: ${beyond}, so it is extrapolated: ${expected} at best.`;
}

/** The kind of model that says it without a rest: the plates' own where they agree. */
function kindOf(plates: readonly BookPlate[]): DistortionModel {
  const kinds = plates.map((p) => p.distortion.model);
  const own = DISTORTION_MODELS.find((m) => (LENS_MODELS[m].between === 'any' ? kinds.includes(m) : LENS_MODELS[m].between === 'all' && kinds.every((k) => k === m)));
  return own ?? 'radial';
}

/** The coefficients of one model from the blended displacements: linear in all three kinds. */
function fitBlend(
  model: DistortionModel,
  blend: readonly number[],
  samplesMm: Float64Array,
  centerMm: readonly [number, number],
  fxMm: number,
  fyMm: number,
  pxPerMm: readonly number[],
): { distortion: Distortion; rmsPx: number } {
  const names = COEFFICIENTS[model].filter((name) => !LENS_MODELS[model].unblended.includes(name));
  const n = blend.length;
  const none = COEFFICIENTS[model].map(() => 0);
  const a = Matrix.zeros(n, names.length);
  const b = Matrix.zeros(n, 1);
  const base = new Float64Array(2);
  const moved = new Float64Array(2);
  for (let k = 0; k < n; k += 2) {
    const x = (samplesMm[k] - centerMm[0]) / fxMm;
    const y = (samplesMm[k + 1] - centerMm[1]) / fyMm;
    distort(distortionFrom(model, none), x, y, base);
    b.set(k, 0, ((samplesMm[k] + blend[k] - centerMm[0]) / fxMm - base[0]) * fxMm * pxPerMm[0]);
    b.set(k + 1, 0, ((samplesMm[k + 1] + blend[k + 1] - centerMm[1]) / fyMm - base[1]) * fyMm * pxPerMm[1]);
    names.forEach((name, j) => {
      const one = [...none];
      one[COEFFICIENTS[model].indexOf(name)] = 1;
      distort(distortionFrom(model, one), x, y, moved);
      a.set(k, j, (moved[0] - base[0]) * fxMm * pxPerMm[0]);
      a.set(k + 1, j, (moved[1] - base[1]) * fyMm * pxPerMm[1]);
    });
  }
  const solved = new SingularValueDecomposition(a, { autoTranspose: true }).solve(b);
  const rest = Matrix.sub(a.mmul(solved), b);
  const values = [...none];
  names.forEach((name, j) => (values[COEFFICIENTS[model].indexOf(name)] = solved.get(j, 0)));
  return { distortion: distortionFrom(model, values), rmsPx: Math.sqrt((2 * rest.to1DArray().reduce((sum, v) => sum + v * v, 0)) / n) };
}

/** The true over the recorded effective focal length, interpolated like the distortion between the plates that measured it. */
function ratioAt(book: LensBook, place: Place): { value: number; sigma: number } | null {
  const known = book.plates.map((p, i) => ({ ratio: p.focalRatio, place: book.kriging.places[i] })).filter((k) => k.ratio !== null);
  if (known.length === 0) return null;
  const values = known.map((k) => k.ratio!.value);
  const precision = known.map((k) => 1 / k.ratio!.sigma ** 2);
  const total = precision.reduce((a, b) => a + b, 0);
  const mean = values.reduce((sum, v, i) => sum + precision[i] * v, 0) / total;
  const chiSquare = values.reduce((sum, v, i) => sum + precision[i] * (v - mean) ** 2, 0);
  // their own uncertainty explains how they differ: nothing is seen to change over the book
  if (chiSquare <= 2 * known.length) return { value: mean, sigma: 1 / Math.sqrt(total) };
  const kriging = new Kriging(
    known.map((k) => k.place),
    book.kriging.scales,
  );
  const { weights, variance } = kriging.at(place);
  const own = known.reduce((sum, k, i) => sum + (weights[i] * k.ratio!.sigma) ** 2, 0);
  return { value: values.reduce((sum, v, i) => sum + weights[i] * v, 0), sigma: Math.sqrt(own + variance * kriging.spread(values)) };
}
