import type { RecordBodies } from '@mesure/contract';
import { bend, invertBrownConrady, normals, type Lens } from '@mesure/synthetic';
import sharp from 'sharp';
import { TRUE_LENSES } from './shots';

const W = 1920,
  H = 1080;
const FX = (TRUE_LENSES.orrinel25.effectiveMm * W) / 23.04;
const LENS: Lens = { fxPx: FX, fyPx: FX, cx: W / 2, cy: H / 2, k1: TRUE_LENSES.orrinel25.k[0], k2: TRUE_LENSES.orrinel25.k[1], k3: 0, p1: 0, p2: 0 };

/** A wall as a camera sees it square-on, in ideal slopes: a door, a window with its cross, shelves, a floor line. Grey from 0 to 255. */
function wall(x: number, y: number): number {
  if (y > 0.235) return 74 + 30 * y; // floor
  const within = (x0: number, y0: number, x1: number, y1: number) => x > x0 && x < x1 && y > y0 && y < y1;
  if (within(-0.43, -0.22, -0.2, 0.235)) return within(-0.41, -0.2, -0.22, 0.235) ? 62 + 20 * y : 168; // door in its frame
  if (within(0.03, -0.215, 0.3, -0.02)) {
    const bar = Math.abs(x - 0.165) < 0.006 || Math.abs(y + 0.1175) < 0.006 || x < 0.042 || x > 0.288 || y < -0.203 || y > -0.032;
    return bar ? 176 : 214; // window
  }
  for (const shelf of [0.06, 0.13, 0.2]) if (within(0.0, shelf, 0.42, shelf + 0.011)) return 92;
  return 128 + 40 * x - 30 * y;
}

export async function roomPicture(): Promise<Buffer> {
  const g = normals(41);
  const gray = new Uint8Array(W * H);
  for (let py = 0; py < H; py += 1) {
    let last: [number, number] | undefined;
    for (let px = 0; px < W; px += 1) {
      last = invertBrownConrady(LENS, (px + 0.5 - LENS.cx) / FX, (py + 0.5 - LENS.cy) / FX, last);
      // four samples within the pixel: edges without steps
      let v = 0;
      for (const [dx, dy] of [
        [-0.25, -0.25],
        [0.25, -0.25],
        [-0.25, 0.25],
        [0.25, 0.25],
      ])
        v += wall(last[0] + dx / FX, last[1] + dy / FX) / 4;
      gray[py * W + px] = Math.max(0, Math.min(255, v + 2 * g()));
    }
  }
  return sharp(Buffer.from(gray), { raw: { width: W, height: H, channels: 1 } })
    .blur(0.7)
    .jpeg({ quality: 92 })
    .toBuffer();
}

/** Edges of the wall as a hand marked them under the loupe: half a pixel is a careful thumb. */
export function roomMarks(): RecordBodies['edges']['marks'] {
  const g = normals(42);
  const edges: [number, number, number, number][] = [
    [-0.43, 0.235, 0.43, 0.235],
    [-0.43, -0.22, -0.43, 0.22],
    [0.03, -0.215, 0.3, -0.215],
    [0.0, 0.2, 0.42, 0.2],
    [-0.43, -0.22, -0.2, -0.22],
  ];
  return edges.flatMap(([x0, y0, x1, y1], e) =>
    Array.from({ length: 8 }, (_, i) => {
      const t = i / 7;
      const [x, y] = bend(LENS, x0 + t * (x1 - x0), y0 + t * (y1 - y0));
      return { edge: e + 1, x: LENS.cx + FX * x + 0.3 * g(), y: LENS.cy + FX * y + 0.3 * g() };
    }),
  );
}
export const ROOM_SIZE = { widthPx: W, heightPx: H };
