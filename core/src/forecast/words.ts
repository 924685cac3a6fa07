import type { Forecast } from './forecast';
import { warningOf } from '../warnings';

export const threeDigits = (v: number): string => (v >= 100 ? v.toFixed(0) : v >= 10 ? v.toFixed(1) : v >= 1 ? v.toFixed(1) : v >= 0.1 ? v.toFixed(2) : v.toFixed(3));

/** The forecast as one sentence, worst things first where something cannot be had. */
export function forecastSentence(f: Forecast, focalMm: number): string {
  if (f.status === 'none') return `Cannot be solved. ${f.warnings[0]?.words ?? ''}`.trim();
  const parts: string[] = [];
  if (f.sigmaHeightM !== null) parts.push(`height ± ${threeDigits(1000 * f.sigmaHeightM)} mm`);
  if (warningOf(f.warnings, 'FOCAL_NOT_OBSERVABLE')) parts.push('focal length not observable');
  if (f.sigmaFocalMm !== null) parts.push(`focal length ± ${threeDigits((100 * f.sigmaFocalMm) / focalMm)} %`);
  if (f.status === 'directions') parts.push('directions only, scale not observable');
  else parts.push(f.sigmaScalePct === null ? 'scale not observable' : `scale ± ${threeDigits(f.sigmaScalePct)} %`);
  if (f.slipPx !== null) parts.push(`a still object slips ${threeDigits(f.slipPx)} px at worst, around frame ${f.worstFrame}`);
  const sentence = parts.join(', ');
  return `${sentence[0].toUpperCase()}${sentence.slice(1)}.`;
}
