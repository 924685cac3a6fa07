import { tableOf } from './warning';

/** Of two cameras: their rigid offset, and the sound that they share. */
export const WITNESS = tableOf({
  NOTHING_SHARED: () => 'The two solves are tied to the world by different things: their axes may differ, and the offset with them.',
  RIG_MOVED: (m: number, deg: number) =>
    `The rig moved on the way: by ${(1000 * m).toFixed(0)} mm and ${deg.toFixed(2)}° between the first half and the second. Touched, or the cameras did not run together (--frames).`,
  FRAMES_APART: (frames: number, first: number, m: number, deg: number) => `${frames} frames lie far from the others, the first at ${first}: ${(1000 * m).toFixed(0)} mm, ${deg.toFixed(2)}°.`,
  PAIR_APART: (reason: string) => `One rigid thing they were not: ${reason}. Look for the clap in both pictures, or solve the main camera by itself.`,
  SILENT: () => 'One of the recordings is silent.',
  LITTLE_IN_COMMON: () => 'The recordings have too little in common: this offset is a guess. Look for a clap in both pictures.',
  CLOCKS_DRIFT: (ppm: number, ms: number) => `The clocks drift ${ppm.toFixed(0)} parts per million apart: ${ms.toFixed(0)} ms over what both hear.`,
});
