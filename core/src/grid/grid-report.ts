import { frameEffect, type FrameEffect } from '../distortion';
import { CoreError } from '../errors';
import { pictureGeometry, type OpticsInput } from '../optics';
import { radToDeg } from '../units';
import type { PlateLattice } from './analyse-plate';
import { toObservations } from './analyse-plate';
import type { GridFrame, RadialFit } from './fit-radial';
import { selectRadialTerms } from './select-terms';

export interface PlateReport {
  file: string;
  status: 'used' | 'refused';
  corners: number;
  rows: number;
  cols: number;
  coverage: number;
  rmsPx: number | null;
  maxPx: number | null;
  tiltDeg: number | null;
  sharpness: number;
  blurPx: number | null;
  cellPx: number | null;
  warnings: string[];
}

export interface GridReport {
  status: 'usable' | 'unusable';
  reason: string | null;
  /** one sentence for the person who shot the plate */
  sentence: string;
  plates: PlateReport[];
  distortion: {
    model: 'radial';
    k: [number, number, number];
    p: [number, number];
    center: [number, number];
    /** the recorded effective focal length that the coefficients are normalised with */
    focalMm: number;
    sigma: { k: number[]; p?: [number, number]; center?: [number, number] };
    terms: string[];
  } | null;
  /** effective focal length seen in the tilt of the plates, when they determine it */
  focalFromTilt: { mm: number; sigmaMm: number } | null;
  rmsPx: number | null;
  maxPx: number | null;
  cornerDisplacementPct: number | null;
  overscan: FrameEffect['overscan'] | null;
  warnings: string[];
}

/** Half of the frame's width and height is not enough: distortion grows towards the border. */
const GOOD_COVERAGE = 0.85;
const POOR_COVERAGE = 0.5;

/**
 * What the plates of one lens at one setting say together: one distortion, one pose a plate.
 * @param lattices in the order of `files`; refused ones are reported and left out
 * @throws CoreError INVALID_OPTION when a picture's size is not the setup's
 */
export function gridReport(lattices: readonly PlateLattice[], files: readonly string[], setup: OpticsInput, firstFit?: RadialFit | null): GridReport {
  const geometry = pictureGeometry(setup);
  const frame: GridFrame = { widthPx: geometry.widthPx, heightPx: geometry.heightPx, fxPx: geometry.effectiveFocalMm * geometry.pxPerMmX, fyPx: geometry.effectiveFocalMm * geometry.pxPerMmY };
  if (lattices.length !== files.length) throw new CoreError('INVALID_OPTION', 'one name is needed for each plate', 'files');
  const good = lattices.map((l, i) => ({ l, i })).filter(({ l }) => l.status === 'found');
  const base = (l: PlateLattice, file: string): PlateReport => ({
    file,
    status: l.status === 'found' ? 'used' : 'refused',
    corners: l.nodes.length,
    rows: l.rows,
    cols: l.cols,
    coverage: l.coverage,
    rmsPx: null,
    maxPx: null,
    tiltDeg: null,
    sharpness: l.sharpness,
    blurPx: finite(l.blurPx),
    cellPx: finite(l.cellPx),
    warnings: l.message ? [l.message] : [],
  });
  const plates = lattices.map((l, i) => base(l, files[i]));
  if (good.length === 0) {
    const why = lattices[0]?.message ?? 'No plate was given.';
    return {
      status: 'unusable',
      reason: lattices[0]?.reason ?? 'no-plate',
      sentence: why,
      plates,
      distortion: null,
      focalFromTilt: null,
      rmsPx: null,
      maxPx: null,
      cornerDisplacementPct: null,
      overscan: null,
      warnings: [why],
    };
  }
  const observations = good.flatMap(({ l }, q) => toObservations(l.nodes, q));
  const fit = firstFit && good.length === 1 ? firstFit : selectRadialTerms(observations, frame);
  good.forEach(({ l, i }, q) => measurePlate(plates[i], l, fit, observations, q));

  const warnings: string[] = [];
  const effect = frameEffect({ ...frame, center: fit.center, distortion: fit.distortion });
  const coverage = Math.max(...good.map(({ l }) => l.coverage));
  const focalFromTilt = fit.sigma.focalRatio !== undefined ? { mm: fit.focalRatio * geometry.effectiveFocalMm, sigmaMm: fit.sigma.focalRatio * geometry.effectiveFocalMm } : null;
  if (good.length === 1 && !focalFromTilt) warnings.push('One square-on plate cannot tell focal length from distance: the coefficients hold for the recorded focal length.');
  if (focalFromTilt && Math.abs(fit.focalRatio - 1) > Math.max(0.03, 3 * (fit.sigma.focalRatio ?? 0))) {
    warnings.push(
      `The tilt of the chart fits ${focalFromTilt.mm.toFixed(1)} ± ${focalFromTilt.sigmaMm.toFixed(1)} mm, not the recorded ${geometry.effectiveFocalMm.toFixed(1)} mm. Check focal length, adapter and sensor area.`,
    );
  }
  if (!effect.valid) warnings.push('The fitted model folds over inside the frame: it must not be used at the border. Shoot a plate that fills the frame.');
  const sentence = judge(fit, coverage, effect, good[0].l);
  const usable = effect.valid && coverage >= POOR_COVERAGE;
  if (coverage < GOOD_COVERAGE) warnings.push(`The chart covers ${(100 * coverage).toFixed(0)} % of the frame; beyond it the distortion is extrapolated.`);
  return {
    status: usable ? 'usable' : 'unusable',
    reason: usable ? null : effect.valid ? 'coverage' : 'folds-over',
    sentence,
    plates,
    distortion: {
      model: 'radial',
      k: [...fit.distortion.k],
      p: [...fit.distortion.p],
      center: fit.center,
      focalMm: geometry.effectiveFocalMm,
      sigma: { k: fit.sigma.k, ...(fit.sigma.p ? { p: fit.sigma.p } : {}), ...(fit.sigma.center ? { center: fit.sigma.center } : {}) },
      terms: ['k1', ...fit.terms],
    },
    focalFromTilt,
    rmsPx: fit.rmsPx,
    maxPx: fit.maxPx,
    cornerDisplacementPct: effect.cornerDisplacementPct,
    overscan: effect.overscan,
    warnings,
  };
}

const finite = (v: number) => (Number.isFinite(v) ? v : null);

function measurePlate(report: PlateReport, lattice: PlateLattice, fit: RadialFit, observations: readonly { plate: number }[], q: number): void {
  let sum = 0,
    count = 0,
    max = 0;
  observations.forEach((o, k) => {
    if (o.plate !== q || !fit.used[k]) return;
    const r = Math.hypot(fit.residuals[2 * k], fit.residuals[2 * k + 1]);
    sum += r * r;
    count += 1;
    max = Math.max(max, r);
  });
  report.rmsPx = Math.sqrt(sum / Math.max(1, count));
  report.maxPx = max;
  // angle between the board's normal and the optical axis
  report.tiltDeg = radToDeg(Math.acos(Math.min(1, Math.abs(fit.poses[q].rotation[8]))));
  if (report.tiltDeg > 15) report.warnings.push(`The chart is tilted by ${report.tiltDeg.toFixed(0)}°; square-on covers the frame more evenly.`);
  const dropped = lattice.nodes.length - count;
  if (dropped > 0.05 * lattice.nodes.length) report.warnings.push(`${dropped} corners did not fit and were left out.`);
}

function judge(fit: RadialFit, coverage: number, effect: FrameEffect, lattice: PlateLattice): string {
  const rms = `${fit.rmsPx.toFixed(2)} px`;
  const share = coverage >= 0.97 ? 'whole frame' : `${(100 * coverage).toFixed(0)} % of the frame`;
  if (!effect.valid) return `Shoot again: the fit (${rms}, ${share}) cannot be used at the border.`;
  const missing = lattice.status === 'found' ? emptySide(lattice) : null;
  if (coverage < POOR_COVERAGE) return `Shoot again: only ${share} covered${missing ? `, ${missing} empty` : ''}. Move closer or use a larger chart.`;
  if (coverage < GOOD_COVERAGE) return `Usable with care: ${rms}, ${share} covered${missing ? `, ${missing} empty` : ''}.`;
  return `Good to use: ${rms}, ${share}.`;
}

/** The side of the frame with the widest empty band, in words. */
function emptySide(lattice: PlateLattice): string | null {
  let left = Infinity,
    top = Infinity,
    right = -Infinity,
    bottom = -Infinity;
  for (const n of lattice.nodes) {
    left = Math.min(left, n.x);
    right = Math.max(right, n.x);
    top = Math.min(top, n.y);
    bottom = Math.max(bottom, n.y);
  }
  const w = Math.sqrt(((right - left) * (bottom - top)) / Math.max(lattice.coverage, 1e-6));
  const bands: [string, number][] = [
    ['left side', left],
    ['top', top],
  ];
  const widest = bands.sort((a, b) => b[1] - a[1])[0];
  return widest[1] > 0.1 * w ? widest[0] : null;
}
