import type { GridObservation } from './observation';

/** A fit of this many corners shows which way all of them go. */
export const SAMPLE_CORNERS = 1500;
/** A plate keeps about so many corners at least. */
const SAMPLE_OF_PLATE = 60;

/** By steps of the golden ratio: every n-th one of a lattice may be one column of it. */
const GOLDEN = (Math.sqrt(5) - 1) / 2;
const isTaken = (place: number, share: number): boolean => (place * GOLDEN) % 1 < share;

/** About `count` of a list, spread evenly over it; all of them where it has no more. */
export function thinned<T>(list: readonly T[], count: number): readonly T[] {
  const share = count / list.length;
  return share >= 1 ? list : list.filter((_, i) => isTaken(i, share));
}

/** About SAMPLE_CORNERS of them, of each plate in the same proportion. */
export function sampleOfPlates(observations: readonly GridObservation[], plateCount: number): GridObservation[] {
  const perPlate = new Int32Array(plateCount);
  for (const o of observations) perPlate[o.plate] += 1;
  const stride = Math.floor(observations.length / SAMPLE_CORNERS);
  const seen = new Int32Array(plateCount);
  return observations.filter((o) => {
    seen[o.plate] += 1;
    return isTaken(seen[o.plate], 1 / Math.max(1, Math.min(stride, perPlate[o.plate] / SAMPLE_OF_PLATE)));
  });
}
