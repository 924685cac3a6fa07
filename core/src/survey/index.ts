export { solveNet, SUSPECT_NORMALISED } from './solve-net';
export type { FactOutcome, NetInput, NetPoint, NetResult, OpenPoint } from './net-result';
export type { MirrorChoice } from './mirror';
export type { SideSaid, TwinQuestion } from './twins';
export type { KnownPoint, NetFact } from './facts';
export { explainLength, type DoubtfulLength } from './explain';
export type { NextTie } from './next-tie';
export { errorEllipse, netOnPlan } from './to-plan';
export { doubtPlaces, type KnownOfPlaces, type PlacesDoubt, type ReadPlace } from './places-check';
