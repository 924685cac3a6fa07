import { simulateShot, type SimulatedShot } from '@mesure/synthetic';
import { SETS, type DemoSet } from './sets';

export interface DemoShot {
  set: DemoSet;
  frames: number;
  trueFocalMm: number;
  sensorWidthMm: number;
  sensorHeightMm: number;
  widthPx: number;
  heightPx: number;
  k: [number, number, number];
  shot: SimulatedShot;
}

interface Move {
  set: DemoSet;
  frames: number;
  trueFocalMm: number;
  mode: keyof typeof MODES;
  k: [number, number, number];
  path: (t: number) => readonly [number, number, number];
  aim: (t: number) => readonly [number, number, number];
  seed: number;
}

export const MODES = {
  tarvik4k: { widthPx: 4096, heightPx: 2160, sensorWidthMm: 24, sensorHeightMm: 12.66 },
  pellonUhd: { widthPx: 3840, heightPx: 2160, sensorWidthMm: 23.04, sensorHeightMm: 12.96 },
  eldin43: { widthPx: 3840, heightPx: 3200, sensorWidthMm: 22.5, sensorHeightMm: 18.75 },
  pellonHd: { widthPx: 1920, heightPx: 1080, sensorWidthMm: 11.52, sensorHeightMm: 6.48 },
} as const;

/** The lenses as they really are; the wrangler's plates of them are rendered with the same numbers. */
export const TRUE_LENSES = {
  /** on A-cam the ×0.71 reducer is mounted, and nobody wrote it down */
  orrinel32: { markedMm: 32, effectiveMm: 32 * 0.71, k: [-0.045, 0.006, 0] as [number, number, number] },
  orrinel25: { markedMm: 25, effectiveMm: 25, k: [-0.06, 0.008, 0] as [number, number, number] },
};

function film(move: Move): DemoShot {
  const mode = MODES[move.mode];
  const shot = simulateShot({
    ...mode,
    focalMm: move.trueFocalMm,
    k: move.k,
    frames: move.frames,
    path: move.path,
    aim: move.aim,
    noisePx: 0.45,
    seed: move.seed,
    points: [...move.set.marks, ...move.set.features, ...move.set.moving],
  });
  return { ...move, ...mode, shot };
}

/** Dolly to the right with a little rise: the take with the forgotten reducer. */
export const galleyDolly = () =>
  film({
    set: SETS.galley,
    frames: 120,
    trueFocalMm: TRUE_LENSES.orrinel32.effectiveMm,
    mode: 'tarvik4k',
    k: TRUE_LENSES.orrinel32.k,
    seed: 101,
    path: (t) => [-0.9 + 1.8 * t, 1.402 + 0.12 * t * t, 1.3 - 0.25 * t],
    aim: (t) => [0.1 * t, 0.9, -3.6],
  });
/** Small crane on the jetty: everything as written down. */
export const jettyCrane = () =>
  film({
    set: SETS.jetty,
    frames: 96,
    trueFocalMm: TRUE_LENSES.orrinel25.effectiveMm,
    mode: 'pellonUhd',
    k: TRUE_LENSES.orrinel25.k,
    seed: 202,
    path: (t) => [-0.7 + 1.2 * t, 1.15 + 0.7 * t, 1.2 - 0.3 * t],
    aim: () => [0.1, 0.8, -3.8],
  });
/** A tripod pan in the passage: no parallax, so no depth. */
export const passagePan = () =>
  film({
    set: SETS.passage,
    frames: 72,
    trueFocalMm: TRUE_LENSES.orrinel25.effectiveMm,
    mode: 'pellonUhd',
    k: TRUE_LENSES.orrinel25.k,
    seed: 303,
    path: () => [0, 1.52, 1.1],
    aim: (t) => [-0.8 + 1.6 * t, 1, -3.6],
  });

export function tracksCsv(shot: Pick<SimulatedShot, 'tracks'>): string {
  const rows = [...shot.tracks].sort((a, b) => (a.track < b.track ? -1 : a.track > b.track ? 1 : a.frame - b.frame));
  return `track,frame,x,y\n${rows.map((r) => `${r.track},${r.frame},${r.x.toFixed(4)},${r.y.toFixed(4)}`).join('\n')}\n`;
}

export const markOf = (set: DemoSet, id: string): readonly [number, number, number] => {
  const mark = set.marks.find((m) => m.id === id);
  if (!mark) throw new Error(`There is no mark ${id} in ${set.name}`);
  return mark.at;
};
