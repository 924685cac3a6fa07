import type { Vec3 } from '../math';
import { NetRows, type KnownPoint, type NetFact } from '../facts';

/** A net as the search for first coordinates reads it: points are indices. */
export interface Net {
  ids: readonly string[];
  index: ReadonlyMap<string, number>;
  facts: readonly NetFact[];
  factsOf: readonly (readonly number[])[];
  known: readonly KnownPoint[];
  /** known points that no fact speaks of */
  untied: readonly KnownPoint[];
  /** about where a point is thought to be, from a plan */
  near: ReadonlyMap<number, Vec3>;
}

export type Places = Map<number, Vec3>;

/** Rows of all facts between the placed points, over the indices of `order`. */
export function rowsOf(net: Net, placed: Places, level: boolean): { rows: NetRows; order: number[] } {
  const order = [...placed.keys()].sort((a, b) => a - b);
  const index = new Map(order.map((p, k) => [net.ids[p], k]));
  const rows = new NetRows();
  net.facts.forEach((f, i) => (level || f.kind === 'tie') && rows.addFact(f, i, index));
  if (level) for (const k of net.known) if (index.has(k.id)) [0, 1, 2].forEach((axis) => rows.addCoordinate(index.get(k.id)!, axis, k.at[axis], k.sigmaM[axis]));
  return { rows, order };
}
