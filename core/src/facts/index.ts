export type { AnchorFacts } from './anchor-facts';
export { DEFINITION_M, NetRows } from './fact-rows';
export type { LengthFact, Planned, PlannedPlace } from './length-fact';
export { distanceFromWall, lengthBetween } from './measures';
export { pointsOfFact, type KnownPoint, type NetFact } from './set-facts';
export { USUAL_SIGMA } from './usual-sigmas';
