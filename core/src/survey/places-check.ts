import { METRES_PER, SPACE_UNITS, type LengthUnit } from '../units';
import type { Vec3 } from '../math';

/** Places as they were read from a table: metres, Y up, if the table is what it was said to be. */
export interface ReadPlace {
  id: string;
  at: Vec3;
}
/** What is known of the same marks from elsewhere: ties, heights over the floor, places on the plan (which may be off, turned and shifted). */
export interface KnownOfPlaces {
  ties: readonly { a: string; b: string; m: number }[];
  heights: readonly { id: string; m: number }[];
  plan: ReadonlyMap<string, Vec3>;
}
export type PlacesDoubt =
  /** lengths between the places are `ratio` times those that were taped; `unit` is the one that would explain it */
  | { code: 'UNIT'; ratio: number; from: number; unit: LengthUnit | null }
  /** heights over the floor run along another axis */
  | { code: 'UP'; up: 'Y' | 'Z'; from: number }
  /** seen from above the places fit the plan only when they are turned over */
  | { code: 'MIRRORED'; from: number; fitM: number; turnedFitM: number };

/** A tape, and the marks that it was held to. */
const SAME_SHARE = 0.03;
const FAR_M = 0.05;

const median = (values: number[]): number => [...values].sort((a, b) => a - b)[values.length >> 1];
const apart = (a: Vec3, b: Vec3): number => Math.hypot(a[0] - b[0], a[1] - b[1], a[2] - b[2]);

/**
 * What speaks against the unit, the axes or the handedness that a table of places was read with. Says nothing where nothing else is known of
 * the marks: no doubt is no proof.
 * @param readIn the unit that the table was taken to be in; the places are metres all the same
 */
export function doubtPlaces(places: readonly ReadPlace[], known: KnownOfPlaces, readIn: LengthUnit = 'm'): PlacesDoubt[] {
  const at = new Map(places.map((p) => [p.id, p.at]));
  return [unitDoubt(at, known.ties, readIn), upDoubt(at, known.heights), mirrorDoubt(at, known.plan)].filter((d): d is PlacesDoubt => d !== null);
}

function unitDoubt(at: ReadonlyMap<string, Vec3>, ties: KnownOfPlaces['ties'], readIn: LengthUnit): PlacesDoubt | null {
  const ratios = ties.flatMap(({ a, b, m }) => {
    const [p, q] = [at.get(a), at.get(b)];
    return p && q && m > 0 ? [apart(p, q) / m] : [];
  });
  if (ratios.length === 0) return null;
  const ratio = median(ratios);
  if (Math.abs(ratio - 1) < SAME_SHARE) return null;
  // read as metres and really feet: 3.28 times too long; the other way round where it was read in too small a unit
  const perRead = (u: LengthUnit): number => METRES_PER[u] / METRES_PER[readIn];
  const units: LengthUnit[] = [...SPACE_UNITS, 'ft', 'in'];
  const unit = units.find((u) => u !== readIn && Math.abs(ratio * perRead(u) - 1) < SAME_SHARE) ?? null;
  return { code: 'UNIT', ratio, from: ratios.length, unit };
}

function upDoubt(at: ReadonlyMap<string, Vec3>, heights: KnownOfPlaces['heights']): PlacesDoubt | null {
  const pairs = heights.flatMap(({ id, m }) => (at.has(id) ? [{ p: at.get(id)!, m }] : []));
  // the zero of an instrument is seldom the floor: only how heights differ counts
  if (pairs.length < 2) return null;
  const spread = (of: (p: Vec3) => number): number => {
    const off = pairs.map(({ p, m }) => of(p) - m);
    const mean = off.reduce((s, v) => s + v, 0) / off.length;
    return Math.max(...off.map((v) => Math.abs(v - mean)));
  };
  const y = spread((p) => p[1]);
  // as it would be had the table been read with the other axis up
  const z = Math.min(
    spread((p) => p[2]),
    spread((p) => -p[2]),
  );
  return y > FAR_M && z < FAR_M && z < y / 4 ? { code: 'UP', up: 'Z', from: pairs.length } : null;
}

/** Root of the mean square left by the best turn and shift about the vertical, of a picture from above. */
function fitFromAbove(from: readonly [number, number][], to: readonly [number, number][]): number {
  const mean = (list: readonly [number, number][]) => [0, 1].map((k) => list.reduce((s, v) => s + v[k], 0) / list.length);
  const [cf, ct] = [mean(from), mean(to)];
  let dot = 0,
    cross = 0;
  const a = from.map((v) => [v[0] - cf[0], v[1] - cf[1]]);
  const b = to.map((v) => [v[0] - ct[0], v[1] - ct[1]]);
  a.forEach((v, i) => {
    dot += v[0] * b[i][0] + v[1] * b[i][1];
    cross += v[0] * b[i][1] - v[1] * b[i][0];
  });
  const angle = Math.atan2(cross, dot);
  const [c, s] = [Math.cos(angle), Math.sin(angle)];
  return Math.sqrt(a.reduce((sum, v, i) => sum + (c * v[0] - s * v[1] - b[i][0]) ** 2 + (s * v[0] + c * v[1] - b[i][1]) ** 2, 0) / a.length);
}

function mirrorDoubt(at: ReadonlyMap<string, Vec3>, plan: ReadonlyMap<string, Vec3>): PlacesDoubt | null {
  const ids = [...at.keys()].filter((id) => plan.has(id));
  if (ids.length < 3) return null;
  const from = ids.map((id): [number, number] => [at.get(id)![0], at.get(id)![2]]);
  const to = ids.map((id): [number, number] => [plan.get(id)![0], plan.get(id)![2]]);
  const fitM = fitFromAbove(from, to);
  const turnedFitM = fitFromAbove(
    from.map(([x, z]): [number, number] => [-x, z]),
    to,
  );
  return fitM > 2 * FAR_M && turnedFitM < fitM / 4 ? { code: 'MIRRORED', from: ids.length, fitM, turnedFitM } : null;
}
