import { cross, FLIP, matToQuat, median, mulMat3, mulMatVec, norm, normalize, scale, sub, transpose3, umeyama, type Mat3, type Quat, type Vec3 } from '../math';
import { partOf, type PlacedPart } from './join-parts';
import { partsOf } from './parts';
import type { AnchorFacts } from '../facts';
import type { PairCandidate } from './start';
import { Reconstruction } from './reconstruction';
import { rotationOnly } from './relative-pose';

/** A turn is fixed by two directions; so many more say whether it fits. */
const FEWEST_SHARED = 5;
/** Frames back to which a turn is looked for before all others. */
const NEAR_FRAMES = 8;
/** Of the search, in octaves of the focal length: each about the best of the one before. */
const STEPS_OCTAVES = [1 / 12, 1 / 60, 1 / 300, 1 / 1500, 1 / 7500];

/**
 * Focal length at which a pure turn explains pairs of frames best, mm. From the given one an octave either way in semitones, then finer.
 * Source  a turn maps picture to picture by K R K⁻¹, which only the true focal length lets be a rotation; Hartley & Zisserman, Multiple View
 *         Geometry (2004), sec. 19.6 (calibration from rotation).
 */
export function focalOfTurn(probe: Reconstruction, pairs: readonly PairCandidate[]): number {
  const trial = new Reconstruction(probe.obs, probe.lens, probe.focalMm, probe.focalRule);
  const costOf = (focalMm: number): number => {
    trial.focalMm = focalMm;
    return pairs.reduce((sum, p) => sum + rotationOnly(trial.sharedPairs(p.a, p.b).pairs).medianSlope * trial.slopeToPx, 0);
  };
  let best = probe.focalMm;
  let least = Infinity;
  for (const octaves of STEPS_OCTAVES) {
    const around = best;
    const count = octaves === STEPS_OCTAVES[0] ? 12 : 5;
    for (let step = -count; step <= count; step += 1) {
      const focalMm = around * 2 ** (step * octaves);
      const cost = costOf(focalMm);
      if (cost < least) [least, best] = [cost, focalMm];
    }
  }
  return best;
}

/**
 * Turns of all frames, each against the one before it that shares most, and the directions of all tracks; for an adjustment to begin with.
 * A stretch that shares too little with the rest is turned onto it by the directions that both have, two of them at least.
 * Frames that share too little with any that is placed have no pose.
 * @returns the stretches; none where the shot is one piece
 */
export function startTurn(r: Reconstruction): PlacedPart[] {
  r.turnOnly = true;
  chain(
    r,
    r.poses.map((_, f) => f),
  );
  const parts = r.poses.every(Boolean) ? [] : joinTurns(r);
  r.triangulate(0, Infinity);
  return parts;
}

/** The first frame looks straight ahead, each other one as it turned against one before it. */
function chain(r: Reconstruction, frames: readonly number[]): void {
  frames.forEach((f, i) => {
    if (i === 0) {
      r.poses[f] = { rotation: [1, 0, 0, 0, 1, 0, 0, 0, 1], translation: [0, 0, 0] };
      return;
    }
    const from = bestBefore(r, f);
    if (from === null) return;
    const { rotation } = rotationOnly(r.sharedPairs(from, f).pairs);
    r.poses[f] = { rotation: mulMat3(rotation, r.poses[from]!.rotation), translation: [0, 0, 0] };
  });
}

/** A turn onto another is fixed by two directions. */
const LEAST_DIRECTIONS = 2;
/** Two nearer to each other than this are one. */
const APART_RAD = 0.02;

function joinTurns(r: Reconstruction): PlacedPart[] {
  const all = partsOf(r.obs);
  const placed = all.filter((frames) => frames.some((f) => r.poses[f])).flat();
  const open = all.filter((frames) => frames.every((f) => !r.poses[f]));
  if (placed.length === 0 || open.length === 0) return [];
  const parts: PlacedPart[] = [{ part: partOf(r, placed, 'first', null), frames: placed, leastTies: 0 }];
  for (const frames of open) {
    const there = directionsOf(
      r,
      r.poses.flatMap((p, f) => (p ? [f] : [])),
    );
    chain(r, frames);
    const here = directionsOf(r, frames);
    const turn = turnedOnto([...here].flatMap(([t, from]) => (there.has(t) ? [{ from, to: there.get(t)! }] : [])));
    for (const f of frames) {
      const pose = r.poses[f];
      // what is seen in its own world is first turned back into it
      if (pose) r.poses[f] = turn ? { rotation: mulMat3(pose.rotation, transpose3(turn)), translation: [0, 0, 0] } : null;
    }
    parts.push({ part: partOf(r, frames, turn ? 'tracks' : 'nothing', null), frames, leastTies: LEAST_DIRECTIONS });
  }
  return parts;
}

/** Mean direction of each track over some frames. */
function directionsOf(r: Reconstruction, frames: readonly number[]): Map<number, Vec3> {
  const { obs, focalMm } = r;
  const sums = new Map<number, [number, number, number]>();
  for (const f of frames) {
    const m = r.poses[f]?.rotation;
    if (!m) continue;
    for (const o of obs.byFrame[f]) {
      const [x, y] = [obs.xMm[o] / focalMm, obs.yMm[o] / focalMm];
      const n = Math.hypot(x, y, 1);
      const sum = sums.get(obs.track[o]) ?? [0, 0, 0];
      for (let k = 0; k < 3; k += 1) sum[k] += (m[k] * x + m[3 + k] * y + m[6 + k]) / n;
      sums.set(obs.track[o], sum);
    }
  }
  return new Map([...sums].map(([t, v]) => [t, normalize(v)]));
}

/** The turn that most directions agree with: of every two the one whose middle miss is least. */
function turnedOnto(pairs: readonly { from: Vec3; to: Vec3 }[]): Mat3 | null {
  let best: { turn: Mat3; miss: number } | null = null;
  const few = pairs.slice(0, 20);
  for (let a = 0; a < few.length; a += 1)
    for (let b = a + 1; b < few.length; b += 1) {
      if (Math.min(norm(cross(few[a].from, few[b].from)), norm(cross(few[a].to, few[b].to))) < APART_RAD) continue;
      const turn = turnOf([few[a], few[b]]);
      const miss = median(few.map((p) => norm(sub(mulMatVec(turn, p.from), p.to))));
      if (!best || miss < best.miss) best = { turn, miss };
    }
  if (!best) return null;
  const { turn, miss } = best;
  const kept = pairs.filter((p) => norm(sub(mulMatVec(turn, p.from), p.to)) <= Math.max(0.005, 3 * miss));
  return kept.length >= LEAST_DIRECTIONS ? turnOf(kept) : null;
}

/** Directions have no middle: with what lies opposite of each it is nought (Umeyama 1991 with neither scale nor shift). */
export function turnOf(pairs: readonly { from: Vec3; to: Vec3 }[]): Mat3 {
  const both = (of: 'from' | 'to') => pairs.flatMap((p) => [p[of], scale(p[of], -1)]);
  return umeyama(both('from'), both('to'), false).rotation;
}

/** The placed frame before it that shares most tracks, the nearest ones first: a turn over a long gap is as good, over a few tracks it is not. */
function bestBefore(r: Reconstruction, f: number): number | null {
  let best: number | null = null;
  let most = FEWEST_SHARED - 1;
  for (let g = f - 1; g >= 0; g -= 1) {
    if (!r.poses[g]) continue;
    if (f - g > NEAR_FRAMES && best !== null) break;
    const shared = r.sharedPairs(g, f).tracks.length;
    if (shared > most) [most, best] = [shared, g];
  }
  return best;
}

export interface TurnWorld {
  /** carries directions of the solve to the world */
  rotation: Mat3;
  datum: string;
}

/**
 * What is up, of a camera that has no place: by tilt and roll as they were recorded at a frame, else by its mean up. It looks along −Z there.
 * @param rotations world to camera, picture axes (x right, y down, z forward)
 */
export function uprightTurn(frames: readonly number[], rotations: readonly Mat3[], facts: AnchorFacts): TurnWorld {
  const angles = facts.cameraAngles ?? [];
  for (const { frame } of angles) {
    const at = frame === 'last' ? frames.length - 1 : frames.indexOf(frame);
    if (at < 0) continue;
    const read = (of: 'tilt' | 'roll') => angles.find((a) => a.frame === frame && a.of === of)?.rad;
    const tilt = read('tilt');
    if (tilt === undefined) continue;
    const roll = read('roll') ?? 0;
    // positive tilts the lens up, and rolls clockwise as seen from behind
    const upright = mulMat3(turnX(tilt), turnZ(-roll));
    const camera = mulMat3(transpose3(rotations[at]), FLIP);
    return {
      rotation: mulMat3(upright, transpose3(camera)),
      datum: `up by the ${read('roll') === undefined ? 'tilt' : 'tilt and roll'} recorded at ${frame === 'last' ? 'the last frame' : `frame ${frame}`}`,
    };
  }
  const up = normalize(rotations.reduce<Vec3>((s, r) => [s[0] - r[3], s[1] - r[4], s[2] - r[5]], [0, 0, 0]));
  const [first] = rotations;
  const x = normalize(cross([first[6], first[7], first[8]], up));
  const z = cross(x, up);
  return { rotation: [...x, ...up, ...z] as unknown as Mat3, datum: 'up from the camera’s mean up' };
}

const turnX = (a: number): Mat3 => [1, 0, 0, 0, Math.cos(a), -Math.sin(a), 0, Math.sin(a), Math.cos(a)];
const turnZ = (a: number): Mat3 => [Math.cos(a), -Math.sin(a), 0, Math.sin(a), Math.cos(a), 0, 0, 0, 1];

/** Camera to world of the conventions, of a turn. */
export const turnToWorld = (worldToCamera: Mat3, world: Mat3): Quat => matToQuat(mulMat3(mulMat3(world, transpose3(worldToCamera)), FLIP));
