import { Matrix, SingularValueDecomposition } from 'ml-matrix';
import { COEFFICIENTS, distort, distortionFrom, frameEffect, type Distortion, type DistortionModel, type FrameEffect } from '../distortion';
import { CoreError } from '../errors';
import { pictureGeometry, type OpticsInput } from '../optics';
import { displacementMm, type BookPlate } from './book-plate';
import { Kriging, placeOf, type Place, type Scales } from './kriging';

export interface LeftOut {
  id: string;
  /** over the frame, px: what the other plates predict of this one */
  rmsPx: number;
  /** it lies beyond all others, so that they had to run on */
  beyond: boolean;
}

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

/** The book of one lens with one adapter factor, over the frame of one mode. */
export interface LensBook {
  plates: readonly BookPlate[];
  kriging: Kriging;
  /** columns of what is interpolated, plate by plate: displacement at the frame's sample places, px, times the focal length's growth */
  columns: Float64Array[];
  growth: Growth;
  samplesMm: Float64Array;
  leftOut: LeftOut[];
  /** the lens's own changes over the book, px times growth; null with a single plate */
  changePx: number | null;
  setup: OpticsInput;
  /** the focus that stands for one that was not noted */
  middleFocusM: number;
}

/**
 * A barrel that falls off with the focal length is steep in pixels and nearly even in pixels times a power of it; a zoom that turns from
 * barrel to pincushion is even in pixels themselves. Which holds for this lens its plates say.
 */
export interface Growth {
  power: number;
  focal0Mm: number;
}
export const growthAt = (g: Growth, focalMm: number): number => (focalMm / g.focal0Mm) ** g.power;
const POWERS = [0, 1, 2];
const USUAL_POWER = 1;

const SAMPLES = { across: 9, down: 5 };
/** Scales that are tried. The longest are nearly straight lines between the plates. */
const FOCAL_SCALES = [0.35, 0.7, 1.4, 2.8];
const DIOPTRE_SCALES = [0.5, 1.5, 4];
/** With fewer plates their own errors say nothing of the scale. */
const ENOUGH_TO_CHOOSE = 4;
const USUAL_SCALES: Scales = { focal: 1.4, dioptres: 1.5 };
/** Plates within a factor of 1.8 in focal length say whether a focus is beyond what was seen. */
const LIKE_FOCAL = 0.6;
/** Nearer than this to a plate is at it: marks on a barrel are no better. */
const AT_FOCAL = 0.01;
const AT_DIOPTRES = 0.03;

/**
 * What is known of a lens between its plates. Interpolated is the displacement of places on the sensor, not coefficients, which mean
 * different things in different models and at different focal lengths; smooth over the logarithm of the focal length and the reciprocal
 * of the focus distance. The scales of the smoothness are those with which the plates predict each other best.
 * @throws CoreError TOO_FEW_OBSERVATIONS without a plate
 */
export function openBook(plates: readonly BookPlate[], setup: OpticsInput): LensBook {
  if (plates.length === 0) throw new CoreError('TOO_FEW_OBSERVATIONS', 'The lens has no usable plate yet.');
  const g = pictureGeometry(setup);
  const noted = plates.map((p) => p.focusM).filter((s): s is number => s !== null);
  const middleFocusM = noted.length > 0 ? noted.length / noted.reduce((sum, s) => sum + 1 / s, 0) : 3;
  const places = plates.map((p) => placeOf(p.focalMm, p.focusM ?? middleFocusM));
  const samplesMm = samplePlaces(setup, plates[0]);
  const count = samplesMm.length;
  const byPlate = plates.map((p) => {
    const moved = new Float64Array(count);
    for (let k = 0; k < count; k += 2) displacementMm(p, samplesMm[k], samplesMm[k + 1], moved, k);
    return moved;
  });
  const pxPerMm = [g.widthPx / setup.sensor.widthMm, g.heightPx / setup.sensor.heightMm];
  const displacements = Array.from({ length: count }, (_, k) => Float64Array.from(byPlate, (moved) => moved[k] * pxPerMm[k % 2]));
  const { kriging, columns, growth, errors } = smoothest(places, displacements, plates);
  return {
    plates,
    kriging,
    columns,
    growth,
    samplesMm,
    setup,
    middleFocusM,
    changePx: plates.length < 2 ? null : Math.sqrt((2 * columns.reduce((sum, c) => sum + kriging.spread(c), 0)) / columns.length),
    leftOut:
      plates.length < 2
        ? []
        : plates.map((p, i) => ({
            id: p.id,
            rmsPx: errors[i],
            beyond:
              beyondWords(
                places[i],
                places.filter((_, j) => j !== i),
              ) !== null,
          })),
  };
}

/** Over the undistorted frame of the mode: the recorded one, enlarged by what the first plate's lens adds to it. */
function samplePlaces(setup: OpticsInput, plate: BookPlate): Float64Array {
  const { widthMm, heightMm } = setup.sensor;
  const corner = new Float64Array(2);
  displacementMm(plate, widthMm / 2, heightMm / 2, corner, 0);
  const grow = Math.min(1.3, Math.max(0.8, 1 - corner[0] / (widthMm / 2)));
  const places = new Float64Array(2 * SAMPLES.across * SAMPLES.down);
  let k = 0;
  for (let j = 0; j < SAMPLES.down; j += 1) {
    for (let i = 0; i < SAMPLES.across; i += 1) {
      places[k] = grow * widthMm * (i / (SAMPLES.across - 1) - 0.5);
      places[k + 1] = grow * heightMm * (j / (SAMPLES.down - 1) - 0.5);
      k += 2;
    }
  }
  return places;
}

interface Smooth {
  kriging: Kriging;
  columns: Float64Array[];
  growth: Growth;
  /** what each plate misses, px */
  errors: Float64Array;
}

/** The scales and the growth with which the plates predict each other best. */
function smoothest(places: readonly Place[], displacements: readonly Float64Array[], plates: readonly BookPlate[]): Smooth {
  const n = places.length;
  const focal0Mm = Math.exp(places.reduce((sum, p) => sum + p[0], 0) / n);
  const attempt = (scales: Scales, power: number): Smooth => {
    const growth = { power, focal0Mm };
    const kriging = new Kriging(places, scales);
    const factors = plates.map((p) => growthAt(growth, p.focalMm));
    const columns = displacements.map((c) => c.map((v, i) => v * factors[i]));
    const sums = new Float64Array(n);
    if (n > 1) for (const column of columns) kriging.leaveOneOut(column).forEach((e, i) => (sums[i] += (e / factors[i]) ** 2));
    return { kriging, columns, growth, errors: sums.map((q) => Math.sqrt((2 * q) / columns.length)) };
  };
  const total = (a: Smooth) => a.errors.reduce((sum, v) => sum + v * v, 0);
  let best = attempt(USUAL_SCALES, USUAL_POWER);
  if (n < ENOUGH_TO_CHOOSE) return best;
  for (const power of POWERS) {
    for (const focal of FOCAL_SCALES) {
      for (const dioptres of DIOPTRE_SCALES) {
        const tried = attempt({ focal, dioptres }, power);
        if (total(tried) < total(best)) best = tried;
      }
    }
  }
  return best;
}

/** In what a place lies beyond all others, in words; null inside their range. */
function beyondWords(place: Place, others: readonly Place[]): string | null {
  const focal = others.map((p) => p[0]);
  const dioptres = others.map((p) => p[1]);
  const mm = (ln: number) => `${Number(Math.exp(ln).toFixed(1))} mm`;
  const metres = (d: number) => (d <= 0 ? 'infinity' : `${Number((1 / d).toFixed(2))} m`);
  if (place[0] < Math.min(...focal) - AT_FOCAL) return `shorter than the shortest plate (${mm(Math.min(...focal))})`;
  if (place[0] > Math.max(...focal) + AT_FOCAL) return `longer than the longest plate (${mm(Math.max(...focal))})`;
  // focus: among the plates of about this focal length, where there are any
  const near = others.filter((p) => Math.abs(p[0] - place[0]) < LIKE_FOCAL);
  const here = (near.length > 0 ? near : others).map((p) => p[1]);
  if (place[1] > Math.max(...here) + AT_DIOPTRES) return `nearer than the nearest plate (${metres(Math.max(...here))})`;
  if (place[1] < Math.min(...here) - AT_DIOPTRES) return `further than the furthest plate (${metres(Math.min(...here))})`;
  return dioptres.length === 0 ? 'without a plate' : null;
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
  const setting = `${Number(focalMm.toFixed(1))} mm at ${focusM === Infinity ? 'infinity' : `${Number(focusM.toFixed(2))} m`}`;
  if (sigmaPx === null) return where === 'at a plate' ? `${setting}: measured.` : `${setting}: one plate only; how far it holds is not known.`;
  const expected = sigmaPx < 0.01 ? 'below 0.01 px' : `± ${sigmaPx < 1 ? sigmaPx.toFixed(2) : sigmaPx.toFixed(1)} px`;
  if (where === 'at a plate') return `${setting}: measured.`;
  return where === 'between' ? `${setting}: between the plates, ${expected} over the frame.` : `${setting}: ${beyond}, so it is extrapolated: ${expected} at best.`;
}

/** The kind of model that says it without a rest: the plates' own where they agree. */
function kindOf(plates: readonly BookPlate[]): DistortionModel {
  const kinds = plates.map((p) => p.distortion.model);
  if (kinds.includes('anamorphic')) return 'anamorphic';
  if (kinds.every((k) => k === 'fisheye')) return 'fisheye';
  return 'radial';
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
  const names = COEFFICIENTS[model].filter((name) => name !== 'rotation');
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
