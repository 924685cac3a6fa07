import type { RecordBodies } from '@mesure/contract';
import { bend, invertBrownConrady, normals, type Lens } from '@mesure/synthetic';
import sharp from 'sharp';
import { SETS } from './sets';
import { MODES, TRUE_LENSES } from './shots';

/** A playback frame of the passage's pan, half the size of what was recorded. */
const [W, H] = [1920, 1080];
const { effectiveMm, k } = TRUE_LENSES.orrinel25;
const F = (effectiveMm / MODES.pellonUhd.sensorWidthMm) * W;
const LENS: Lens = { fxPx: F, fyPx: F, cx: W / 2, cy: H / 2, k1: k[0], k2: k[1], k3: k[2], p1: 0, p2: 0 };
type Place = readonly [number, number, number];
/** Where the tripod stood, and where the lens looks in the frame. */
const CAMERA: Place = [0, 1.52, 1.1];
const AIM: Place = [0.05, 1, -3.6];
const WALL_Z = -4.6;
const MARKS = SETS.passage.marks.slice(0, 7);
const TAPE_M = { long: 0.11, wide: 0.024 };

const unit = (v: Place): Place => v.map((c) => c / Math.hypot(...v)) as unknown as Place;
const cross = (a: Place, b: Place): Place => [a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]];
const AHEAD = unit(AIM.map((v, i) => v - CAMERA[i]) as unknown as Place);
const RIGHT = unit(cross(AHEAD, [0, 1, 0]));
const DOWN = cross(AHEAD, RIGHT);

/** Grey of a place: two strips of white tape crossed at each mark, boards of the floor, panels of the wall. */
function surface([x, y, z]: Place, floor: boolean): number {
  for (const m of MARKS) {
    const [a, b] = floor ? [x - m.at[0], z - m.at[2]] : [x - m.at[0], y - m.at[1]];
    const here = floor ? m.at[1] === 0 : m.at[1] > 0;
    const [near, far] = [Math.min(Math.abs(a), Math.abs(b)), Math.max(Math.abs(a), Math.abs(b))];
    if (here && near < TAPE_M.wide && far < TAPE_M.long) return 232;
  }
  const line = (v: number, every: number, width: number) => Math.abs(v / every - Math.round(v / every)) * every < width;
  if (floor) return line(x, 0.18, 0.006) ? 44 : 74 + 8 * Math.sin(3.7 * Math.round(x / 0.18)) + 3 * z;
  return y < 0.14 ? 58 : line(x, 1.1, 0.02) || line(y, 1.2, 0.02) ? 86 : 118 - 5 * x;
}

function look(a: number, b: number): number {
  const d = AHEAD.map((v, i) => v + a * RIGHT[i] + b * DOWN[i]) as unknown as Place;
  const wall = (WALL_Z - CAMERA[2]) / d[2];
  const floor = d[1] < 0 ? -CAMERA[1] / d[1] : Infinity;
  const t = Math.min(wall > 0 ? wall : Infinity, floor);
  return Number.isFinite(t) ? surface(CAMERA.map((v, i) => v + t * d[i]) as unknown as Place, floor < wall) : 40;
}

export async function lineUpPicture(): Promise<Buffer> {
  const g = normals(58);
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

/** The marks as a thumb set them under the loupe; one of them is outside the frame. */
export function lineUpMarks(): RecordBodies['lineup']['marks'] {
  const g = normals(59);
  return MARKS.flatMap(({ id, at }) => {
    const d = at.map((v, i) => v - CAMERA[i]) as unknown as Place;
    const along = (axis: Place) => d.reduce((s, v, i) => s + v * axis[i], 0);
    const [x, y] = bend(LENS, along(RIGHT) / along(AHEAD), along(DOWN) / along(AHEAD));
    const place = { mark: id, x: Number((W / 2 + F * x + 0.5 * g()).toFixed(2)), y: Number((H / 2 + F * y + 0.5 * g()).toFixed(2)) };
    return place.x > 0 && place.x < W && place.y > 0 && place.y < H ? [place] : [];
  });
}
