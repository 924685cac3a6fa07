import { isFocusInfinity } from '../units';
import { CoreError } from '../errors';
import { computeOptics, type OpticsInput } from './compute-optics';

export interface DepthOfField {
  hyperfocalM: number;
  nearM: number;
  /** Infinity from the hyperfocal distance on */
  farM: number;
}

const MAX_STOP = 128;

function above(value: number, min: number, max: number, field: string): void {
  if (!Number.isFinite(value)) throw new CoreError('NON_FINITE_INPUT', `${field} must be a number`, field);
  if (value <= min || value > max) throw new CoreError('INVALID_OPTION', `${field} is ${value}; it must be above ${min} and at most ${max}`, field);
}

/**
 * From where to where a picture is sharp.
 * Model   thin lens: H = f²/(N c) + f; near = s (H − f) / (H + s − 2f), far = s (H − f) / (H − s); at infinity near = H − f. Distances from the lens, as focus is
 *         far beyond the focal length.
 * Source  Ray, Applied Photographic Optics (2002), ch. 22, eqs. for depth of field.
 * @param focalMm effective focal length; an anamorphic lens has two, and the vertical one (as marked) gives the shallower depth
 * @param stop f-number; a T-stop is a little larger than the f-number, so that the true depth is slightly less than with N = T
 * @param cocMm largest disc that still counts as a point on the sensor
 * @throws CoreError INVALID_OPTION | NON_FINITE_INPUT
 */
export function depthOfField({ focalMm, stop, focusM, cocMm }: { focalMm: number; stop: number; focusM: number; cocMm: number }): DepthOfField {
  above(focalMm, 0, 10_000, 'focalMm');
  above(stop, 0, MAX_STOP, 'stop');
  above(cocMm, 0, 1, 'cocMm');
  above(focusM, focalMm / 1000, 1e6, 'focusM');
  const f = focalMm / 1000;
  const hyperfocalM = (focalMm * focalMm) / (stop * cocMm) / 1000 + f;
  return {
    hyperfocalM,
    nearM: isFocusInfinity(focusM) ? hyperfocalM - f : (focusM * (hyperfocalM - f)) / (hyperfocalM + focusM - 2 * f),
    farM: focusM >= hyperfocalM ? Infinity : (focusM * (hyperfocalM - f)) / (hyperfocalM - focusM),
  };
}

export interface SubjectScale {
  fieldWidthM: number;
  fieldHeightM: number;
  /** what one pixel covers of a flat subject that faces the camera */
  pixelWidthMm: number;
  pixelHeightMm: number;
}

/** Size of the field and of a pixel on a subject at a distance from the entrance pupil, of a pinhole. */
export function subjectScale(setup: OpticsInput, distanceM: number): SubjectScale {
  above(distanceM, 0, 1e6, 'distanceM');
  const o = computeOptics(setup);
  const fieldWidthM = (distanceM * setup.image.width) / o.fxPx;
  const fieldHeightM = (distanceM * setup.image.height) / o.fyPx;
  return { fieldWidthM, fieldHeightM, pixelWidthMm: (1000 * fieldWidthM) / setup.image.width, pixelHeightMm: (1000 * fieldHeightM) / setup.image.height };
}

export interface FrameComparison {
  /** diagonal of the other recorded area over this one's: how much longer a lens looks here than there */
  cropAgainst: number;
  /** marked focal length on the other package that sees as wide as this one does */
  matchingFocalMm: number;
  /** this view over the other's at one distance, by width and height; above 1 this one sees more */
  widthShare: number;
  heightShare: number;
}

/** Two packages side by side. The desqueezed width decides what "the same view" is. */
export function compareFrames(here: OpticsInput, there: OpticsInput): FrameComparison {
  const a = computeOptics(here);
  const b = computeOptics(there);
  const squeezedWidth = (o: OpticsInput) => o.sensor.widthMm * (o.squeeze ?? 1);
  return {
    cropAgainst: Math.hypot(b.sensorWidthMm, b.sensorHeightMm) / Math.hypot(a.sensorWidthMm, a.sensorHeightMm),
    matchingFocalMm: (a.effectiveFocalMm * squeezedWidth(there)) / squeezedWidth(here) / (there.adapterFactor ?? 1),
    widthShare: squeezedWidth(here) / a.effectiveFocalMm / (squeezedWidth(there) / b.effectiveFocalMm),
    heightShare: here.sensor.heightMm / a.effectiveFocalMm / (there.sensor.heightMm / b.effectiveFocalMm),
  };
}
