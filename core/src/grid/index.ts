export type { GrayImage } from './gray-image';
export type { ChartKind, LatticeNode } from './grow-lattice';
export { detectChart, analysePlate, toObservations, type PlateLattice, type PlateAnalysis, type PlateRefusal } from './analyse-plate';
export { fitLens, predictCorner, type LensFit, type LensTerm, type GridFrame, type GridObservation, type BoardPose } from './fit-lens';
export { selectTerms } from './select-terms';
export { selectModel, type ModelCandidate, type ModelChoice } from './select-model';
export { gridReport, type GridDistortion, type GridReport, type MeasuredChart, type PlateReport } from './grid-report';
export { fitEdges, type EdgePoint, type EdgeReport } from './fit-edges';
