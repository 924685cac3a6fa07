import { undistorter } from './model';
import type { Distortion } from './models';

/** A lens over a frame: distortion normalised by fxPx, fyPx about `center`, all in pixels of the recorded picture. */
export interface FrameLens {
  widthPx: number;
  heightPx: number;
  fxPx: number;
  fyPx: number;
  center: readonly [number, number];
  distortion: Distortion;
}

export interface FrameEffect {
  /** distorted minus undistorted radius of the corner that moves most, over half the diagonal, in per cent; barrel is negative */
  cornerDisplacementPct: number;
  /** pixels by which the undistorted picture sticks out of the recorded frame; width and height are those of the undistorted picture */
  overscan: { left: number; right: number; top: number; bottom: number; width: number; height: number };
  /** false when some part of the frame's border has no undistorted place (the model folds over inside the frame) */
  valid: boolean;
}

/** What a distortion does to the frame, in terms free of how its coefficients are normalised. */
export function frameEffect(lens: FrameLens): FrameEffect {
  const { widthPx: w, heightPx: h, fxPx, fyPx, center, distortion } = lens;
  const undistort = undistorter(distortion);
  const out = new Float64Array(2);
  const undistorted = (px: number, py: number): [number, number] | null => {
    if (!undistort((px - center[0]) / fxPx, (py - center[1]) / fyPx, out)) return null;
    return [center[0] + out[0] * fxPx, center[1] + out[1] * fyPx];
  };
  let valid = true;
  let left = 0,
    right = 0,
    top = 0,
    bottom = 0;
  const visit = (px: number, py: number) => {
    const u = undistorted(px, py);
    if (!u) {
      valid = false;
      return;
    }
    left = Math.max(left, -u[0]);
    right = Math.max(right, u[0] - w);
    top = Math.max(top, -u[1]);
    bottom = Math.max(bottom, u[1] - h);
  };
  const steps = 64;
  for (let i = 0; i <= steps; i += 1) {
    visit((w * i) / steps, 0);
    visit((w * i) / steps, h);
    visit(0, (h * i) / steps);
    visit(w, (h * i) / steps);
  }
  const halfDiagonal = Math.hypot(w, h) / 2;
  let cornerDisplacementPct = 0;
  for (const [px, py] of [
    [0, 0],
    [w, 0],
    [0, h],
    [w, h],
  ]) {
    const u = undistorted(px, py);
    if (!u) continue;
    const moved = ((Math.hypot(px - center[0], py - center[1]) - Math.hypot(u[0] - center[0], u[1] - center[1])) / halfDiagonal) * 100;
    if (Math.abs(moved) > Math.abs(cornerDisplacementPct)) cornerDisplacementPct = moved;
  }
  return { cornerDisplacementPct, overscan: { left, right, top, bottom, width: w + left + right, height: h + top + bottom }, valid };
}
