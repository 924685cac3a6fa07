import { lengthBetween } from '../facts';
import type { Vec3 } from '../math';

/** A place that a fact speaks of: a track's point or a frame's entrance pupil. */
export interface PlaceRef {
  kind: 'point' | 'camera';
  index: number;
}

/** One scalar fact about anchored places: value(places) should be `measured` within `sigma`. */
export interface ScalarFact {
  kind: 'level' | 'origin' | 'heading' | 'length' | 'cameraHeight' | 'distance' | 'surveyed' | 'cameraPlace';
  /** what it is about, in words: "m1–m4", "frame 1" */
  about: string;
  measuredM: number;
  sigmaM: number;
  /** a definition of the datum and not a measurement: it is not judged */
  definition: boolean;
  /** facts of one group come from one act of measuring: they hold or are wrong together. A surveyed place is three */
  group: string;
  /** which one it is in its list of the setup's facts */
  index: number;
  places: PlaceRef[];
  /** value and its derivative with respect to each place */
  evaluate(at: readonly Vec3[]): { valueM: number; gradients: Vec3[] };
}

const axisFact = (axis: 0 | 1 | 2) => (at: readonly Vec3[]) => ({ valueM: at[0][axis], gradients: [[axis === 0 ? 1 : 0, axis === 1 ? 1 : 0, axis === 2 ? 1 : 0] as Vec3] });

export function onAxis(kind: ScalarFact['kind'], about: string, place: PlaceRef, axis: 0 | 1 | 2, measuredM: number, sigmaM: number, group: string, index: number, definition = false): ScalarFact {
  return { kind, about, measuredM, sigmaM, definition, group, index, places: [place], evaluate: axisFact(axis) };
}

export function lengthFact(about: string, a: PlaceRef, b: PlaceRef, measuredM: number, sigmaM: number, group: string, index: number, kind: 'length' | 'distance' = 'length'): ScalarFact {
  return {
    kind,
    about,
    measuredM,
    sigmaM,
    definition: false,
    group,
    index,
    places: [a, b],
    evaluate: ([p, q]) => {
      const g = new Float64Array(6);
      const valueM = lengthBetween([...p, ...q], 0, 3, g);
      return {
        valueM,
        gradients: [
          [g[0], g[1], g[2]],
          [g[3], g[4], g[5]],
        ],
      };
    },
  };
}

/** The second mark lies on +X of the first: no z between them. */
export function headingFact(about: string, a: PlaceRef, b: PlaceRef, sigmaM: number): ScalarFact {
  return {
    kind: 'heading',
    about,
    measuredM: 0,
    sigmaM,
    definition: true,
    group: 'heading',
    index: 0,
    places: [a, b],
    evaluate: ([p, q]) => ({
      valueM: q[2] - p[2],
      gradients: [
        [0, 0, -1],
        [0, 0, 1],
      ],
    }),
  };
}
