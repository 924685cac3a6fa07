import type { GridReport } from '@mesure/core';

/** Distortion of one grid plate with what a reader needs to use it. */
export function writeDistortionJson(lens: string, report: GridReport, image: { width: number; height: number }): string {
  return `${JSON.stringify(
    {
      lens,
      image,
      distortion: report.distortion,
      rmsPx: report.rmsPx,
      cornerDisplacementPct: report.cornerDisplacementPct,
      overscan: report.overscan,
      warnings: report.warnings,
      convention: 'undistorted to distorted; normalised by the recorded effective focal length in pixels; pixel origin at the top-left corner of the top-left pixel',
    },
    null,
    2,
  )}\n`;
}
