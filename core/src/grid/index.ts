export type { GrayImage } from './gray-image';
export type { LatticeNode } from './grow-lattice';
export { detectChequer, analysePlate, toObservations, type PlateLattice, type PlateAnalysis, type PlateRefusal } from './analyse-plate';
export { fitRadial, predictCorner, type RadialFit, type RadialTerm, type GridFrame, type GridObservation, type BoardPose } from './fit-radial';
export { selectRadialTerms } from './select-terms';
export { gridReport, type GridReport, type PlateReport } from './grid-report';
