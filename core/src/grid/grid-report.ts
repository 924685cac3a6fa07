import { frameEffect, type Distortion, type DistortionModel, type FrameEffect, type FrameLens } from '../lens';
import { CoreError } from '../errors';
import { pictureGeometry, type OpticsInput } from '../optics';
import { radToDeg } from '../units';
import type { PlateLattice } from './analyse-plate';
import { coverOf } from './cover';
import { fittedUnknowns, toObservations, unknownsOf, type FittedUnknown, type GridFrame, type LensFit } from './fit-lens';
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

/** A chart of known cells at a known distance tells the focal length. Distances from the entrance pupil along the view. */
export interface MeasuredChart {
  cellM: number;
  distanceM: number;
  sigmaDistanceM: number;
}
/** Beyond this tilt "the distance of the chart" is no one number. */
const SQUARE_ON_DEG = 5;

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
  const geometry = pictureGeometry(setup);
  const frame = gridFrame(setup);
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
    distanceCells: null,
    sharpness: l.sharpness,
    blurPx: finite(l.blurPx),
    cellPx: finite(l.cellPx),
    zones: l.zones,
    uncertain: l.uncertain,
    warnings: [...refusalOf(l), ...blurRemarks(l.zones)],
  });
  const plates = lattices.map((l, i) => base(l, files[i]));
  if (good.length === 0) {
    const why = lattices[0]?.message ?? GRID.NO_PLATE().words;
    return {
      status: 'unusable',
      coverage: 0,
      reason: lattices[0]?.reason ?? 'no-plate',
      sentence: why,
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
      warnings: lattices[0] ? refusalOf(lattices[0]) : [GRID.NO_PLATE()],
      findings: [],
    };
  }
  const observations = good.flatMap(({ l }, q) => toObservations(l.nodes, q));
  const choice = options.choice && good.length === 1 ? options.choice : selectModel(observations, frame, options.model ?? 'radial');
  const { fit } = choice;
  good.forEach(({ l, i }, q) => measurePlate(plates[i], l, fit, observations, q));

  const warnings: Warning[] = [];
  const findings: PlateFinding[] = [];
  const effect = frameEffect({ ...frame, fxPx: frame.fxPx * fit.aspect, center: fit.center, distortion: fit.distortion });
  const cover = coverOf(
    good.map(({ l }) => l.nodes),
    frame,
  );
  // of one plate it is known exactly
  const coverage = good.length === 1 ? good[0].l.coverage : cover.share;
  // an infinite sigma: the plates do not tell it
  const focalFromTilt = fit.sigma.rho !== undefined && Number.isFinite(fit.sigma.rho) ? { mm: fit.focalRatio * geometry.effectiveFocalMm, sigmaMm: fit.sigma.rho * geometry.effectiveFocalMm } : null;
  if (good.length === 1 && !focalFromTilt) warnings.push(GRID.SQUARE_ON_ONLY());
  const focalFromDistance = options.measured && good.length === 1 ? fromDistance(fit, geometry.effectiveFocalMm, options.measured, warnings, findings) : null;
  // a standard deviation of less than 0.1 mm needs its second digit
  const digits = focalFromTilt && focalFromTilt.sigmaMm < 0.1 ? 2 : 1;
  if (focalFromTilt && Math.abs(fit.focalRatio - 1) > Math.max(0.03, 3 * (fit.sigma.rho ?? 0))) {
    findings.push({
      from: 'tilt',
      of: 'focal length',
      recorded: geometry.effectiveFocalMm,
      found: focalFromTilt.mm,
      sigma: focalFromTilt.sigmaMm,
      words: `The tilt of the chart fits ${focalFromTilt.mm.toFixed(digits)} ± ${focalFromTilt.sigmaMm.toFixed(digits)} mm, not the recorded ${geometry.effectiveFocalMm.toFixed(1)} mm. Check focal length, adapter and sensor area.`,
    });
  }
  // the recorded squeeze is in fx already: a picture that is wider than it says is squeezed less
  const recordedSqueeze = setup.squeeze ?? 1;
  const squeeze = fit.sigma.aspect === undefined || !Number.isFinite(fit.sigma.aspect) ? null : { value: recordedSqueeze / fit.aspect, sigma: (recordedSqueeze * fit.sigma.aspect) / fit.aspect ** 2 };
  if (squeeze && Math.abs(squeeze.value - recordedSqueeze) > Math.max(0.005 * recordedSqueeze, 3 * squeeze.sigma))
    findings.push({
      from: 'cells',
      of: 'squeeze',
      recorded: recordedSqueeze,
      found: squeeze.value,
      sigma: squeeze.sigma,
      words: `The cells of the chart are square at a squeeze of ${squeeze.value.toFixed(3)} ± ${squeeze.sigma.toFixed(3)}, recorded is ${recordedSqueeze}.`,
    });
  if (!effect.valid) warnings.push(GRID.FOLDS_OVER());
  const sentence = judge(fit, coverage, effect, cover.empty);
  const usable = effect.valid && coverage >= POOR_COVERAGE;
  if (coverage < GOOD_COVERAGE) warnings.push(GRID.POOR_COVERAGE(good.length, coverage, cover.empty));
  return {
    status: usable ? 'usable' : 'unusable',
    coverage,
    reason: usable ? null : effect.valid ? 'coverage' : 'folds-over',
    sentence,
    plates,
    distortion: {
      ...fit.distortion,
      center: fit.center,
      aspect: fit.aspect,
      focalMm: geometry.effectiveFocalMm,
      sigma: sigmaByName(fit.sigma),
      terms: unknownsOf(fit.model, fit.terms),
    },
    fitted: fittedUnknowns(fit),
    candidates: choice.candidates,
    why: choice.why,
    squeeze,
    focalFromTilt,
    focalFromDistance,
    rmsPx: fit.rmsPx,
    maxPx: fit.maxPx,
    cornerDisplacementPct: effect.cornerDisplacementPct,
    overscan: effect.overscan,
    warnings: [...findings.map((f) => GRID.PLATE_CONTRADICTS(f.words)), ...warnings],
    findings,
  };
}

/**
 * f = f_recorded · ρ · (measured distance) / (distance that the fit sees with the recorded focal length): a picture's scale is focal length
 * over distance. The fit's own part of the error is far below the tape's.
 */
function fromDistance(fit: LensFit, recordedMm: number, m: MeasuredChart, warnings: Warning[], findings: PlateFinding[]): { mm: number; sigmaMm: number } | null {
  for (const [field, value] of Object.entries(m)) if (!(value > 0)) throw new CoreError('INVALID_OPTION', `${field} must be above 0`, field);
  const cells = cellsAway(fit, 0);
  if (cells === null) {
    warnings.push(GRID.TILT_HIDES_FOCAL());
    return null;
  }
  const mm = (recordedMm * m.distanceM) / (cells * m.cellM);
  const sigmaMm = (mm * m.sigmaDistanceM) / m.distanceM;
  if (Math.abs(mm - recordedMm) > Math.max(0.01 * recordedMm, 3 * sigmaMm))
    findings.push({
      from: 'distance',
      of: 'focal length',
      recorded: recordedMm,
      found: mm,
      sigma: sigmaMm,
      words: `The chart at ${m.distanceM} m measures ${mm.toFixed(2)} ± ${sigmaMm.toFixed(2)} mm, recorded is ${recordedMm.toFixed(2)} mm. Check adapter, marking and the distance.`,
    });
  return { mm, sigmaMm };
}

/** Where the optical axis meets the chart's plane, in cells, had the lens the recorded focal length; null beyond a slight tilt. */
function cellsAway(fit: LensFit, plate: number): number | null {
  const { rotation: r, translation: t } = fit.poses[plate];
  if (radToDeg(Math.acos(Math.min(1, Math.abs(r[8])))) > SQUARE_ON_DEG) return null;
  return (r[2] * t[0] + r[5] * t[1] + r[8] * t[2]) / r[8] / fit.focalRatio;
}

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
