import { frameEffect, isDistorted, wholeOverscan, type Distortion, type FrameLens, type Overscan } from '../lens';
import type { SolveResult } from './result';
import { readSolveSetup, type SolveSetup } from './setup';

/**
 * The camera of a solve as another program needs it: a pinhole before the undistorted picture. That picture has the recorded one's scale and
 * centre and sticks out of it by `overscan`, as the ST maps of the lens make it.
 */
export interface ShotCamera {
  /** pixels of the recorded picture; its fxPx, fyPx normalise the distortion and are not the focal length of a frame */
  lens: FrameLens;
  distorted: boolean;
  sensor: { widthMm: number; heightMm: number };
  /** effective focal length in mm times this is the focal length in pixels, across and down */
  pxPerMm: [number, number];
  principalPx: [number, number];
  overscan: Overscan;
  /** false where the model folds inside the frame, or the undistorted picture would be out of all proportion and was cut */
  whole: boolean;
  /** recorded frame and overscan, and its principal point in its own pixels */
  undistorted: { widthPx: number; heightPx: number; principalPx: [number, number] };
  /** the same, with as much added as puts the principal point in its middle: for formats that know no offset. Where its corner lies, px of `undistorted` */
  centred: { widthPx: number; heightPx: number; cornerPx: [number, number] };
}

/** Of the frame's size, on each side: a fisheye's border lies at infinity. */
const MOST_OVERSCAN = 1;

/**
 * @param solve whose distortion may follow the solved focal length instead of the one that it was found with (see LensMap)
 * @throws CoreError INVALID_OPTION as a solve of that setup does
 */
export function shotCamera(setup: SolveSetup, solve: Pick<SolveResult, 'focalMm'> & Partial<Pick<SolveResult, 'distortion' | 'found'>>): ShotCamera {
  const { map: recorded, geometry } = readSolveSetup(setup);
  // a distortion that was found with the rest stands in the result, not in the record
  const { mode, normalisedWithMm, follows: _follows, sigma: _sigma, ...found } = solve.distortion ?? { mode: 'none' as const, normalisedWithMm: 0, follows: false };
  const bent = mode === 'free' || mode === 'guided' ? { ...recorded, distortion: found as Distortion, normaliserMm: normalisedWithMm } : recorded;
  const { principalPx, squeeze } = solve.found ?? {};
  const map = {
    ...bent,
    ...(principalPx ? { cx: principalPx.x, cy: principalPx.y } : {}),
    ...(squeeze ? { pxPerMmX: (geometry.pxPerMmX * (setup.squeeze ?? 1)) / squeeze.value } : {}),
  };
  const normaliserMm = solve.distortion?.follows && solve.focalMm !== null ? solve.focalMm : map.normaliserMm;
  const { widthPx, heightPx } = geometry;
  const lens: FrameLens = { widthPx, heightPx, fxPx: normaliserMm * map.pxPerMmX, fyPx: normaliserMm * map.pxPerMmY, center: [map.cx, map.cy], distortion: map.distortion };
  const distorted = isDistorted(map.distortion);
  const effect = distorted ? frameEffect(lens) : null;
  const wanted = wholeOverscan(effect?.overscan ?? { left: 0, right: 0, top: 0, bottom: 0 });
  const cut = (px: number, of: number) => Math.min(px, Math.round(MOST_OVERSCAN * of));
  const overscan: Overscan = { left: cut(wanted.left, widthPx), right: cut(wanted.right, widthPx), top: cut(wanted.top, heightPx), bottom: cut(wanted.bottom, heightPx) };
  const whole = (effect?.valid ?? true) && (['left', 'right', 'top', 'bottom'] as const).every((side) => overscan[side] === wanted[side]);
  const undistorted = {
    widthPx: widthPx + overscan.left + overscan.right,
    heightPx: heightPx + overscan.top + overscan.bottom,
    principalPx: [map.cx + overscan.left, map.cy + overscan.top] as [number, number],
  };
  const [across, down] = undistorted.principalPx;
  // whole pixels in size; its corner may lie between those of the other picture
  const half = [Math.max(across, undistorted.widthPx - across), Math.max(down, undistorted.heightPx - down)].map((px) => Math.ceil(2 * px - 1e-9) / 2);
  return {
    lens,
    distorted,
    sensor: setup.sensor,
    pxPerMm: [map.pxPerMmX, map.pxPerMmY],
    principalPx: [map.cx, map.cy],
    overscan,
    whole,
    undistorted,
    centred: { widthPx: 2 * half[0], heightPx: 2 * half[1], cornerPx: [across - half[0], down - half[1]] },
  };
}
