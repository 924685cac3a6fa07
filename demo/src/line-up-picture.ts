import type { RecordBodies } from '@mesure/contract';
import { bend, invertBrownConrady, normals, type Lens } from '@mesure/synthetic';
import sharp from 'sharp';
import { CRANE_M } from './kinds-of-takes';
import { SETS, type NamedPoint } from './sets';
import { MODES, TRUE_LENSES } from './shots';

/** Playback frames, half the size of what was recorded. */
const [W, H] = [1920, 1080];
const { effectiveMm, k } = TRUE_LENSES.orrinel25;
const F = (effectiveMm / MODES.pellonUhd.sensorWidthMm) * W;
const LENS: Lens = { fxPx: F, fyPx: F, cx: W / 2, cy: H / 2, k1: k[0], k2: k[1], k3: k[2], p1: 0, p2: 0 };
type Place = readonly [number, number, number];

interface View {
  /** where the lens stood, and where it looks */
  camera: Place;
  aim: Place;
  marks: readonly NamedPoint[];
  seed: number;
}
/** The passage's pan from its tripod: the net knows the places of its marks. */
export const PASSAGE_VIEW: View = { camera: [0, 1.52, 1.1], aim: [0.05, 1, -3.6], marks: SETS.passage.marks.slice(0, 7), seed: 58 };
/** At the foot of the wall, straight under K6: a plumb line hangs between them. */
export const PLUMB_MARK: NamedPoint = { id: 'P1', at: [SETS.galley.marks[5].at[0], 0, SETS.galley.marks[5].at[2]] };
/** The crane in its first frame: of its set there are lengths between marks, and no places. */
export const CRANE_VIEW: View = { camera: [-0.6, CRANE_M.truly, 1.3], aim: [0.1, 0.8, -3.8], marks: [...SETS.galley.marks, PLUMB_MARK], seed: 61 };
const WALL_Z = -4.6;
const TAPE_M = { long: 0.11, wide: 0.024 };

const unit = (v: Place): Place => v.map((c) => c / Math.hypot(...v)) as unknown as Place;
const cross = (a: Place, b: Place): Place => [a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]];
function axesOf({ camera, aim }: View): Record<'ahead' | 'right' | 'down', Place> {
  const ahead = unit(aim.map((v, i) => v - camera[i]) as unknown as Place);
  const right = unit(cross(ahead, [0, 1, 0]));
  return { ahead, right, down: cross(ahead, right) };
}

/** Grey of a place: two strips of white tape crossed at each mark, boards of the floor, panels of the wall. */
function surface([x, y, z]: Place, floor: boolean, marks: View['marks']): number {
  for (const m of marks) {
    const [a, b] = floor ? [x - m.at[0], z - m.at[2]] : [x - m.at[0], y - m.at[1]];
    const here = floor ? m.at[1] === 0 : m.at[1] > 0;
    const [near, far] = [Math.min(Math.abs(a), Math.abs(b)), Math.max(Math.abs(a), Math.abs(b))];
    if (here && near < TAPE_M.wide && far < TAPE_M.long) return 232;
  }
  const line = (v: number, every: number, width: number) => Math.abs(v / every - Math.round(v / every)) * every < width;
  if (floor) return line(x, 0.18, 0.006) ? 44 : 74 + 8 * Math.sin(3.7 * Math.round(x / 0.18)) + 3 * z;
  return y < 0.14 ? 58 : line(x, 1.1, 0.02) || line(y, 1.2, 0.02) ? 86 : 118 - 5 * x;
}

/** What a ray shows, by its slopes. */
function looker(view: View): (a: number, b: number) => number {
  const { ahead, right, down } = axesOf(view);
  return (a, b) => {
    const d = ahead.map((v, i) => v + a * right[i] + b * down[i]) as unknown as Place;
    const wall = (WALL_Z - view.camera[2]) / d[2];
    const floor = d[1] < 0 ? -view.camera[1] / d[1] : Infinity;
    const t = Math.min(wall > 0 ? wall : Infinity, floor);
    return Number.isFinite(t) ? surface(view.camera.map((v, i) => v + t * d[i]) as unknown as Place, floor < wall, view.marks) : 40;
  };
}

export async function lineUpPicture(view: View): Promise<Buffer> {
  const look = looker(view);
  const g = normals(view.seed);
  const gray = new Uint8Array(W * H);
  for (let py = 0; py < H; py += 1) {
    let last: [number, number] | undefined;
    for (let px = 0; px < W; px += 1) {
      last = invertBrownConrady(LENS, (px + 0.5 - LENS.cx) / F, (py + 0.5 - LENS.cy) / F, last);
      let v = 0;
      for (const dx of [-0.25, 0.25]) for (const dy of [-0.25, 0.25]) v += look(last[0] + dx / F, last[1] + dy / F) / 4;
      gray[py * W + px] = Math.max(0, Math.min(255, v + 2 * g()));
    }
  }
  return sharp(Buffer.from(gray), { raw: { width: W, height: H, channels: 1 } })
    .blur(0.6)
    .jpeg({ quality: 90 })
    .toBuffer();
}
export const LINE_UP_SIZE = { widthPx: W, heightPx: H };

/** The marks as a thumb set them under the loupe; of the passage one is outside the frame. */
export function lineUpMarks(view: View): RecordBodies['lineup']['marks'] {
  const g = normals(view.seed + 1);
  const { ahead, right, down } = axesOf(view);
  return view.marks.flatMap(({ id, at }) => {
    const d = at.map((v, i) => v - view.camera[i]) as unknown as Place;
    const along = (axis: Place) => d.reduce((s, v, i) => s + v * axis[i], 0);
    const [x, y] = bend(LENS, along(right) / along(ahead), along(down) / along(ahead));
    const place = { mark: id, x: Number((W / 2 + F * x + 0.5 * g()).toFixed(2)), y: Number((H / 2 + F * y + 0.5 * g()).toFixed(2)) };
    return place.x > 0 && place.x < W && place.y > 0 && place.y < H ? [place] : [];
  });
}
