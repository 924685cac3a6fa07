import { roomPanels, type Panel, type StillCamera } from './room-rays';
import type { ClipScene } from './rendered-clip';

/** A room with two boards that stand free in it. */
const ROOM: Panel[] = [
  ...roomPanels(6, 6, 3, 11),
  { corner: [-0.8, 0, -1.5], along: [0.6, 0, 0], up: [0, 1.1, 0], pattern: 30 },
  { corner: [0.6, 0, -0.9], along: [0.5, 0, 0.2], up: [0, 0.9, 0], pattern: 31 },
];

type Way = (f: number) => Pick<StillCamera, 'at' | 'headingRad' | 'tiltRad'> & { focalShare?: number };
const WALK: Way = (f) => ({ at: [-0.8 + 0.03 * f, 1.5 + 0.01 * Math.sin(f / 2), 2.2 - 0.008 * f], headingRad: 0.12 - 0.004 * f, tiltRad: -0.1 });

/** Kinds of shot, by what is hard about them. The focal length is `focalShare` of the width (0.9). */
export const CLIP_WAYS: Record<string, { way: Way; scene?: Partial<ClipScene> }> = {
  walk: { way: WALK },
  'burn-in and box': { way: WALK, scene: { burnIn: true, box: { sizeM: 0.6, at: (f) => [-1.6 + 0.02 * f, 0.5 + 0.15 * Math.sin(f / 5), -0.5] } } },
  'light falls to half': { way: WALK, scene: { looks: (f) => ({ noise: 1.5, blurPx: [0.6, 0.6], stops: -f / 40 }) } },
  pan: { way: (f) => ({ at: [0.1, 1.5, 1.2], headingRad: 0.4 - 0.02 * f, tiltRad: -0.06 + 0.02 * Math.sin(f / 8) }) },
  zoom: { way: (f) => ({ at: [-0.5 + 0.025 * f, 1.5, 2.0], headingRad: 0.08 - 0.004 * f, tiltRad: -0.08, focalShare: 0.75 * 1.012 ** f }) },
  whip: {
    way: (f) => ({ at: [-0.8 + 0.03 * f, 1.5, 2.2], headingRad: 0.3 - (f < 18 ? 0.002 * f : f < 23 ? 0.036 + 0.11 * (f - 18) : 0.586 + 0.002 * (f - 23)), tiltRad: -0.1 }),
    // the width of the picture goes by in nine frames: half the way of a frame is blurred
    scene: { looks: (f) => ({ noise: 1.5, blurPx: [f >= 18 && f < 23 ? 14 : 0.6, 0.6] }) },
  },
  crane: { way: (f) => ({ at: [-0.3 + 0.008 * f, 0.7 + 0.035 * f, 2.1], headingRad: 0.03, tiltRad: 0.02 - 0.009 * f }) },
  arc: {
    way: (f) => {
      const turnRad = -0.35 + 0.018 * f;
      return { at: [2.6 * Math.sin(turnRad), 1.5, -0.6 + 2.6 * Math.cos(turnRad)], headingRad: turnRad, tiltRad: -0.12 };
    },
  },
  'by hand': {
    way: (f) => ({
      at: [-0.4 + 0.02 * f + 0.015 * Math.sin(0.9 * f), 1.6 + 0.02 * Math.sin(0.63 * f), 2.3 - 0.015 * f],
      headingRad: 0.05 + 0.02 * Math.sin(0.5 * f) - 0.003 * f,
      tiltRad: -0.1 + 0.012 * Math.sin(0.77 * f),
    }),
    scene: { looks: (f) => ({ noise: 2.5, blurPx: [0.8 + 0.8 * Math.abs(Math.cos(0.5 * f)), 0.7] }) },
  },
  'long lens': { way: (f) => ({ at: [-0.6 + 0.03 * f, 1.3, 2.6], headingRad: 0.13 - 0.0065 * f, tiltRad: -0.1, focalShare: 2.2 }) },
  // thirty centimetres, past things that cross what is far behind them
  'little way': { way: (f) => ({ at: [-0.2 + 0.008 * f, 1.5, 2.2 - 0.003 * f], headingRad: 0.05 - 0.001 * f, tiltRad: -0.1 }) },
  defocus: { way: WALK, scene: { looks: (f) => ({ noise: 1.5, blurPx: [0.7 + 1.5 * Math.max(0, Math.sin(f / 6)), 0.7 + 1.5 * Math.max(0, Math.sin(f / 6))] }) } },
};

/** A clip of one of them. */
export function clipScene(name: keyof typeof CLIP_WAYS, widthPx: number, frames: number): ClipScene {
  const { way, scene } = CLIP_WAYS[name];
  const heightPx = Math.round((widthPx * 9) / 16);
  const looks = scene?.looks ?? (() => ({ noise: 1.5, blurPx: [0.6, 0.6] as const }));
  return {
    frames,
    still: ROOM,
    ...scene,
    camera: (f) => {
      const { focalShare = 0.9, ...where } = way(f);
      return { ...where, widthPx, heightPx, focalPx: focalShare * widthPx };
    },
    looks,
  };
}
