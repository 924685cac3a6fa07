import { renderStill, type StillLooks } from './render-room';
import { placeBehind, seenAt, type Panel, type StillCamera } from './room-rays';

type Triple = readonly [number, number, number];

/** A clip of panels: what stands still, a box that goes its own way, letters burnt in, light that changes. */
export interface ClipScene {
  frames: number;
  still: readonly Panel[];
  /** where the camera is in frame 0, 1, … */
  camera: (frame: number) => StillCamera;
  /** corner of a box of this size that moves */
  box?: { sizeM: number; at: (frame: number) => Triple };
  /** numbers that count, burnt into the upper left, as shares of the width */
  burnIn?: boolean;
  looks?: (frame: number) => StillLooks;
}

export interface RenderedClip {
  widthPx: number;
  heightPx: number;
  count: number;
  /** of the first frame */
  focalPx: number;
  cameraAt(frame: number): StillCamera;
  at(frame: number): { widthPx: number; heightPx: number; data: Uint8Array };
  /** what lies behind a place of a frame */
  kindAt(frame: number, xPx: number, yPx: number): 'still' | 'box' | 'burn-in' | 'nothing';
  /** the place in the list of the panel behind it; the box's come after the still ones; −1 where there is none */
  panelAt(frame: number, xPx: number, yPx: number): number;
  /** where the still thing behind it is, metres; null where there is none, or the box */
  placeAt(frame: number, xPx: number, yPx: number): Triple | null;
  /** where what is seen at a place of one frame is seen in another; null where that is not in front of the camera. Only of what stands still */
  truth(fromFrame: number, xPx: number, yPx: number, toFrame: number): { xPx: number; yPx: number } | null;
}

/** Renders frames as they are asked for, and keeps them. */
export function renderClip(scene: ClipScene): RenderedClip {
  const { widthPx, heightPx, focalPx } = scene.camera(0);
  const kept = new Map<number, Uint8Array>();
  const boxPanels = (frame: number): Panel[] => (scene.box ? boxAt(scene.box.at(frame), scene.box.sizeM) : []);
  const letters = { left: Math.round(0.03 * widthPx), top: Math.round(0.04 * heightPx), cell: Math.max(2, Math.round(widthPx / 320)), count: 8 };
  const inLetters = (x: number, y: number) =>
    scene.burnIn === true && x >= letters.left - 2 && y >= letters.top - 2 && x < letters.left + 6 * letters.cell * letters.count && y < letters.top + 9 * letters.cell;
  return {
    widthPx,
    heightPx,
    count: scene.frames,
    focalPx,
    at(frame) {
      let data = kept.get(frame);
      if (!data) {
        // the pattern of a panel goes by its place in the list: the box comes last, so that the walls stay as they are
        data = renderStill([...scene.still, ...boxPanels(frame)], scene.camera(frame), { seed: 100 + frame, ...scene.looks?.(frame) }).gray;
        if (scene.burnIn) burn(data, widthPx, frame, letters);
        kept.set(frame, data);
      }
      return { widthPx, heightPx, data };
    },
    kindAt(frame, xPx, yPx) {
      if (inLetters(xPx, yPx)) return 'burn-in';
      const hit = placeBehind([...scene.still, ...boxPanels(frame)], scene.camera(frame), xPx, yPx);
      return !hit ? 'nothing' : hit.panel < scene.still.length ? 'still' : 'box';
    },
    panelAt: (frame, xPx, yPx) => placeBehind([...scene.still, ...boxPanels(frame)], scene.camera(frame), xPx, yPx)?.panel ?? -1,
    placeAt(frame, xPx, yPx) {
      const hit = placeBehind([...scene.still, ...boxPanels(frame)], scene.camera(frame), xPx, yPx);
      return hit && hit.panel < scene.still.length ? hit.at : null;
    },
    cameraAt: scene.camera,
    truth(fromFrame, xPx, yPx, toFrame) {
      const hit = placeBehind(scene.still, scene.camera(fromFrame), xPx, yPx);
      return hit && seenAt(scene.camera(toFrame), hit.at);
    },
  };
}

/** Three sides of a cube that a camera before it can see. */
function boxAt([x, y, z]: Triple, s: number): Panel[] {
  return [
    { corner: [x, y, z + s], along: [s, 0, 0], up: [0, s, 0], pattern: 901 },
    { corner: [x, y + s, z + s], along: [s, 0, 0], up: [0, 0, -s], pattern: 902 },
    { corner: [x, y, z], along: [0, 0, s], up: [0, s, 0], pattern: 903 },
    { corner: [x + s, y, z + s], along: [0, 0, -s], up: [0, s, 0], pattern: 904 },
  ];
}

/** Rows of three bits: the figures 0 to 9 as a small display draws them. */
const FIGURES = [
  [7, 5, 5, 5, 7],
  [2, 6, 2, 2, 7],
  [7, 1, 7, 4, 7],
  [7, 1, 7, 1, 7],
  [5, 5, 7, 1, 1],
  [7, 4, 7, 1, 7],
  [7, 4, 7, 5, 7],
  [7, 1, 1, 2, 2],
  [7, 5, 7, 5, 7],
  [7, 5, 7, 1, 7],
];

function burn(data: Uint8Array, widthPx: number, frame: number, { left, top, cell, count }: { left: number; top: number; cell: number; count: number }): void {
  const text = String(10_010_000 + frame).padStart(count, '0');
  for (let n = 0; n < count; n += 1)
    for (let j = 0; j < 5; j += 1)
      for (let k = 0; k < 3; k += 1) {
        const value = FIGURES[Number(text[n])][j] & (4 >> k) ? 240 : 12;
        for (let dy = 0; dy < cell; dy += 1) for (let dx = 0; dx < cell; dx += 1) data[(top + j * cell + dy) * widthPx + left + (6 * n + k) * cell + dx] = value;
      }
}
