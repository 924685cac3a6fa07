import { describeLens, frameLens, type GridReport, type OpticsInput } from '@mesure/core';
import { jsonText } from './json';

/** Distortion of one grid plate with all that a reader needs to use it: formula, what it is normalised by, one place worked out. */
export function writeDistortionJson(lens: string, report: GridReport, setup: OpticsInput): string {
  const d = report.distortion;
  return jsonText({
    lens,
    description: d ? describeLens(frameLens(d, setup)) : null,
    sensor: { ...setup.sensor, squeeze: setup.squeeze ?? 1 },
    distortion: d,
    focalMeasuredMm: report.focalFromDistance ?? report.focalFromTilt ?? null,
    rmsPx: report.rmsPx,
    cornerDisplacementPct: report.cornerDisplacementPct,
    overscan: report.overscan,
    warnings: report.warnings,
  });
}
