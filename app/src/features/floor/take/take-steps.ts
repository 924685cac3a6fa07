import { shutterDeg } from '@mesure/core';
import type { TakeBody, TakeFieldKey } from '@mesure/contract';

/** Third stops, ISO steps, frame rates and shutter angles as cameras and lenses have them; a step goes to the next one. */
const STOPS = [1, 1.1, 1.3, 1.4, 1.6, 1.8, 2, 2.2, 2.5, 2.8, 3.2, 3.5, 4, 4.5, 5, 5.6, 6.3, 7.1, 8, 9, 10, 11, 13, 14, 16, 18, 20, 22];
const ISO = [100, 125, 160, 200, 250, 320, 400, 500, 640, 800, 1000, 1280, 1600, 2000, 2560, 3200, 4000, 5000, 6400, 12_800, 25_600];
const RATES = [12, 23.976, 24, 25, 29.97, 30, 47.952, 48, 50, 59.94, 60, 96, 100, 120];
const ANGLES = [11.25, 22.5, 45, 90, 120, 144, 172.8, 180, 270, 360];

export type Direction = 1 | -1;
interface StepContext {
  fps: number;
  lens: { minFocalMm: number; maxFocalMm: number } | null;
}
type Step = (take: TakeBody, direction: Direction, context: StepContext) => Partial<TakeBody> | null;

const inSeries = (series: readonly number[], value: number | null | undefined, usual: number, direction: Direction): number => {
  if (value === null || value === undefined) return usual;
  const near = 1e-6 * value;
  return (direction > 0 ? series.find((v) => v > value + near) : [...series].reverse().find((v) => v < value - near)) ?? value;
};
const count =
  (key: 'take' | 'zoomFrom' | 'zoomTo', min: number): Step =>
  (take, direction) => ({ [key]: Math.max(min, (take[key] ?? min - direction) + direction) });
const focal =
  (key: 'focalMm' | 'focalEndMm'): Step =>
  (take, direction, { lens }) => {
    const value = Math.round(take[key] ?? take.focalMm) + direction;
    const inLens = lens ? Math.min(lens.maxFocalMm, Math.max(lens.minFocalMm, value)) : Math.max(1, value);
    return { [key]: inLens };
  };
const FOCUS_STEP_M = 0.05;
const focus =
  (key: 'focusM' | 'focusEndM'): Step =>
  (take, direction) => {
    const now = take[key] ?? take.focusM;
    return { [key]: now === null || now === undefined ? 2 : Math.max(FOCUS_STEP_M, Number((now + direction * FOCUS_STEP_M).toFixed(4))) };
  };

/** The values that a wheel holds, what it stands at, and the change that one of them makes. */
interface Series {
  values: readonly number[];
  usual: (context: StepContext) => number;
  of: (take: TakeBody, context: StepContext) => number | null;
  pick: (value: number) => Partial<TakeBody>;
  text: (value: number) => string;
}
const plain = (key: 'stop' | 'iso' | 'fps', values: readonly number[], usual: Series['usual']): Series => ({
  values,
  usual,
  of: (t) => t[key] ?? null,
  pick: (value) => ({ [key]: value }),
  text: String,
});
const SERIES: Partial<Record<TakeFieldKey, Series>> = {
  stop: plain('stop', STOPS, () => 4),
  iso: plain('iso', ISO, () => 800),
  fps: plain('fps', RATES, ({ fps }) => fps),
  shutter: {
    values: ANGLES,
    usual: () => 180,
    of: (t, { fps }) => (t.shutter ? shutterDeg(t.shutter, t.fps ?? fps) : null),
    pick: (deg) => ({ shutter: { by: 'angle', deg } }),
    text: (deg) => `${deg}°`,
  },
};
/** The series of a field, for a wheel; undefined for one that has none. */
export const seriesOf = (key: TakeFieldKey): Series | undefined => SERIES[key];

const series =
  (key: TakeFieldKey): Step =>
  (take, direction, context) => {
    const s = SERIES[key]!;
    return s.pick(inSeries(s.values, s.of(take, context), s.usual(context), direction));
  };

const STEPS: Partial<Record<TakeFieldKey, Step>> = {
  take: count('take', 1),
  zoomFrom: count('zoomFrom', 0),
  zoomTo: count('zoomTo', 0),
  focalMm: focal('focalMm'),
  focalEndMm: focal('focalEndMm'),
  focusM: focus('focusM'),
  focusEndM: focus('focusEndM'),
  stop: series('stop'),
  iso: series('iso'),
  fps: series('fps'),
  shutter: series('shutter'),
};
/** Steps of a field; undefined for one that has none. */
export const stepOf = (key: TakeFieldKey): Step | undefined => STEPS[key];
