import { CoreError } from '../errors';

/** A square-on chart at a measured distance, with the lens set as for the others: same focal length, same focus. */
export interface ChartAtDistance {
  /** as the recorded focal length sees it, in cells (a plate's report) */
  distanceCells: number;
  cellM: number;
  /** chart to sensor mark, by tape */
  measuredM: number;
  sigmaM: number;
}

export interface PupilEstimate {
  focalMm: number;
  sigmaFocalMm: number;
  /** entrance pupil before the sensor mark, mm */
  pupilMm: number;
  sigmaPupilMm: number;
  /** the tape's readings against the line, root mean square, mm; null with two charts, which always fit */
  rmsMm: number | null;
}

/**
 * Effective focal length and entrance pupil from a chart at two or more distances.
 * Model    A picture's scale is focal length over the distance from the entrance pupil. With D the distance that the recorded focal length
 *          f_r sees, measured m = D · f / f_r + p: a straight line over D, whose slope is the ratio of the focal lengths and whose offset is the
 *          pupil's place before the mark. Weighted least squares.
 * Limits   The focus must not be changed in between: a lens that breathes would change f.
 * @throws CoreError TOO_FEW_OBSERVATIONS | INVALID_OPTION
 */
export function pupilFromDistances(charts: readonly ChartAtDistance[], recordedMm: number): PupilEstimate {
  if (charts.length < 2) throw new CoreError('TOO_FEW_OBSERVATIONS', 'The chart is needed at two distances at least.');
  for (const [i, c] of charts.entries()) for (const [field, v] of Object.entries(c)) if (!(v > 0)) throw new CoreError('INVALID_OPTION', `${field} must be above 0`, `charts[${i}].${field}`);
  let w = 0,
    wx = 0,
    wy = 0;
  const points = charts.map((c) => ({ x: c.distanceCells * c.cellM, y: c.measuredM, w: 1 / c.sigmaM ** 2 }));
  for (const p of points) {
    w += p.w;
    wx += p.w * p.x;
    wy += p.w * p.y;
  }
  const [mx, my] = [wx / w, wy / w];
  let sxx = 0,
    sxy = 0;
  for (const p of points) {
    sxx += p.w * (p.x - mx) ** 2;
    sxy += p.w * (p.x - mx) * (p.y - my);
  }
  const spread = Math.max(...points.map((p) => p.x)) / Math.min(...points.map((p) => p.x));
  if (!(spread > 1.1)) throw new CoreError('TOO_FEW_OBSERVATIONS', 'The chart stood at nearly one distance; move it so that the second is at least a tenth further.');
  const slope = sxy / sxx;
  const offset = my - slope * mx;
  const rest = points.reduce((sum, p) => sum + (p.y - offset - slope * p.x) ** 2, 0);
  return {
    focalMm: recordedMm * slope,
    sigmaFocalMm: recordedMm / Math.sqrt(sxx),
    pupilMm: 1000 * offset,
    sigmaPupilMm: 1000 * Math.sqrt(1 / w + mx ** 2 / sxx),
    rmsMm: points.length < 3 ? null : 1000 * Math.sqrt(rest / points.length),
  };
}
