import type { Vec3 } from '../math';
import type { LengthFact } from './length-fact';

/** What was measured on a set, or is known of it. Sigmas are one standard deviation, metres. World frame: Y up, the floor at 0. */
export type NetFact =
  | ({ kind: 'tie' } & Required<LengthFact>)
  /** over the floor */
  | { kind: 'height'; id: string; m: number; sigmaM: number }
  /** both at one height */
  | { kind: 'level'; a: string; b: string; sigmaM: number }
  /** b straight above a */
  | { kind: 'plumb'; a: string; b: string; sigmaM: number }
  /** level distance from the upright wall on which a and b lie */
  | { kind: 'wall'; id: string; a: string; b: string; m: number; sigmaM: number };

/** A point whose place is known beforehand; sigma 0 on an axis: it defines the datum there. */
export interface KnownPoint {
  id: string;
  at: Vec3;
  sigmaM: Vec3;
}

export const pointsOfFact = (f: NetFact): string[] => (f.kind === 'height' ? [f.id] : f.kind === 'wall' ? [f.id, f.a, f.b] : [f.a, f.b]);
