import { matToQuat, mulMat3, normalize, cross, transpose3, type Mat3, type Quat, type Vec3 } from '../math';
import type { AnchorFacts } from './setup';
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
 * Frames that share too little with any that is placed have no pose.
 */
export function startTurn(r: Reconstruction): void {
  r.turnOnly = true;
  r.poses.forEach((_, f) => {
    if (f === 0) {
      r.poses[0] = { rotation: [1, 0, 0, 0, 1, 0, 0, 0, 1], translation: [0, 0, 0] };
      return;
    }
    const from = bestBefore(r, f);
    if (from === null) return;
    const { rotation } = rotationOnly(r.sharedPairs(from, f).pairs);
    r.poses[f] = { rotation: mulMat3(rotation, r.poses[from]!.rotation), translation: [0, 0, 0] };
  });
  r.triangulate(0, Infinity);
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

/** Picture axes to the conventions' camera: x right, y up, looking along −z. */
const FLIP: Mat3 = [1, 0, 0, 0, -1, 0, 0, 0, -1];
const turnX = (a: number): Mat3 => [1, 0, 0, 0, Math.cos(a), -Math.sin(a), 0, Math.sin(a), Math.cos(a)];
const turnZ = (a: number): Mat3 => [Math.cos(a), -Math.sin(a), 0, Math.sin(a), Math.cos(a), 0, 0, 0, 1];

/** Camera to world of the conventions, of a turn. */
export const turnToWorld = (worldToCamera: Mat3, world: Mat3): Quat => matToQuat(mulMat3(mulMat3(world, transpose3(worldToCamera)), FLIP));
