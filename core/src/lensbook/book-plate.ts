import { distort, type Distortion } from '../lens';
import type { GridReport } from '../grid';
import { pictureGeometry, type OpticsInput } from '../optics';

/** One measured setting of a lens, on the sensor and free of any mode's pixels, so that plates of different modes stand beside each other. */
export interface BookPlate {
  id: string;
  /** as marked on the lens */
  focalMm: number;
  /** null when it was not noted */
  focusM: number | null;
  distortion: Distortion;
  /** what the coefficients are normalised with, mm, across and down */
  fxMm: number;
  fyMm: number;
  /** centre of the distortion from the picture's middle, mm */
  centerMm: readonly [number, number];
  /** how far from the middle the plate's mode records, mm */
  halfWidthMm: number;
  halfHeightMm: number;
  rmsPx: number;
  /** effective focal length as measured over as recorded; null when the plate does not tell */
  focalRatio: { value: number; sigma: number } | null;
}

/** A usable plate as the lens book needs it; null when the report has no distortion to use. */
export function bookPlate(id: string, shot: { focalMm: number; focusM: number | null }, report: GridReport, setup: OpticsInput): BookPlate | null {
  const d = report.distortion;
  if (!d || report.status !== 'usable') return null;
  const g = pictureGeometry(setup);
  const measured = report.focalFromDistance ?? report.focalFromTilt;
  return {
    id,
    ...shot,
    distortion: d,
    fxMm: (g.effectiveFocalMm * g.pxPerMmX * d.aspect * setup.sensor.widthMm) / g.widthPx,
    fyMm: (g.effectiveFocalMm * g.pxPerMmY * setup.sensor.heightMm) / g.heightPx,
    centerMm: [((d.center[0] - g.widthPx / 2) * setup.sensor.widthMm) / g.widthPx, ((d.center[1] - g.heightPx / 2) * setup.sensor.heightMm) / g.heightPx],
    halfWidthMm: setup.sensor.widthMm / 2,
    halfHeightMm: setup.sensor.heightMm / 2,
    rmsPx: report.rmsPx ?? 0,
    focalRatio: measured ? { value: measured.mm / g.effectiveFocalMm, sigma: measured.sigmaMm / g.effectiveFocalMm } : null,
  };
}

const out = new Float64Array(2);

/** By how much the lens moves a place of the undistorted picture, mm on the sensor; `to` holds across and down. */
export function displacementMm(p: BookPlate, xMm: number, yMm: number, to: Float64Array, at: number): void {
  const [cx, cy] = p.centerMm;
  distort(p.distortion, (xMm - cx) / p.fxMm, (yMm - cy) / p.fyMm, out);
  to[at] = cx + out[0] * p.fxMm - xMm;
  to[at + 1] = cy + out[1] * p.fyMm - yMm;
}
