import { CoreError } from '../errors';
import { radToDeg } from '../units';
import type { LensFit } from './fit-lens';

/** What a plate says of something that was recorded, and by how much it differs. */
export interface PlateFinding {
  /** how it is known: the chart's tilt, its measured distance, or the shape of its cells */
  from: 'tilt' | 'distance' | 'cells';
  /** focal lengths in mm, effective; squeeze as a factor */
  of: 'focal length' | 'squeeze';
  recorded: number;
  found: number;
  sigma: number;
  words: string;
}

/** A chart of known cells at a known distance tells the focal length. Distances from the entrance pupil along the view. */
export interface MeasuredChart {
  cellM: number;
  distanceM: number;
  sigmaDistanceM: number;
}
/** Beyond this tilt "the distance of the chart" is no one number. */
const SQUARE_ON_DEG = 5;

/** A focal length that a plate tells, effective. */
export interface FocalTold {
  mm: number;
  sigmaMm: number;
}

/** Where the optical axis meets the chart's plane, in cells, had the lens the recorded focal length; null beyond a slight tilt. */
export function cellsAway(fit: LensFit, plate: number): number | null {
  const { rotation: r, translation: t } = fit.poses[plate];
  if (radToDeg(Math.acos(Math.min(1, Math.abs(r[8])))) > SQUARE_ON_DEG) return null;
  return (r[2] * t[0] + r[5] * t[1] + r[8] * t[2]) / r[8] / fit.focalRatio;
}

/** From the tilt of the plates; null: they do not tell it. */
export function focalFromTilt(fit: LensFit, recordedMm: number): FocalTold | null {
  const sigma = fit.sigma.rho;
  // an infinite sigma: the plates do not tell it
  return sigma !== undefined && Number.isFinite(sigma) ? { mm: fit.focalRatio * recordedMm, sigmaMm: sigma * recordedMm } : null;
}

/**
 * f = f_recorded · ρ · (measured distance) / (distance that the fit sees with the recorded focal length): a picture's scale is focal length
 * over distance. The fit's own part of the error is far below the tape's. Null beyond a slight tilt.
 * @throws CoreError INVALID_OPTION for a size or a distance that is not above 0
 */
export function focalFromDistance(fit: LensFit, recordedMm: number, m: MeasuredChart): FocalTold | null {
  for (const [field, value] of Object.entries(m)) if (!(value > 0)) throw new CoreError('INVALID_OPTION', `${field} must be above 0`, field);
  const cells = cellsAway(fit, 0);
  if (cells === null) return null;
  const mm = (recordedMm * m.distanceM) / (cells * m.cellM);
  return { mm, sigmaMm: (mm * m.sigmaDistanceM) / m.distanceM };
}

/** True squeeze against the recorded one, which is in fx already: a picture that is wider than it says is squeezed less. Null: the model does not see it. */
export function squeezeTold(fit: LensFit, recorded: number): { value: number; sigma: number } | null {
  const sigma = fit.sigma.aspect;
  return sigma === undefined || !Number.isFinite(sigma) ? null : { value: recorded / fit.aspect, sigma: (recorded * sigma) / fit.aspect ** 2 };
}

/** Less than this share is no contradiction, however well it is known: a marking is rounded, a chart is no gauge. */
const HARMLESS = { distance: 0.01, tilt: 0.03, cells: 0.005 };
const CONTRADICT_SIGMAS = 3;
const speaksAgainst = (found: number, sigma: number, recorded: number, from: PlateFinding['from']): boolean =>
  Math.abs(found - recorded) > Math.max(HARMLESS[from] * recorded, CONTRADICT_SIGMAS * sigma);

interface ToldByPlates {
  recordedMm: number;
  recordedSqueeze: number;
  tilt: FocalTold | null;
  distance: FocalTold | null;
  measured?: MeasuredChart;
  squeeze: { value: number; sigma: number } | null;
}

/** Where plates speak against what was recorded. */
export function plateFindings({ recordedMm, recordedSqueeze, tilt, distance, measured, squeeze }: ToldByPlates): PlateFinding[] {
  const findings: PlateFinding[] = [];
  const focal = (from: 'tilt' | 'distance', { mm, sigmaMm }: FocalTold, words: string): void => {
    if (speaksAgainst(mm, sigmaMm, recordedMm, from)) findings.push({ from, of: 'focal length', recorded: recordedMm, found: mm, sigma: sigmaMm, words });
  };
  if (distance)
    focal(
      'distance',
      distance,
      `The chart at ${measured?.distanceM} m measures ${distance.mm.toFixed(2)} ± ${distance.sigmaMm.toFixed(2)} mm, recorded is ${recordedMm.toFixed(2)} mm. Check adapter, marking and the distance.`,
    );
  // a standard deviation of less than 0.1 mm needs its second digit
  const digits = tilt && tilt.sigmaMm < 0.1 ? 2 : 1;
  if (tilt)
    focal(
      'tilt',
      tilt,
      `The tilt of the chart fits ${tilt.mm.toFixed(digits)} ± ${tilt.sigmaMm.toFixed(digits)} mm, not the recorded ${recordedMm.toFixed(1)} mm. Check focal length, adapter and sensor area.`,
    );
  if (squeeze && speaksAgainst(squeeze.value, squeeze.sigma, recordedSqueeze, 'cells'))
    findings.push({
      from: 'cells',
      of: 'squeeze',
      recorded: recordedSqueeze,
      found: squeeze.value,
      sigma: squeeze.sigma,
      words: `The cells of the chart are square at a squeeze of ${squeeze.value.toFixed(3)} ± ${squeeze.sigma.toFixed(3)}, recorded is ${recordedSqueeze}.`,
    });
  return findings;
}
