import { frameEffect, type Distortion, type DistortionModel, type FrameEffect, type FrameLens } from '../lens';
import { CoreError } from '../errors';
import { pictureGeometry, type OpticsInput } from '../optics';
import { radToDeg } from '../units';
import type { PlateLattice } from './analyse-plate';
import { coverOf } from './cover';
import type { LensFit } from './fit-lens';
import { cellsAway, focalFromDistance, focalFromTilt, plateFindings, squeezeTold, type MeasuredChart, type PlateFinding } from './plate-findings';
import { fittedUnknowns, unknownsOf, type FittedUnknown } from './lens-unknowns';
import { toObservations, type GridFrame } from './observation';
import { blurRemarks, type BlurZone } from './sharpness';
import { selectModel, type ModelCandidate, type ModelChoice } from './select-model';
import { GRID, type Warning } from '../warnings';

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
  /** distance of the chart along the view as the recorded focal length sees it, in cells; null when the chart is too askew for one number */
  distanceCells: number | null;
  sharpness: number;
  blurPx: number | null;
  cellPx: number | null;
  /** a raster of 3 × 3 over the frame, row by row */
  zones: BlurZone[];
  /** corners beyond something across the chart that were left out, since their place in it is not certain. Missing: computed before it was asked */
  uncertain?: number;
  warnings: Warning[];
}

export type GridDistortion = Distortion & {
  center: [number, number];
  /** true over recorded width of a pixel: x is normalised by this times fxPx; 1 where it was not fitted */
  aspect: number;
  /** the recorded effective focal length that the coefficients are normalised with */
  focalMm: number;
  /** one standard deviation of each fitted unknown; a list where the coefficients are one */
  sigma: Record<string, number | number[]>;
  terms: string[];
};

export interface GridReport {
  status: 'usable' | 'unusable';
  reason: string | null;
  /** share of the frame that the plates cover together. Missing: computed before it was asked for */
  coverage?: number;
  /** one sentence for the person who shot the plate */
  sentence: string;
  plates: PlateReport[];
  distortion: GridDistortion | null;
  /** every fitted unknown with its standard deviation, for tables */
  fitted: FittedUnknown[];
  /** the models that were tried, and why this one was taken */
  candidates: ModelCandidate[];
  why: string | null;
  /** true squeeze against the recorded one, when the model sees it */
  squeeze: { value: number; sigma: number } | null;
  /** effective focal length seen in the tilt of the plates, when they determine it */
  focalFromTilt: { mm: number; sigmaMm: number } | null;
  /** effective focal length from the measured distance of the chart and the size of its cells, when both were given */
  focalFromDistance: { mm: number; sigmaMm: number } | null;
  rmsPx: number | null;
  maxPx: number | null;
  cornerDisplacementPct: number | null;
  overscan: FrameEffect['overscan'] | null;
  warnings: Warning[];
  /** where the plates speak against what was recorded; their words are among the warnings too. Missing: computed before there were any */
  findings?: PlateFinding[];
}

/** What a fit reads of a setup: the picture's size and its focal lengths in px. */
export function gridFrame(setup: OpticsInput): GridFrame {
  const g = pictureGeometry(setup);
  return { widthPx: g.widthPx, heightPx: g.heightPx, fxPx: g.effectiveFocalMm * g.pxPerMmX, fyPx: g.effectiveFocalMm * g.pxPerMmY };
}

/** The lens that a report describes, over its frame: what maps and undistorted pictures are made of. */
export function frameLens(d: Pick<GridDistortion, 'center' | 'aspect'> & Distortion, setup: OpticsInput): FrameLens {
  const frame = gridFrame(setup);
  return { ...frame, fxPx: frame.fxPx * d.aspect, center: d.center, distortion: d };
}

/** Half of the frame's width and height is not enough: distortion grows towards the border. */
const GOOD_COVERAGE = 0.85;
const POOR_COVERAGE = 0.5;

/**
 * What the plates of one lens at one setting say together: one distortion, one pose a plate.
 * @param lattices in the order of `files`; refused ones are reported and left out
 * @param options.choice the choice that was already made for a single plate; otherwise made here for `model` (default radial)
 * @param options.measured size of a cell and distance of a single chart, where they were measured
 * @throws CoreError INVALID_OPTION when a picture's size is not the setup's
 */
export function gridReport(
  lattices: readonly PlateLattice[],
  files: readonly string[],
  setup: OpticsInput,
  options: { choice?: ModelChoice | null; model?: DistortionModel | 'auto'; measured?: MeasuredChart } = {},
): GridReport {
  const frame = gridFrame(setup);
  if (lattices.length !== files.length) throw new CoreError('INVALID_OPTION', 'one name is needed for each plate', 'files');
  const plates = lattices.map((l, i) => plateReport(l, files[i]));
  const good = lattices.map((l, i) => ({ l, i })).filter(({ l }) => l.status === 'found');
  if (good.length === 0) return unusable(plates, lattices[0]);
  const observations = good.flatMap(({ l }, q) => toObservations(l.nodes, q));
  const one = good.length === 1;
  const choice = options.choice && one ? options.choice : selectModel(observations, frame, options.model ?? 'radial');
  const { fit } = choice;
  good.forEach(({ l, i }, q) => measurePlate(plates[i], l, fit, observations, q));

  const effect = frameEffect({ ...frame, fxPx: frame.fxPx * fit.aspect, center: fit.center, distortion: fit.distortion });
  const nodes = good.map(({ l }) => l.nodes);
  const cover = coverOf(nodes, frame);
  // of one plate it is known exactly
  const coverage = one ? good[0].l.coverage : cover.share;
  const { effectiveFocalMm: recordedMm } = pictureGeometry(setup);
  const recordedSqueeze = setup.squeeze ?? 1;
  const measured = one ? options.measured : undefined;
  const told = { tilt: focalFromTilt(fit, recordedMm), distance: measured ? focalFromDistance(fit, recordedMm, measured) : null, squeeze: squeezeTold(fit, recordedSqueeze) };
  const findings = plateFindings({ recordedMm, recordedSqueeze, measured, ...told });
  const usable = effect.valid && coverage >= POOR_COVERAGE;
  return {
    status: usable ? 'usable' : 'unusable',
    coverage,
    reason: usable ? null : effect.valid ? 'coverage' : 'folds-over',
    sentence: judge(fit, coverage, effect, cover.empty),
    plates,
    distortion: { ...fit.distortion, center: fit.center, aspect: fit.aspect, focalMm: recordedMm, sigma: sigmaByName(fit.sigma), terms: unknownsOf(fit.model, fit.terms) },
    fitted: fittedUnknowns(fit),
    candidates: choice.candidates,
    why: choice.why,
    squeeze: told.squeeze,
    focalFromTilt: told.tilt,
    focalFromDistance: told.distance,
    rmsPx: fit.rmsPx,
    maxPx: fit.maxPx,
    cornerDisplacementPct: effect.cornerDisplacementPct,
    overscan: effect.overscan,
    warnings: [
      ...findings.map((f) => GRID.PLATE_CONTRADICTS(f.words)),
      ...(one && !told.tilt ? [GRID.SQUARE_ON_ONLY()] : []),
      ...(measured && !told.distance ? [GRID.TILT_HIDES_FOCAL()] : []),
      ...(effect.valid ? [] : [GRID.FOLDS_OVER()]),
      ...(coverage < GOOD_COVERAGE ? [GRID.POOR_COVERAGE(good.length, coverage, cover.empty)] : []),
    ],
    findings,
  };
}

/** A plate as it was found; what a fit says of it comes later. */
const plateReport = (l: PlateLattice, file: string): PlateReport => ({
  file,
  status: l.status === 'found' ? 'used' : 'refused',
  corners: l.nodes.length,
  rows: l.rows,
  cols: l.cols,
  coverage: l.coverage,
  rmsPx: null,
  maxPx: null,
  tiltDeg: null,
  distanceCells: null,
  sharpness: l.sharpness,
  blurPx: finite(l.blurPx),
  cellPx: finite(l.cellPx),
  zones: l.zones,
  uncertain: l.uncertain,
  warnings: [...refusalOf(l), ...blurRemarks(l.zones)],
});

/** Of plates none of which was found; why the first one was not. */
const unusable = (plates: PlateReport[], first: PlateLattice | undefined): GridReport => ({
  status: 'unusable',
  coverage: 0,
  reason: first?.reason ?? 'no-plate',
  sentence: first?.message ?? GRID.NO_PLATE().words,
  plates,
  distortion: null,
  fitted: [],
  candidates: [],
  why: null,
  squeeze: null,
  focalFromTilt: null,
  focalFromDistance: null,
  rmsPx: null,
  maxPx: null,
  cornerDisplacementPct: null,
  overscan: null,
  warnings: first ? refusalOf(first) : [GRID.NO_PLATE()],
  findings: [],
});

/** k1, k2 … of one list stay a list, as conventions.md writes them; the rest by name. */
export function sigmaByName(sigma: Readonly<Record<string, number>>): Record<string, number | number[]> {
  const out: Record<string, number | number[]> = {};
  for (const [name, sd] of Object.entries(sigma)) {
    const list = name === 'cx' || name === 'cy' ? 'center' : /^([kpab])\d$/.exec(name)?.[1];
    if (list) out[list] = [...((out[list] as number[] | undefined) ?? []), sd];
    else if (name === 'rho') out.focalRatio = sd;
    else out[name] = sd;
  }
  return out;
}

/** Why a plate was not used, as a warning. */
const refusalOf = (l: PlateLattice): Warning[] => (l.message && l.reason ? [GRID.PLATE_REFUSED(l.message)] : []);

const finite = (v: number) => (Number.isFinite(v) ? v : null);

function measurePlate(report: PlateReport, lattice: PlateLattice, fit: LensFit, observations: readonly { plate: number }[], q: number): void {
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
  report.distanceCells = cellsAway(fit, q);
  if (report.tiltDeg > 15) report.warnings.push(GRID.CHART_TILTED(report.tiltDeg));
  if (lattice.uncertain > 0) report.warnings.push(GRID.CORNERS_UNCERTAIN(lattice.uncertain));
  const dropped = lattice.nodes.length - count;
  if (dropped > 0.05 * lattice.nodes.length) report.warnings.push(GRID.CORNERS_LEFT_OUT(dropped));
}

function judge(fit: LensFit, coverage: number, effect: FrameEffect, empty: string | null): string {
  const rms = `${fit.rmsPx.toFixed(2)} px`;
  const share = coverage >= 0.97 ? 'whole frame' : `${(100 * coverage).toFixed(0)} % of the frame`;
  if (!effect.valid) return `Shoot again: the fit (${rms}, ${share}) cannot be used at the border.`;
  if (coverage < POOR_COVERAGE) return `Shoot again: only ${share} covered${empty ? `, ${empty} empty` : ''}. Move closer or use a larger chart.`;
  if (coverage < GOOD_COVERAGE) return `Usable with care: ${rms}, ${share} covered${empty ? `, ${empty} empty` : ''}.`;
  return `Good to use: ${rms}, ${share}.`;
}
