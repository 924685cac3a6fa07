import { CoreError } from '../errors';
import { radToDeg } from '../units';

/** The fields of a setup (conventions.md) that optics needs. */
export interface OpticsInput {
  image: { width: number; height: number };
  sensor: { widthMm: number; heightMm: number };
  squeeze?: number; // default 1
  adapterFactor?: number; // default 1
  focal: { mm: number };
}

export interface Optics {
  effectiveFocalMm: number;
  sensorWidthMm: number;
  sensorHeightMm: number;
  pitchXUm: number;
  pitchYUm: number;
  fxPx: number;
  fyPx: number;
  fovHorizontalDeg: number;
  fovVerticalDeg: number;
  fovDiagonalDeg: number;
  /** to 36×24 mm by the diagonal of the recorded area, not desqueezed */
  cropFactor: number;
  /** width over height of the picture as people look at it */
  desqueezedAspect: number;
}

/** The frame that crop factors refer to by convention: ISO 1007, 36 mm × 24 mm. */
export const REFERENCE_FRAME_MM = { widthMm: 36, heightMm: 24 } as const;

function positive(value: number | undefined, field: string, max: number): number {
  if (typeof value !== 'number' || !Number.isFinite(value)) throw new CoreError('NON_FINITE_INPUT', `${field} must be a number`, field);
  if (value <= 0 || value > max) throw new CoreError('INVALID_OPTION', `${field} is ${value}; it must be above 0 and at most ${max}`, field);
  return value;
}

/**
 * What a package sees.
 * Model   pinhole: fov = 2 atan(size / 2f). Spherical: fx = f / (sensor width / picture width). Anamorphic: the marked focal length
 *         holds vertically and is divided by the squeeze horizontally. An adapter multiplies the focal length first.
 *         The diagonal angle is measured between opposite corners' rays: 2 atan(hypot(w·squeeze, h) / 2f).
 * Source  Ray, Applied Photographic Optics (2002), ch. 22 (field of view).
 * @throws CoreError INVALID_OPTION | NON_FINITE_INPUT, with the field's path
 */
export function computeOptics(input: OpticsInput): Optics {
  const widthPx = positive(input.image?.width, 'image.width', 100_000);
  const heightPx = positive(input.image?.height, 'image.height', 100_000);
  const sensorWidthMm = positive(input.sensor?.widthMm, 'sensor.widthMm', 1000);
  const sensorHeightMm = positive(input.sensor?.heightMm, 'sensor.heightMm', 1000);
  const squeeze = positive(input.squeeze ?? 1, 'squeeze', 4);
  const adapterFactor = positive(input.adapterFactor ?? 1, 'adapterFactor', 10);
  const focalMm = positive(input.focal?.mm, 'focal.mm', 10_000);

  const effectiveFocalMm = focalMm * adapterFactor;
  const halfX = (sensorWidthMm * squeeze) / (2 * effectiveFocalMm);
  const halfY = sensorHeightMm / (2 * effectiveFocalMm);
  const referenceDiagonalMm = Math.hypot(REFERENCE_FRAME_MM.widthMm, REFERENCE_FRAME_MM.heightMm);
  return {
    effectiveFocalMm,
    sensorWidthMm,
    sensorHeightMm,
    pitchXUm: (sensorWidthMm / widthPx) * 1000,
    pitchYUm: (sensorHeightMm / heightPx) * 1000,
    fxPx: effectiveFocalMm / squeeze / (sensorWidthMm / widthPx),
    fyPx: effectiveFocalMm / (sensorHeightMm / heightPx),
    fovHorizontalDeg: radToDeg(2 * Math.atan(halfX)),
    fovVerticalDeg: radToDeg(2 * Math.atan(halfY)),
    fovDiagonalDeg: radToDeg(2 * Math.atan(Math.hypot(halfX, halfY))),
    cropFactor: referenceDiagonalMm / Math.hypot(sensorWidthMm, sensorHeightMm),
    desqueezedAspect: (sensorWidthMm * squeeze) / sensorHeightMm,
  };
}
