import type { CornerRow, WalkQuestion } from '@mesure/contract';
import {
  countDetail,
  checkLineUp,
  checkWalk,
  fitEdges,
  lookAtStill,
  forecast,
  nextBest,
  planOfStudy,
  studySetup,
  gridReport,
  gridFrame,
  quickLook,
  resample,
  selectModel,
  toObservations,
  undistortMap,
  withoutDropped,
  type ChartKind,
  type CheckedLineUp,
  type LineUpQuestion,
  type DistortionModel,
  type MeasuredChart,
  type EdgePoint,
  type EdgeReport,
  type Forecast,
  type FrameLens,
  solveNet,
  type NetInput,
  type NetResult,
  type NextBest,
  type OtherLens,
  type PictureDetail,
  type PlannedSetup,
  type GrayImage,
  type GridReport,
  type OpticsInput,
  type Overscan,
  type PlateLattice,
  type QuickLook,
  type StillLook,
  type WalkCheck,
  type Raster,
} from '@mesure/core';

/** What a worker is asked, and what it answers. All plain data. */
export type Task =
  | { kind: 'quick look'; image: GrayImage; chart: ChartKind }
  | { kind: 'detail'; image: GrayImage }
  | { kind: 'still'; image: GrayImage }
  | ({ kind: 'walk' } & WalkQuestion)
  | { kind: 'net'; input: NetInput }
  | ({ kind: 'line up' } & LineUpQuestion)
  | {
      kind: 'refit';
      corners: CornerRow[];
      lattice: Omit<PlateLattice, 'nodes'>;
      dropped: { x: number; y: number }[];
      setup: OpticsInput;
      file: string;
      model: DistortionModel | 'auto';
      measured: MeasuredChart | undefined;
    }
  | { kind: 'edges'; points: EdgePoint[]; setup: OpticsInput; model: DistortionModel }
  | { kind: 'forecast'; setup: PlannedSetup }
  | { kind: 'next best'; setup: PlannedSetup; others: OtherLens[] }
  | { kind: 'undistort'; picture: Raster<Uint8ClampedArray>; lens: FrameLens; overscan: Overscan };

export interface Refit {
  report: GridReport;
  corners: CornerRow[];
}
export interface Answers {
  'quick look': QuickLook;
  detail: PictureDetail;
  still: StillLook;
  walk: WalkCheck;
  net: NetResult;
  'line up': CheckedLineUp;
  refit: Refit;
  edges: EdgeReport;
  forecast: Forecast;
  'next best': NextBest[];
  undistort: Raster<Uint8ClampedArray>;
}

/** The same core functions as on the server and on the command line. */
export function perform<K extends Task['kind']>(task: Extract<Task, { kind: K }>, onProgress?: (share: number) => void): Answers[K];
export function perform(task: Task, onProgress?: (share: number) => void): Answers[Task['kind']] {
  if (task.kind === 'quick look') return quickLook(task.image, task.chart);
  if (task.kind === 'net') return solveNet(task.input);
  if (task.kind === 'line up') return checkLineUp(task);
  if (task.kind === 'walk') return checkWalk(task.pictures, task.neighbours, task.planned, task.names);
  if (task.kind === 'still') return lookAtStill(task.image);
  if (task.kind === 'detail') return countDetail(task.image);
  if (task.kind === 'edges') return fitEdges(task.points, task.setup, task.model);
  if (task.kind === 'forecast') return forecast(planOfStudy(studySetup(task.setup)));
  if (task.kind === 'next best') return nextBest(task.setup, task.others, onProgress);
  if (task.kind === 'undistort') return resample(task.picture, undistortMap(task.lens, task.overscan));
  return refit(task);
}

/** The fit without the corners that were taken out: the server does the same when the plate is measured again. */
function refit(task: Extract<Task, { kind: 'refit' }>): Refit {
  const frame = gridFrame(task.setup);
  const nodes = task.corners.map(([row, col, x, y]) => ({ row, col, x, y, contrast: 1 }));
  const lattice = withoutDropped({ ...task.lattice, nodes }, task.dropped, frame);
  if (lattice.status === 'refused') return { report: gridReport([lattice], [task.file], task.setup, { measured: task.measured }), corners: [] };
  const choice = selectModel(toObservations(lattice.nodes), frame, task.model);
  const { fit } = choice;
  return {
    report: gridReport([lattice], [task.file], task.setup, { choice, measured: task.measured }),
    corners: lattice.nodes.map((n, i): CornerRow => [n.row, n.col, n.x, n.y, fit.residuals[2 * i], fit.residuals[2 * i + 1], fit.used[i]]),
  };
}
