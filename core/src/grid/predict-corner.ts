import { coefficientsOf, distortWith, undistorter } from '../lens';
import type { LensFit } from './fit-lens';
import type { GridFrame } from './observation';

type Predicting = Pick<LensFit, 'distortion' | 'center' | 'focalRatio' | 'aspect' | 'poses'>;

/** Where the model puts cell corner (col, row) of a plate, px; null behind the camera. */
export const predictCorner = (fit: Predicting, frame: GridFrame, plate: number, row: number, col: number): [number, number] | null => cornerPredictor(fit, frame, plate)(row, col);

/** The same for many corners of a plate. */
export function cornerPredictor(fit: Predicting, frame: GridFrame, plate: number): (row: number, col: number) => [number, number] | null {
  const { rotation: r, translation: t } = fit.poses[plate];
  const { model } = fit.distortion;
  const coefficients = coefficientsOf(fit.distortion);
  const { focalRatio, aspect, center } = fit;
  const out = new Float64Array(2);
  return (row, col) => {
    const z = r[6] * col + r[7] * row + t[2];
    if (z <= 1e-9) return null;
    distortWith(model, coefficients, (focalRatio * (r[0] * col + r[1] * row + t[0])) / z, (focalRatio * (r[3] * col + r[4] * row + t[1])) / z, out, null, null);
    return Number.isFinite(out[0]) ? [center[0] + aspect * frame.fxPx * out[0], center[1] + frame.fyPx * out[1]] : null;
  };
}

/** Where in the chart, in cells as [row, col], the model sees a place of the picture, px; null where the lens has no inverse or the chart is behind. */
export function cellLocator(fit: Predicting, frame: GridFrame, plate: number): (x: number, y: number) => [number, number] | null {
  const { rotation: r, translation: t } = fit.poses[plate];
  const undistort = undistorter(fit.distortion);
  const out = new Float64Array(2);
  return (x, y) => {
    if (!undistort((x - fit.center[0]) / (fit.aspect * frame.fxPx), (y - fit.center[1]) / frame.fyPx, out)) return null;
    // the ray (a, b, 1) meets the plane where (r1 col + r2 row + t) is along it
    const [a, b] = [out[0] / fit.focalRatio, out[1] / fit.focalRatio];
    const [p, q, u] = [r[0] - a * r[6], r[1] - a * r[7], a * t[2] - t[0]];
    const [s, v, w] = [r[3] - b * r[6], r[4] - b * r[7], b * t[2] - t[1]];
    const det = p * v - q * s;
    const [row, col] = [(p * w - s * u) / det, (u * v - q * w) / det];
    return Number.isFinite(row) && Number.isFinite(col) && r[6] * col + r[7] * row + t[2] > 0 ? [row, col] : null;
  };
}
