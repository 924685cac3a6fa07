import { DISTORTION_MODELS, LENS_MODELS, usualModel, type MapCount, type PlacePairs } from '../lens';
import { pictureGeometry, type OpticsInput } from '../optics';
import { GRID, type Warning } from '../warnings';
import type { LatticeNode } from './grow-lattice';
import { gridFrame, gridReport, type GridReport } from './grid-report';
import type { PlateLattice } from './analyse-plate';
import { thinned } from './sample';
import { chosen, selectModel, type ModelChoice } from './select-model';
import { fitLens } from './fit-lens';
import { unknownsOf } from './lens-unknowns';
import { toObservations, type GridFrame, type GridObservation } from './observation';

/** Above this our models do not follow what was given as closely as a plate would be measured. */
const FOLLOWED_PX = 0.15;
const SEEN_PX = 0.02;
/** So closely a right model follows 32-bit floats. */
const EXACT_PX = 0.002;
/** Places that show which terms are needed. */
const SAMPLE = 400;
/** Of half the diagonal: what is off by more is no lens as it was read. */
const NO_LENS_SHARE = 0.01;
/** Below this share of half the diagonal nothing is bent. */
const STRAIGHT_PCT = 0.002;
const TILT_DEG = 0.05;
const STRETCH = 0.003;
/** Cells that the given places are counted in: a size as a chart has. */
const CELLS = 40;

/** The fit to what was given, with its corners for the drawing. */
export interface GivenReport {
  report: GridReport;
  nodes: LatticeNode[];
  residuals: Float64Array;
  used: Uint8Array;
}

/**
 * Distortion that was made elsewhere as one of our lenses: what it pairs is taken for a chart that was seen exactly square-on, and goes the way of a
 * measured plate, so that everything after it is the same. What a chart would say of focal length is not asked: a map's size and place are free.
 * @param options.stepPx what its values were rounded to, px of the picture
 * @throws CoreError INVALID_OPTION, TOO_FEW_OBSERVATIONS
 */
export function givenReport(pairs: PlacePairs, file: string, setup: OpticsInput, options: { count?: MapCount; stepPx?: number } = {}): GivenReport {
  const frame = gridFrame(setup);
  const g = pictureGeometry(setup);
  const nodes = latticeOf(pairs, frame);
  const lattice: PlateLattice = {
    status: 'found',
    nodes,
    rows: pairs.down,
    cols: pairs.across,
    coverage: coveredBy(nodes, frame),
    blurPx: Number.NaN,
    sharpness: 1,
    cellPx: g.widthPx / pairs.across,
    zones: [],
    uncertain: 0,
  };
  const choice = plainest(toObservations(nodes), frame, setup.squeeze ?? 1, options.stepPx ?? 0);
  const report = gridReport([lattice], [file], setup, { choice });
  const { fit } = choice;
  const halfDiagonal = Math.hypot(g.widthPx, g.heightPx) / 2;
  const [plate] = report.plates;
  const tiltDeg = plate.tiltDeg ?? 0;
  const bends = Math.abs(report.cornerDisplacementPct ?? 0);
  const step = options.stepPx ?? 0;
  const warnings: Warning[] = report.warnings.filter((w) => !OF_A_CHART.has(w.code));
  if (bends < STRAIGHT_PCT) warnings.push(GRID.GIVEN_BENDS_NOTHING());
  if (step > FOLLOWED_PX) warnings.push(GRID.GIVEN_ROUNDED(step));
  if ((options.count?.holes ?? 0) > 0.02) warnings.push(GRID.GIVEN_HOLES(options.count!.holes));
  if (tiltDeg > TILT_DEG && fit.rmsPx < halfDiagonal * NO_LENS_SHARE) warnings.push(GRID.GIVEN_TILTED(tiltDeg));
  const stretch = options.count?.middleStretch ?? 1;
  if (Math.abs(stretch - 1) > STRETCH) warnings.push(GRID.GIVEN_STRETCHED(stretch));
  const noLens = report.status === 'usable' && fit.rmsPx > NO_LENS_SHARE * halfDiagonal;
  return {
    report: {
      ...report,
      ...(noLens ? { status: 'unusable' as const, reason: 'no-lens' } : {}),
      sentence: sentenceOf(report, noLens, step),
      plates: [{ ...plate, tiltDeg, warnings: plate.warnings.filter((w) => !OF_A_CHART.has(w.code)) }],
      warnings,
      findings: [],
      focalFromTilt: null,
      squeeze: null,
    },
    nodes,
    residuals: fit.residuals,
    used: fit.used,
  };
}

/**
 * What was computed has no noise by which models could be told apart: a thousandth of a pixel would choose. So the fewest unknowns that follow it
 * exactly, to what it was rounded to; else the usual model's fewest that follow it as closely as anybody sees; where none does, the one that a plate
 * would get. A focal length is not among the unknowns: without a tilt it is told by nothing.
 */
function plainest(observations: readonly GridObservation[], frame: GridFrame, squeeze: number, stepPx: number): ModelChoice {
  const usual = usualModel(squeeze);
  const round = DISTORTION_MODELS.filter((m) => squeeze !== 1 || !LENS_MODELS[m].forSqueezed);
  const sample = thinned(observations, SAMPLE);
  const tried = round
    .flatMap((model) => LENS_MODELS[model].candidates.filter((terms) => !terms.includes('focalRatio')).map((terms) => ({ model, terms, unknowns: unknownsOf(model, terms).length })))
    .sort((a, b) => a.unknowns - b.unknowns)
    .map((set) => ({ ...set, fit: fitLens(sample, frame, { model: set.model, terms: set.terms, robustRounds: 0 }) }));
  const exact = Math.max(EXACT_PX, stepPx / 2);
  for (const set of [...tried.filter((t) => t.fit.rmsPx <= exact), ...tried.filter((t) => t.model === usual && t.fit.rmsPx <= SEEN_PX)]) {
    const fit = fitLens(observations, frame, { model: set.model, terms: set.terms, start: set.fit, robustRounds: 0 });
    const choice = chosen(fit, frame, `${set.model} with ${set.unknowns} unknowns follows it to ${fit.rmsPx < EXACT_PX ? `below ${EXACT_PX}` : fit.rmsPx.toFixed(3)} px`);
    if (fit.rmsPx <= Math.max(exact, SEEN_PX) && !choice.candidates[0].folds) return choice;
  }
  return selectModel(observations, frame, 'auto');
}

/** What only a photographed chart can be told. */
const OF_A_CHART = new Set(['SQUARE_ON_ONLY', 'PLATE_CONTRADICTS', 'CORNERS_LEFT_OUT', 'CHART_TILTED', 'POOR_COVERAGE', 'PLATE_SOFT', 'PLATE_MOVED']);

function sentenceOf(report: GridReport, noLens: boolean, stepPx: number): string {
  const px = (v: number | null) => `${(v ?? 0).toFixed(2)} px`;
  const within = `${px(report.rmsPx)}, ${px(report.maxPx)} at worst`;
  if (noLens) return `No lens bends like this (followed to ${within}): it goes the other way, or is of another picture.`;
  if (report.status !== 'usable') return report.sentence.replace('Shoot again', 'Not usable');
  const bend = report.cornerDisplacementPct ?? 0;
  const way = Math.abs(bend) < STRAIGHT_PCT ? 'it bends nothing' : `${bend < 0 ? 'barrel' : 'pincushion'}, ${Math.abs(bend).toFixed(2)} % at the corner`;
  // not "good to use": which way it goes, and of which lens it is, no fit can tell
  return `Followed ${(report.rmsPx ?? 0) <= Math.max(FOLLOWED_PX, stepPx) ? '' : 'only '}to ${within}: ${way}.`;
}

/** As a chart of square cells whose middle lies where the middle of what was given does. */
function latticeOf({ undistorted, recorded }: PlacePairs, frame: { fxPx: number; fyPx: number; widthPx: number }): LatticeNode[] {
  const n = undistorted.length / 2;
  let mx = 0,
    my = 0,
    reach = 0;
  for (let i = 0; i < n; i += 1) {
    mx += undistorted[2 * i] / n;
    my += undistorted[2 * i + 1] / n;
  }
  for (let i = 0; i < n; i += 1) reach = Math.max(reach, Math.abs(undistorted[2 * i] - mx));
  // a recorded pixel of a squeezed picture shows more across than down
  const shape = frame.fyPx / frame.fxPx;
  const cell = (2 * reach) / CELLS;
  return Array.from({ length: n }, (_, i) => ({
    row: (undistorted[2 * i + 1] - my) / cell,
    col: ((undistorted[2 * i] - mx) * shape) / cell,
    x: recorded[2 * i],
    y: recorded[2 * i + 1],
    contrast: 0,
  }));
}

/** Share of the frame in which places were given, by a raster of its cells: a map may have holes, and no hull shows them. */
function coveredBy(nodes: readonly { x: number; y: number }[], frame: { widthPx: number; heightPx: number }): number {
  const across = 16;
  const down = 9;
  const seen = new Uint8Array(across * down);
  for (const { x, y } of nodes) seen[Math.min(down - 1, Math.floor((y / frame.heightPx) * down)) * across + Math.min(across - 1, Math.floor((x / frame.widthPx) * across))] = 1;
  return seen.reduce((sum, v) => sum + v, 0) / seen.length;
}
