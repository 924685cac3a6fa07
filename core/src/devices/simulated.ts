import { seededNormal, seededRandom } from '../math';
import { formatLength, formatTimecode, frameTimecode, radToDeg, type LengthUnit } from '../units';

/**
 * Stand-ins for instruments of a set, for trying the work without them. Each answers with the text that its display would show, as a true
 * value with the instrument's noise; now and then it fails as such things fail: no echo, a display in another unit, a number without one.
 * A reading is determined by the seed and its count, so that a test knows what comes.
 */
export interface SimulatedReading {
  /** what the display shows; null when there was no reading */
  text: string | null;
  /** why there was none */
  failure: string | null;
}

/** The dice of one reading: another stream for every count and channel. */
const stream = (seed: number, count: number, channel = 0): number => (Math.imul(count + 1, 0x9e3779b9) ^ Math.imul(seed + 101 * channel + 1, 0x85ebca6b)) >>> 0;
const chanceOf = (seed: number, count: number): number => seededRandom(stream(seed, count, 9))();
const normal = (seed: number, count: number, channel = 0): number => seededNormal(stream(seed, count, channel))();

const failed = (failure: string): SimulatedReading => ({ text: null, failure });
const shown = (text: string): SimulatedReading => ({ text, failure: null });

/** one sigma, as such instruments state half of their tolerance */
export const SIMULATED_SIGMA = { distanceM: 0.001, angleRad: 0.0017, pointM: 0.0015 } as const;
const DROPOUT = 0.12;
const WRONG_UNIT = 0.1;
const NO_UNIT = 0.06;

/** A laser distance meter: a millimetre of noise; every eighth shot finds no echo, every tenth shows feet, some no unit at all. */
export function simulateDistance(trueM: number, seed: number, count: number, unit: LengthUnit = 'm'): SimulatedReading {
  const chance = chanceOf(seed, count);
  if (chance < DROPOUT) return failed('no echo: aim at a matt surface, or hold a card before the mark');
  const m = Math.max(0.05, trueM + SIMULATED_SIGMA.distanceM * normal(seed, count));
  if (chance < DROPOUT + WRONG_UNIT) return shown(formatLength(m, unit === 'ft' ? 'm' : 'ft'));
  return shown(chance > 1 - NO_UNIT ? m.toFixed(3) : formatLength(m, unit));
}

/** A digital inclinometer: a tenth of a degree; it refuses while the head still moves. */
export function simulateAngle(trueRad: number, seed: number, count: number): SimulatedReading {
  if (chanceOf(seed, count) < DROPOUT) return failed('it still moves: wait until the number stands');
  return shown(`${radToDeg(trueRad + SIMULATED_SIGMA.angleRad * normal(seed, count)).toFixed(1)}°`);
}

/** A total station: one point in its own frame, metres; none when the prism is hidden. */
export function simulatePoint(trueM: readonly [number, number, number], seed: number, count: number): { at: [number, number, number] | null; failure: string | null } {
  if (chanceOf(seed, count) < DROPOUT) return { at: null, failure: 'the prism is hidden' };
  return { at: [0, 1, 2].map((axis) => trueM[axis] + SIMULATED_SIGMA.pointM * normal(seed, count, axis)) as [number, number, number], failure: null };
}

/** A timecode clock: time of day in frames, a frame or two late as such links are; now and then out of reach. */
export function simulateClock(secondsOfDay: number, fps: number, seed: number, count: number): SimulatedReading {
  const chance = chanceOf(seed, count);
  if (chance < DROPOUT) return failed('the clock is out of reach: hold the phone closer');
  const late = chance > 0.6 ? 1 : 0;
  return shown(formatTimecode(frameTimecode(Math.floor(secondsOfDay * Math.round(fps)) - late, fps)));
}

/** One frame of what a camera tells of itself. What it did not tell is null. */
export interface CameraFrame {
  frame: number;
  timecode: string;
  focalMm: number | null;
  focusM: number | null;
  stop: number | null;
  iso: number | null;
  shutterDeg: number | null;
}
export interface CameraScene {
  fps: number;
  startFrame: number;
  frames: number;
  focalMm: number;
  /** at the end of a zoom in the middle third */
  focalEndMm: number;
  focusM: number;
  focusEndM: number;
  stop: number;
  iso: number;
  shutterDeg: number;
}

/** The frames of one take: the zoom in its middle third, focus throughout; single frames without lens data, and one stretch lost. */
export function simulateCameraFrame(scene: CameraScene, frame: number, seed: number): CameraFrame {
  const share = scene.frames > 1 ? frame / (scene.frames - 1) : 0;
  const zoom = Math.min(1, Math.max(0, 3 * share - 1));
  const smooth = zoom * zoom * (3 - 2 * zoom);
  const lost = chanceOf(seed, frame) < 0.04;
  const jitter = (relative: number, channel: number) => 1 + relative * normal(seed, frame, channel);
  return {
    frame,
    timecode: formatTimecode(frameTimecode(scene.startFrame + frame, scene.fps)),
    focalMm: lost ? null : (scene.focalMm + (scene.focalEndMm - scene.focalMm) * smooth) * jitter(0.0005, 1),
    focusM: lost ? null : (scene.focusM + (scene.focusEndM - scene.focusM) * share) * jitter(0.002, 2),
    stop: lost ? null : scene.stop,
    iso: scene.iso,
    shutterDeg: scene.shutterDeg,
  };
}
