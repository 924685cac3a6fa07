import { USUAL_SIGMA } from '../facts';
import type { MoveStation, PlannedMark, PlannedSetup, SetPiece } from './planned-setup';

// A small planned setup for tests: a floor and a wall 5 m before the camera, 4096 × 2160 on 24 × 12.66 mm, so that 24 mm are 4096 px.
export const piece = (change: Partial<SetPiece> = {}): SetPiece => ({
  id: 'wall',
  name: 'Wall',
  kind: 'wall',
  xM: 0,
  zM: -5.1,
  baseM: 0,
  widthM: 6,
  depthM: 0.2,
  heightM: 3,
  turnRad: 0,
  moves: false,
  detail: 'none',
  coversShare: null,
  ...change,
});
export const mark = (id: string, at: readonly [number, number, number], change: Partial<PlannedMark> = {}): PlannedMark => ({
  id,
  kind: 'cross',
  diameterM: 0.02,
  at,
  normal: null,
  pieceId: null,
  ground: 'plain',
  placed: false,
  ...change,
});
export const station = (change: Partial<MoveStation> = {}): MoveStation => ({ timeS: 0, xM: 0, zM: 0, heightM: 1.5, headingRad: 0, tiltRad: 0, rollRad: 0, focalMm: 24, focusM: 5, ...change });
export const plannedSetup = (change: Partial<PlannedSetup> = {}): PlannedSetup => ({
  optics: { image: { width: 4096, height: 2160 }, sensor: { widthMm: 24, heightMm: 12.65625 }, focal: { mm: 24 } },
  readoutMs: 10,
  fps: 24,
  shutterDeg: 180,
  stop: 8,
  iso: 800,
  pieces: [],
  marks: [],
  move: { kind: 'dolly', stations: [station({ xM: -1 }), station({ timeS: 4, xM: 1 })] },
  lens: { mode: 'held', sigmaPct: 1 },
  measures: { level: [], levelSigmaM: USUAL_SIGMA.levelM, ties: [], heights: [] },
  noisePx: 0.5,
  ...change,
});
