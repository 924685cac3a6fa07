import type { Quat, Vec3 } from '../math';
import { METRES_PER, type LengthUnit, type Space } from '../units';

/** Focal length of a frame: in millimetres, or over the width of the picture that the file speaks of. */
export type ForeignFocal = { mm: number } | { overWidth: number };

export interface ForeignFrame {
  /** as the file counts */
  frame: number;
  /** in the file's lengths and axes */
  position: Vec3;
  /** camera to the file's world; the camera looks along its −Z with its +Y up, unless it is read otherwise */
  rotation: Quat;
  focal: ForeignFocal | null;
}

/** A camera move that another program wrote, as it stands in its file. What the file is silent about is null. */
export interface ForeignMove {
  format: string;
  frames: ForeignFrame[];
  points: { id: string; at: Vec3 }[];
  /** metres of one of its lengths; `of the solve`: it says that nothing tells */
  metres: number | 'of the solve' | null;
  up: Space['up'] | null;
  /** of the file that the points came in, where it is one of its own and says so */
  pointsMetres?: number | null;
  pointsUp?: Space['up'] | null;
  /** of the picture that its camera sees, where it is another than the recorded one */
  pictureWidthPx: number | null;
  fps: number | null;
  /** what was found and how it was taken, in words */
  notes: string[];
}

export const FOREIGN_UNITS = ['m', 'cm', 'mm', 'in', 'ft', 'of the solve'] as const satisfies readonly (LengthUnit | 'of the solve')[];
/** Angles of a table about x, y and z in the order in which they are applied, the first nearest to the camera. */
export const TURN_ORDERS = ['XYZ', 'XZY', 'YXZ', 'YZX', 'ZXY', 'ZYX'] as const;
export type TurnOrder = (typeof TURN_ORDERS)[number];
export const FOREIGN_LOOKS = ['-Z', '+Z'] as const;

/** How a move is read. What the file says is where it begins; whatever of it is wrong can be said. */
export interface ForeignReading {
  unit: (typeof FOREIGN_UNITS)[number];
  up: Space['up'];
  /** along which of its own axes the camera looks; +Z: with its +Y down, as in computer vision */
  looks: (typeof FOREIGN_LOOKS)[number];
  addFrames: number;
  /** `own`: it stands in a world of its own, and what was measured ties it to the set; `set`: its places are those of the set */
  world: 'own' | 'set';
}

/** Of a unit that nothing tells, as it stands. */
export const metresOf = (unit: ForeignReading['unit']): number => (unit === 'of the solve' ? 1 : METRES_PER[unit]);

/** How a move is read when nobody says otherwise. */
export function usualReading(move: Pick<ForeignMove, 'metres' | 'up'>): ForeignReading {
  const named = FOREIGN_UNITS.find((u) => u !== 'of the solve' && typeof move.metres === 'number' && Math.abs(metresOf(u) / move.metres - 1) < 1e-6);
  return { unit: named ?? (move.metres === null ? 'm' : 'of the solve'), up: move.up ?? 'Y', looks: '-Z', addFrames: 0, world: 'own' };
}
