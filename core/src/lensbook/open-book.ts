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
export const AT_FOCAL = 0.01;
export const AT_DIOPTRES = 0.03;

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
export function beyondWords(place: Place, others: readonly Place[]): string | null {
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
