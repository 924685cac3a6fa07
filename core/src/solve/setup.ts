import type { RadialDistortion } from '../distortion';
import { CoreError } from '../errors';
import { pictureGeometry, type OpticsInput, type PictureGeometry } from '../optics';

export interface AnchorFacts {
  level?: readonly string[];
  origin?: string;
  heading?: readonly [string, string];
  lengths?: readonly { a: string; b: string; m: number; sigmaM?: number }[];
  cameraHeights?: readonly { frame: number; m: number; sigmaM?: number }[];
  points?: readonly { track: string; x: number; y: number; z: number; sigmaM?: number }[];
}

/** The setup of conventions.md, as far as a solve reads it. */
export interface SolveSetup extends OpticsInput {
  fps?: number;
  focal: { mode?: 'held' | 'guided' | 'free' | 'zoom'; mm: number; sigmaMm?: number };
  distortion?: { mode?: 'held' | 'guided' | 'free' | 'none'; model?: string; k?: readonly number[]; p?: readonly number[]; center?: readonly [number, number] };
  motion?: 'free' | 'pan' | 'object';
  anchors?: AnchorFacts;
}

/**
 * How mm on the sensor become pixels. The held distortion was measured as a map of the picture, with coefficients normalised by the
 * recorded focal length: it stays fixed in the picture (`normaliserMm` = recorded) while the solved focal length moves. `follows`:
 * the coefficients were normalised with the true focal length instead, and the map follows the solved one.
 */
export interface LensMap {
  cx: number;
  cy: number;
  pxPerMmX: number;
  pxPerMmY: number;
  distortion: RadialDistortion;
  normaliserMm: number;
  follows: boolean;
}

export interface SolveLens {
  geometry: PictureGeometry;
  map: LensMap;
  recordedMm: number;
  hasDistortion: boolean;
}

/** @throws CoreError INVALID_OPTION for what this solver does not do, with the field's path */
export function readSolveSetup(setup: SolveSetup): SolveLens {
  const geometry = pictureGeometry(setup);
  const focalMode = setup.focal.mode ?? 'held';
  if (!['held', 'guided', 'free'].includes(focalMode)) throw new CoreError('INVALID_OPTION', `focal.mode is "${focalMode}"; this solve knows held, guided and free`, 'focal.mode');
  if (focalMode === 'guided' && !((setup.focal.sigmaMm ?? 0) > 0)) throw new CoreError('INVALID_OPTION', 'focal.sigmaMm must be above 0 when the focal length is guided', 'focal.sigmaMm');
  const d = setup.distortion ?? { mode: 'none' };
  const mode = d.mode ?? 'held';
  if (!['held', 'none'].includes(mode)) throw new CoreError('INVALID_OPTION', `distortion.mode is "${mode}"; this solve knows held and none`, 'distortion.mode');
  if (mode === 'held' && d.model !== undefined && d.model !== 'radial') throw new CoreError('INVALID_OPTION', `distortion.model is "${d.model}"; this solve knows radial`, 'distortion.model');
  if (setup.motion !== undefined && setup.motion !== 'free') throw new CoreError('INVALID_OPTION', `motion is "${setup.motion}"; this solve knows free`, 'motion');
  const coefficient = (list: readonly number[] | undefined, i: number, field: string) => {
    const v = list?.[i] ?? 0;
    if (!Number.isFinite(v)) throw new CoreError('NON_FINITE_INPUT', `${field}[${i}] must be a number`, `${field}[${i}]`);
    return v;
  };
  const distortion: RadialDistortion =
    mode === 'none'
      ? { k: [0, 0, 0], p: [0, 0] }
      : {
          k: [coefficient(d.k, 0, 'distortion.k'), coefficient(d.k, 1, 'distortion.k'), coefficient(d.k, 2, 'distortion.k')],
          p: [coefficient(d.p, 0, 'distortion.p'), coefficient(d.p, 1, 'distortion.p')],
        };
  const center = mode === 'held' && d.center ? d.center : [geometry.centerXPx, geometry.centerYPx];
  return {
    geometry,
    recordedMm: geometry.effectiveFocalMm,
    hasDistortion: [...distortion.k, ...distortion.p].some((v) => v !== 0),
    map: { cx: center[0], cy: center[1], pxPerMmX: geometry.pxPerMmX, pxPerMmY: geometry.pxPerMmY, distortion, normaliserMm: geometry.effectiveFocalMm, follows: false },
  };
}
