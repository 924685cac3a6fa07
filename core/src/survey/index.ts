export { solveNet } from './solve-net';
export type { FactOutcome, NetInput, NetPoint, NetResult, OpenPoint } from './net-result';
export { LEAST_CHECKED } from './net-told';
export type { MirrorChoice } from './mirror';
export type { SideSaid, TwinQuestion } from './twins';
export { explainLength, type DoubtfulLength } from './explain';
export type { NextTie } from './next-tie';
export { errorEllipse, netOnPlan } from './to-plan';
export { doubtPlaces, type KnownOfPlaces, type PlacesDoubt, type ReadPlace } from './places-check';
