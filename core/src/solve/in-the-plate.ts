import { coefficientsOf, distortWith } from '../lens';
import { quatToMat, type Vec3 } from '../math';
import { shotCamera } from './shot-camera';
import type { SolveResult } from './result';
import type { SolveSetup } from './setup';

export type InPicture = (place: Vec3) => [number, number] | null;

/**
 * Where a place of a solve's world is in the recorded picture of a frame, px, drawn through the distortion; null behind the camera or where the lens
 * ends. Null for a frame that was not solved.
 */
export function pictureOf(setup: SolveSetup, solve: SolveResult): (frame: number) => InPicture | null {
  const { lens, pxPerMm } = shotCamera(setup, solve);
  const coefficients = coefficientsOf(lens.distortion);
  const out = new Float64Array(2);
  const byFrame = new Map(solve.frames.map((f) => [f.frame, f]));
  return (frame) => {
    const f = byFrame.get(frame);
    if (!f) return null;
    const m = quatToMat(f.rotation);
    const [nx, ny] = [(f.focalMm * pxPerMm[0]) / lens.fxPx, (f.focalMm * pxPerMm[1]) / lens.fyPx];
    return (place) => {
      const d = place.map((v, k) => v - f.position[k]);
      // the camera looks along its −Z with its +Y up
      const [right, up, back] = [0, 1, 2].map((k) => m[k] * d[0] + m[3 + k] * d[1] + m[6 + k] * d[2]);
      if (back > -1e-9) return null;
      distortWith(lens.distortion.model, coefficients, (nx * right) / -back, (ny * -up) / -back, out, null, null);
      return Number.isFinite(out[0]) ? [lens.center[0] + lens.fxPx * out[0], lens.center[1] + lens.fyPx * out[1]] : null;
    };
  };
}

/** Straight things that stand in the world, as lines of places near enough to each other that a bent picture shows them bent. */
export type StandingLines = Vec3[][];
const STEPS = 10;
const line = (a: Vec3, b: Vec3): Vec3[] => Array.from({ length: STEPS + 1 }, (_, i) => a.map((v, k) => v + ((b[k] - v) * i) / STEPS) as unknown as Vec3);

/** The twelve edges of an upright cube that stands on a place with the middle of its base; the four of the base come first. */
export function standingBox([x, y, z]: Vec3, size: number): StandingLines {
  const h = size / 2;
  const ring = (up: number): Vec3[] => [[x - h, y + up, z - h], [x + h, y + up, z - h], [x + h, y + up, z + h], [x - h, y + up, z + h]]; // prettier-ignore
  const [low, high] = [ring(0), ring(size)];
  const round = (r: Vec3[]) => r.map((p, i) => line(p, r[(i + 1) % 4]));
  return [...round(low), ...round(high), ...low.map((p, i) => line(p, high[i]))];
}

/** A level grid of so many squares each way about a place. */
export function levelGrid([x, y, z]: Vec3, cell: number, cells: number): StandingLines {
  const reach = (cell * cells) / 2;
  return Array.from({ length: cells + 1 }, (_, i) => -reach + i * cell).flatMap((o) => [line([x + o, y, z - reach], [x + o, y, z + reach]), line([x - reach, y, z + o], [x + reach, y, z + o])]);
}

export interface Slip {
  /** root mean square over the frames in which the track is, px of the recorded picture */
  rmsPx: number;
  worstPx: number;
  worstFrame: number;
  byFrame: { frame: number; px: number }[];
}

/** How far what stands on a solved point is from the feature itself, frame by frame; null where no frame has both. */
export function slipOf(project: ReturnType<typeof pictureOf>, point: Vec3, track: readonly { frame: number; x: number; y: number }[]): Slip | null {
  const byFrame = track.flatMap(({ frame, x, y }) => {
    const at = project(frame)?.(point);
    return at ? [{ frame, px: Math.hypot(at[0] - x, at[1] - y) }] : [];
  });
  if (byFrame.length === 0) return null;
  const worst = byFrame.reduce((a, b) => (b.px > a.px ? b : a));
  return { rmsPx: Math.sqrt(byFrame.reduce((s, f) => s + f.px ** 2, 0) / byFrame.length), worstPx: worst.px, worstFrame: worst.frame, byFrame };
}
