import { roomPanels, type Panel, type StillCamera } from './render-room';
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
  defocus: { way: WALK, scene: { looks: (f) => ({ noise: 1.5, blurPx: [0.7 + 1.5 * Math.max(0, Math.sin(f / 6)), 0.7 + 1.5 * Math.max(0, Math.sin(f / 6))] }) } },
};

/** A clip of one of them. */
export function clipScene(name: keyof typeof CLIP_WAYS, widthPx: number, frames: number, rays: 1 | 4 | 16 = 4): ClipScene {
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
    looks: (f) => ({ ...looks(f), rays }),
  };
}
