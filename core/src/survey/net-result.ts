import type { Mat3, Vec3 } from '../math';
import type { KnownPoint, NetFact } from '../facts';
import type { MirrorChoice } from './mirror';
import type { NextTie } from './next-tie';
import type { SideSaid, TwinQuestion } from './twins';
import type { Warning } from '../warnings';

export interface NetInput {
  facts: readonly NetFact[];
  known?: readonly KnownPoint[];
  /** about where points are thought to be, such as on the mark sheet: they settle which of two mirror images is meant, and nothing else */
  near?: ReadonlyMap<string, Vec3>;
  /** which mirror image is meant: from a over b to c the way turns left or right, as seen from above */
  turn?: { a: string; b: string; c: string; left: boolean } | null;
  /** on which side of the points they are tied to single points stand, as was said */
  sides?: readonly SideSaid[];
}

export interface NetPoint {
  id: string;
  at: Vec3;
  /** one standard deviation on each axis; null: nothing determines it */
  sigmaM: [number, number | null, number];
  /** of the place, row-major, m² */
  covarianceM2: Mat3;
  /** sum of the shares by which the facts at this point are checked by others; 0: any of them may be wrong unseen */
  redundancy: number;
  facts: number;
}

export interface FactOutcome {
  /** in the order of the input */
  fact: number;
  computedM: number;
  /** measured − computed; of a plumb line the larger of both axes */
  residualM: number;
  /** residual over its own sigma; null: nothing checks this fact */
  normalised: number | null;
  /** share by which others check it, 0…1 */
  redundancy: number;
  /** contradicts the others, and was left out of the coordinates */
  suspect: boolean;
  /** sigma of the computed value, m */
  sigmaComputedM: number;
}

/** A point that the facts do not determine yet. */
export interface OpenPoint {
  id: string;
  /** facts to points that are determined */
  facts: number;
  missing: string;
}

export interface NetResult {
  /**
   * unchecked: determined, but a wrong fact at some of the points would not be seen; partial: some points are open; contradictory: too many facts
   * speak against each other to trust any place; none: nothing is determined
   */
  status: 'solved' | 'unchecked' | 'partial' | 'contradictory' | 'none';
  points: NetPoint[];
  open: OpenPoint[];
  facts: FactOutcome[];
  /** root of the weighted squares over the redundancy, dimensionless; near 1 when the stated tolerances are true; null without redundancy */
  sigma0: number | null;
  redundancy: number;
  datum: string;
  /** both mirror images fit and nobody has said which is meant: the question to ask */
  mirror: MirrorChoice;
  /** points that fit on two sides of their neighbours, nobody having said which: the questions to ask */
  twins: TwinQuestion[];
  /** ties that would tighten it most; of nets of up to 80 points */
  next: NextTie[];
  warnings: Warning[];
}
