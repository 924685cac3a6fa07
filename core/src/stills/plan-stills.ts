import { CoreError } from '../errors';
import type { Vec3 } from '../math';
import { computeOptics, type OpticsInput } from '../optics';
import { fromPiece, type SetPiece } from '../setup';

/** Where a still is taken from and which way. Angles as of a camera move: heading 0 looks along −Z, positive to the left. */
export interface StillStation {
  at: Vec3;
  headingRad: number;
  tiltRad: number;
  /** one more, from between two others whose pictures did not tie: their indices */
  between?: readonly [number, number];
}

export interface StillsWalk {
  stations: StillStation[];
  /** from one to the next, m; 0 on the spot */
  stepM: number;
  /** between two neighbours, degrees; 0 along a flat thing */
  stepDeg: number;
  /** what one picture covers at the subject, m */
  coversM: number;
}

/** Overlap that ties neighbouring pictures together, share of the width. */
export const STILLS_OVERLAP = 0.25;
/** Round a thing: never fewer for the whole circle, never further apart. */
const FEWEST_ROUND = 16;
const WIDEST_STEP_DEG = 20;
const MOST_STATIONS = 500;
const DEG = Math.PI / 180;

function viewOf(optics: OpticsInput): { tanX: number; fovXRad: number } {
  const o = computeOptics(optics);
  const tanX = optics.image.width / 2 / o.fxPx;
  return { tanX, fovXRad: 2 * Math.atan(tanX) };
}

/** Steps that cover a way; rounding must not ask for one more picture. */
const stepsIn = (wayM: number, stepM: number): number => Math.ceil(wayM / stepM - 1e-9);

function overlapOf(overlap: number): number {
  if (!(overlap >= 0.1 && overlap <= 0.9)) throw new CoreError('INVALID_OPTION', `An overlap of ${overlap} does not lie between 0.1 and 0.9`, 'overlap');
  return overlap;
}

/**
 * Along the front of a flat thing, square-on, at a distance: a picture covers w = 2 d tan(fov/2), the step is w (1 − overlap), and
 * ⌈(W − w) / step⌉ + 1 pictures reach from edge to edge.
 * @throws CoreError INVALID_OPTION
 */
export function stillsAlong(piece: SetPiece, distanceM: number, heightM: number, optics: OpticsInput, overlap = STILLS_OVERLAP): StillsWalk {
  if (!(distanceM > 0)) throw new CoreError('INVALID_OPTION', `The distance is ${distanceM} m; it must be above 0`, 'distanceM');
  const coversM = 2 * distanceM * viewOf(optics).tanX;
  const stepM = coversM * (1 - overlapOf(overlap));
  const count = piece.widthM <= coversM ? 1 : stepsIn(piece.widthM - coversM, stepM) + 1;
  if (count > MOST_STATIONS) throw new CoreError('INVALID_OPTION', `${count} pictures would be needed; stand further away than ${distanceM} m`, 'distanceM');
  // evenly, so that the first and the last picture end at the edges
  const even = count > 1 ? (piece.widthM - coversM) / (count - 1) : 0;
  const stations = Array.from({ length: count }, (_, i): StillStation => {
    const across = count > 1 ? -piece.widthM / 2 + coversM / 2 + i * even : 0;
    const at = fromPiece(piece, [across, 0, piece.depthM / 2 + distanceM]);
    return { at: [at[0], heightM, at[2]], headingRad: piece.turnRad, tiltRad: 0 };
  });
  return { stations, stepM: even, stepDeg: 0, coversM };
}

/** Round a thing at a distance from its middle, all looking at it: 16 at least, 20 degrees apart at most. */
export function stillsRound(piece: SetPiece, distanceM: number, heightM: number, optics: OpticsInput, everyDeg = WIDEST_STEP_DEG): StillsWalk {
  const least = Math.hypot(piece.widthM, piece.depthM) / 2;
  if (!(distanceM > least)) throw new CoreError('INVALID_OPTION', `From ${distanceM} m one stands inside ${piece.name}; go beyond ${least.toFixed(2)} m`, 'distanceM');
  if (!(everyDeg > 0)) throw new CoreError('INVALID_OPTION', 'The step must be above 0 degrees', 'everyDeg');
  const count = Math.max(FEWEST_ROUND, Math.ceil(360 / Math.min(everyDeg, WIDEST_STEP_DEG) - 1e-9));
  if (count > MOST_STATIONS) throw new CoreError('INVALID_OPTION', `${count} pictures are more than anybody takes; a wider step`, 'everyDeg');
  const middle = piece.baseM + piece.heightM / 2;
  const stations = Array.from({ length: count }, (_, i): StillStation => {
    const a = (2 * Math.PI * i) / count;
    return { at: [piece.xM + distanceM * Math.sin(a), heightM, piece.zM + distanceM * Math.cos(a)], headingRad: a, tiltRad: Math.atan2(middle - heightM, distanceM) };
  });
  return { stations, stepM: 2 * distanceM * Math.sin(Math.PI / count), stepDeg: 360 / count, coversM: 2 * distanceM * viewOf(optics).tanX };
}

/** A room: on the spot in its middle all round with overlap, then from each wall inwards, as far apart as a picture covers of the opposite wall less the overlap. */
export function stillsRoom(floor: SetPiece, heightM: number, optics: OpticsInput, overlap = STILLS_OVERLAP): StillsWalk {
  const { fovXRad, tanX } = viewOf(optics);
  const turn = fovXRad * (1 - overlapOf(overlap));
  const round = Math.ceil((2 * Math.PI) / turn);
  const stations: StillStation[] = Array.from({ length: round }, (_, i) => {
    const at = fromPiece(floor, [0, 0, 0]);
    return { at: [at[0], heightM, at[2]], headingRad: floor.turnRad + (2 * Math.PI * i) / round, tiltRad: 0 };
  });
  const [w, d] = [floor.widthM, floor.depthM];
  let coversM = Infinity;
  for (const side of [0, 1, 2, 3]) {
    // along this wall, looking at the opposite one
    const [along, across] = side % 2 === 0 ? [w, d] : [d, w];
    const covers = 2 * across * tanX;
    coversM = Math.min(coversM, covers);
    const count = Math.max(2, stepsIn(along - covers, covers * (1 - overlap)) + 1);
    for (let i = 0; i < count; i += 1) {
      const offset = along * ((i + 0.5) / count - 0.5);
      const own: Vec3 = side === 0 ? [offset, 0, d / 2 - 0.2] : side === 1 ? [w / 2 - 0.2, 0, offset] : side === 2 ? [offset, 0, -d / 2 + 0.2] : [-w / 2 + 0.2, 0, offset];
      const at = fromPiece(floor, own);
      stations.push({ at: [at[0], heightM, at[2]], headingRad: floor.turnRad + [0, 90, 180, 270][side] * DEG, tiltRad: 0 });
    }
  }
  if (stations.length > MOST_STATIONS) throw new CoreError('INVALID_OPTION', `${stations.length} pictures would be needed; a wider lens`, 'optics');
  return { stations, stepM: 0, stepDeg: turn / DEG, coversM };
}

/** In how many pictures each place lies; a key thing should be in three. Nothing hides anything here. */
export function timesSeen(places: readonly Vec3[], stations: readonly StillStation[], optics: OpticsInput): number[] {
  const o = computeOptics(optics);
  const [tanX, tanY] = [optics.image.width / 2 / o.fxPx, optics.image.height / 2 / o.fyPx];
  return places.map((p) => {
    let seen = 0;
    for (const s of stations) {
      const d = [p[0] - s.at[0], p[1] - s.at[1], p[2] - s.at[2]];
      const [ch, sh, ct, st] = [Math.cos(s.headingRad), Math.sin(s.headingRad), Math.cos(s.tiltRad), Math.sin(s.tiltRad)];
      const level = -(sh * d[0] + ch * d[2]);
      const right = ch * d[0] - sh * d[2];
      const forward = ct * level + st * d[1];
      const up = ct * d[1] - st * level;
      if (forward > 0 && Math.abs(right) <= tanX * forward && Math.abs(up) <= tanY * forward) seen += 1;
    }
    return seen;
  });
}

/** A place for one more picture in the middle between two stations, looking half way from one to the other. */
export function stationBetween(stations: readonly StillStation[], a: number, b: number): StillStation {
  const [p, q] = [stations[a], stations[b]];
  // the shorter way round
  const turn = Math.atan2(Math.sin(q.headingRad - p.headingRad), Math.cos(q.headingRad - p.headingRad));
  return {
    at: [(p.at[0] + q.at[0]) / 2, (p.at[1] + q.at[1]) / 2, (p.at[2] + q.at[2]) / 2],
    headingRad: p.headingRad + turn / 2,
    tiltRad: (p.tiltRad + q.tiltRad) / 2,
    between: [a, b],
  };
}

/** What a station is called: its number, or the two that it stands between. */
export function stationNames(stations: readonly StillStation[]): string[] {
  const names: string[] = [];
  stations.forEach((s, i) => names.push(s.between ? `${names[s.between[0]]}–${names[s.between[1]]}` : String(i + 1)));
  return names;
}
