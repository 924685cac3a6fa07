/** A lens as the day's list needs it. */
export interface DayLens {
  lensId: string;
  minFocalMm: number;
  maxFocalMm: number;
  closeFocusM: number | null;
  focusMatters: boolean;
}
/** What a lens is shot on: a body's mode with what multiplies the focal length. */
export interface DayCamera {
  packageId: string;
  lensId: string;
  bodyId: string;
  modeId: string;
  factor: number;
}
export interface DayPlate {
  lensId: string;
  packageId: string;
  focalMm: number;
  focusM: number | null;
  shotAt: string;
}
export interface DayShot {
  id: string;
  lensId: string;
  packageId: string;
  focalMm: number;
  /** null: at any focus */
  focusM: number | null;
  done: boolean;
}
export interface LensDay {
  shots: DayShot[];
  done: number;
  /** minutes a plate at the pace of the day, and what that leaves */
  paceMin: number;
  paceFrom: 'this day' | 'assumed';
  minutesLeft: number;
}

/** Neighbouring focal lengths of a zoom lie at most so far apart: between them the book interpolates. */
const ZOOM_STEP = 1.45;
const FAR_FOCUS_M = 5;
const NEAR_TIMES_CLOSE = 1.25;
const USUAL_CLOSE_M = 0.6;
const SAME_FOCAL = 0.03;
const SAME_FOCUS = 0.3;
/** Before there is a pace: a tripod, a focus pull, a picture. */
const USUAL_PACE_MIN = 3;
/** A longer gap is a pause. */
const PAUSE_MIN = 20;
/** A round figure on a barrel. */
const FOCUS_STEPS_M = [0.2, 0.25, 0.3, 0.35, 0.4, 0.45, 0.5, 0.6, 0.7, 0.8, 0.9, 1, 1.2, 1.5, 2, 2.5, 3, 4, 5];

/**
 * What to shoot on a lens day, lens by lens, with what is done ticked off by the plates that there are. A zoom is shot at focal lengths in
 * even steps of its logarithm, each at near and far focus unless the lens does not breathe; each lens on each mode and adapter that it is
 * mounted with.
 */
export function lensDay(lenses: readonly DayLens[], cameras: readonly DayCamera[], plates: readonly DayPlate[]): LensDay {
  const shots: DayShot[] = [];
  for (const lens of lenses) {
    const mounted = distinct(cameras.filter((c) => c.lensId === lens.lensId));
    for (const camera of mounted) {
      const sameCamera = cameras.filter((c) => c.lensId === lens.lensId && sameSight(c, camera)).map((c) => c.packageId);
      const mine = plates.filter((p) => p.lensId === lens.lensId && sameCamera.includes(p.packageId));
      for (const focalMm of focalSteps(lens)) {
        for (const focusM of focusSteps(lens)) {
          const done = mine.some((p) => Math.abs(p.focalMm / focalMm - 1) < SAME_FOCAL && (focusM === null || (p.focusM !== null && Math.abs(Math.log(p.focusM / focusM)) < SAME_FOCUS)));
          shots.push({ id: [lens.lensId, camera.packageId, focalMm, focusM ?? 'any'].join(' '), lensId: lens.lensId, packageId: camera.packageId, focalMm, focusM, done });
        }
      }
    }
  }
  const pace = paceOf(plates);
  const left = shots.filter((s) => !s.done).length;
  return { shots, done: shots.length - left, paceMin: pace ?? USUAL_PACE_MIN, paceFrom: pace === null ? 'assumed' : 'this day', minutesLeft: left * (pace ?? USUAL_PACE_MIN) };
}

const sameSight = (a: DayCamera, b: DayCamera) => a.bodyId === b.bodyId && a.modeId === b.modeId && Math.abs(a.factor - b.factor) < 0.003;
const distinct = (cameras: readonly DayCamera[]) => cameras.filter((c, i) => cameras.findIndex((q) => sameSight(q, c)) === i);

function focalSteps(lens: DayLens): number[] {
  const { minFocalMm: a, maxFocalMm: b } = lens;
  if (b <= a * 1.001) return [a];
  const steps = Math.max(1, Math.ceil(Math.log(b / a) / Math.log(ZOOM_STEP)));
  return Array.from({ length: steps + 1 }, (_, i) => (i === 0 ? a : i === steps ? b : Math.round(a * (b / a) ** (i / steps))));
}

function focusSteps(lens: DayLens): (number | null)[] {
  if (!lens.focusMatters) return [null];
  const near = (lens.closeFocusM ?? USUAL_CLOSE_M) * NEAR_TIMES_CLOSE;
  return [FOCUS_STEPS_M.find((s) => s >= near * 0.98) ?? Math.ceil(near), FAR_FOCUS_M];
}

/** Minutes from plate to plate over the last hours, pauses left out; null before there are three. */
function paceOf(plates: readonly DayPlate[]): number | null {
  const times = plates
    .map((p) => Date.parse(p.shotAt) / 60_000)
    .filter(Number.isFinite)
    .sort((a, b) => a - b);
  const gaps = times
    .slice(1)
    .map((t, i) => t - times[i])
    .filter((g) => g > 0.05 && g <= PAUSE_MIN)
    .slice(-12);
  if (gaps.length < 2) return null;
  const sorted = [...gaps].sort((a, b) => a - b);
  return sorted[Math.floor(sorted.length / 2)];
}
