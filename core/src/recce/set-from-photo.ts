import { distance, type Vec3 } from '../math';
import { nextMarkIds } from '../marks';
import type { MoveStation, PlannedMark, PlannedMeasures, SetPiece } from '../setup';
import type { PhotoLength, PhotoMeasure } from './measure-photo';

/** What a photo makes of an empty set. */
export interface RecceSet {
  pieces: SetPiece[];
  marks: PlannedMark[];
  ties: PlannedMeasures['ties'];
  /** where the photo was taken from */
  station: Pick<MoveStation, 'xM' | 'zM' | 'heightM' | 'headingRad' | 'tiltRad' | 'rollRad'>;
}

/** Ends that come out nearer than this are the same place, tapped twice. */
const SAME_M = 0.08;
const MARGIN_M = 1;
const MARK_DIAMETER_M = 0.02;
const POST_M = 0.1;

/** A floor that holds all ends, posts for what is upright, and a mark with its ties at each end on the floor. */
export function setFromPhoto(lengths: readonly PhotoLength[], measure: PhotoMeasure, taken: readonly string[] = []): RecceSet {
  const places: Vec3[] = [];
  const placeOf = (at: Vec3): number => {
    const there = places.findIndex((q) => distance(q, at) < SAME_M);
    if (there >= 0) return there;
    places.push(at);
    return places.length - 1;
  };
  const pairs = lengths.map((l, i) => ({ l, a: placeOf(measure.ends[i].a), b: l.kind === 'ground' ? placeOf(measure.ends[i].b) : -1 }));
  const ids = nextMarkIds(taken, places.length, 'P');
  const [x0, x1, z0, z1] = bounds(places);
  const base = { baseM: 0, turnRad: 0, moves: false, coversShare: null };
  const floor: SetPiece = {
    ...base,
    id: 'floor',
    name: 'Floor',
    kind: 'floor',
    xM: (x0 + x1) / 2,
    zM: (z0 + z1) / 2,
    widthM: x1 - x0 + 2 * MARGIN_M,
    depthM: z1 - z0 + 2 * MARGIN_M,
    heightM: 0,
    detail: 'some',
  };
  const posts = pairs
    .filter((q) => q.l.kind === 'upright')
    .map(({ l, a }, i): SetPiece => ({
      ...base,
      id: `upright-${i + 1}`,
      name: `Upright ${i + 1}`,
      kind: 'post',
      xM: places[a][0],
      zM: places[a][2],
      widthM: POST_M,
      depthM: POST_M,
      heightM: l.m,
      detail: 'some',
    }));
  return {
    pieces: [floor, ...posts],
    marks: places.map((at, i) => ({ id: ids[i], kind: 'cross', diameterM: MARK_DIAMETER_M, at: [at[0], 0.001, at[2]], normal: [0, 1, 0], pieceId: 'floor', ground: 'plain', placed: false })),
    ties: pairs.filter((q) => q.b >= 0 && q.a !== q.b).map(({ l, a, b }) => ({ a: ids[a], b: ids[b], sigmaM: l.sigmaM })),
    station: { xM: 0, zM: 0, heightM: measure.heightM, headingRad: 0, tiltRad: measure.tiltRad, rollRad: measure.rollRad },
  };
}

function bounds(places: readonly Vec3[]): [number, number, number, number] {
  const [xs, zs] = [places.map((q) => q[0]), places.map((q) => q[2])];
  return [Math.min(...xs), Math.max(...xs), Math.min(...zs), Math.max(...zs)];
}
