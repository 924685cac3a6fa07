import type { FootageMark } from '@mesure/contract';
import { renderClip, seenAt, uniform, type Panel, type RenderedClip, type StillCamera } from '@mesure/synthetic';
import { idOf } from './ids';
import { SETS } from './sets';
import { MODES, TRUE_LENSES } from './shots';

/** The clip of 39A take 1 as a small copy for the phone: a sixth of what B-cam recorded. It lies beside this as MP4; `npm run demo-clip` renders it anew. */
export const STOVE_CLIP = { file: '39A_t1.mp4', widthPx: 640, heightPx: 360, frames: 40, fps: 24, timecode: '15:58:10:00' } as const;
const FOCAL_PX = (TRUE_LENSES.orrinel25.effectiveMm * STOVE_CLIP.widthPx) / MODES.pellonUhd.sensorWidthMm;
export const STOVE_HEIGHT_M = 1.31;

/** Past the stove, sideways and a little forwards. */
export function stoveCamera(frame: number): StillCamera {
  const t = frame / (STOVE_CLIP.frames - 1);
  const [k1, k2] = TRUE_LENSES.orrinel25.k;
  return {
    at: [-0.75 + 1.4 * t, STOVE_HEIGHT_M, 1.0 - 0.35 * t],
    headingRad: 0.09 - 0.16 * t,
    tiltRad: -0.17,
    widthPx: STOVE_CLIP.widthPx,
    heightPx: STOVE_CLIP.heightPx,
    focalPx: FOCAL_PX,
    bend: [k1, k2],
  };
}

/** The galley as far as this camera sees it: floor, three walls, ceiling, the stove, a shelf, a locker; and the marks as quartered squares. */
function galley(): Panel[] {
  return [
    { corner: [-3.2, 0, 2], along: [6.4, 0, 0], up: [0, 0, -6.6], pattern: 61 },
    { corner: [-3.2, 0, -4.6], along: [6.4, 0, 0], up: [0, 2.7, 0], pattern: 62 },
    { corner: [-3.2, 0, 2], along: [0, 0, -6.6], up: [0, 2.7, 0], pattern: 63 },
    { corner: [3.2, 0, -4.6], along: [0, 0, 6.6], up: [0, 2.7, 0], pattern: 64 },
    { corner: [-3.2, 2.7, -4.6], along: [6.4, 0, 0], up: [0, 0, 6.6], pattern: 65 },
    // the stove
    { corner: [-0.9, 0, -2.9], along: [0.9, 0, 0], up: [0, 0.85, 0], pattern: 66 },
    { corner: [0, 0, -2.9], along: [0, 0, -0.6], up: [0, 0.85, 0], pattern: 67 },
    { corner: [-0.9, 0.85, -2.9], along: [0.9, 0, 0], up: [0, 0, -0.6], pattern: 68 },
    // a locker, and a board on the wall's right
    { corner: [1.9, 0, -3.2], along: [0.6, 0, 0], up: [0, 1.7, 0], pattern: 69 },
    { corner: [1.9, 0, -3.2], along: [0, 0, -0.5], up: [0, 1.7, 0], pattern: 70 },
    ...SETS.galley.marks.flatMap(({ at }) => quartered(at)),
  ];
}

/** Two black and two white squares about a place; on the floor, or on the wall behind. */
function quartered([x, y, z]: readonly [number, number, number]): Panel[] {
  const s = 0.07;
  const floor = y === 0;
  return [-s, 0].flatMap((a) =>
    [-s, 0].map((b): Panel => ({
      corner: floor ? [x + a, 0.0002, z + b + s] : [x + a, y + b, z + 0.0002],
      along: [s, 0, 0],
      up: floor ? [0, 0, -s] : [0, s, 0],
      pattern: null,
      gray: (a === 0) === (b === 0) ? 0.04 : 0.93,
    })),
  );
}

/** What is in it, frame by frame: a trolley rolls through, and the recorder burnt its count into the corner. */
export const stoveClip = (): RenderedClip =>
  renderClip({
    frames: STOVE_CLIP.frames,
    still: galley(),
    camera: stoveCamera,
    box: { sizeM: 0.5, at: (f) => [1.5 - 0.035 * f, 0.05 + 0.03 * Math.sin(f / 3), -2.3 + 0.012 * f] },
    burnIn: true,
    looks: (f) => ({ noise: 1.4, blurPx: [0.6, 0.6], stops: 0.3 - 0.012 * f }),
  });

/** A thumb's marks: each mark of the set in the first frame that shows it well, a pixel or two off its centre. */
export function stoveMarks(): FootageMark[] {
  const u = uniform(51);
  const panels = galley();
  const clip = stoveClip();
  const marks: FootageMark[] = [];
  for (const { id, at } of SETS.galley.marks)
    for (let index = 0; index < STOVE_CLIP.frames; index += 1) {
      const seen = seenAt(stoveCamera(index), at);
      if (!seen || seen.xPx < 24 || seen.yPx < 24 || seen.xPx > STOVE_CLIP.widthPx - 24 || seen.yPx > STOVE_CLIP.heightPx - 24) continue;
      // all four squares of it, and nothing before them
      const shows = [-1, 1].every((a) => [-1, 1].every((b) => panels[clip.panelAt(index, seen.xPx + 3 * a, seen.yPx + 1.2 * b)]?.pattern === null));
      if (!shows) continue;
      marks.push({ id: idOf(`clip mark ${id}`), name: id, index, x: Math.round(10 * (seen.xPx + 3 * (u() - 0.5))) / 10, y: Math.round(10 * (seen.yPx + 3 * (u() - 0.5))) / 10 });
      break;
    }
  return marks;
}
