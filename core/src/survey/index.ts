export { solveNet, SUSPECT_NORMALISED, type FactOutcome, type NetInput, type NetPoint, type NetResult, type OpenPoint } from './solve-net';
export type { MirrorChoice } from './mirror';
export type { KnownPoint, NetFact } from './facts';
export { explainLength, type DoubtfulLength } from './explain';
export type { NextTie } from './next-tie';
export { errorEllipse, netOnPlan } from './to-plan';
