import type { MeasuredLength, RecordBodies } from '@mesure/contract';
import { normals } from '@mesure/synthetic';
import sharp from 'sharp';

const W = 1600,
  H = 1200;
/** A phone's main lens. */
export const RECCE_FOCAL_35_MM = 26;
const F = (RECCE_FOCAL_35_MM / Math.hypot(36, 24)) * Math.hypot(W, H);
/** Held at eye height, looking a little down. */
const HEIGHT_M = 1.56;
const TILT = (-11 * Math.PI) / 180;
const [C, S] = [Math.cos(TILT), Math.sin(TILT)];
const WALL_Z = -6.2;
const CRATE = { x0: 0.5, x1: 1.3, z0: -4.3, z1: -3.6, top: 0.7 };

type Place = readonly [number, number, number];

/** Grey of what lies at a place: boards of the floor, panels of the wall, slats of the crate. */
function surface([x, y, z]: Place, what: 'floor' | 'wall' | 'crate'): number {
  const line = (v: number, every: number, width: number) => Math.abs(v / every - Math.round(v / every)) * every < width;
  if (what === 'floor') return line(x, 0.14, 0.006) || line(z + 0.37 * Math.round(x / 0.14), 1.8, 0.006) ? 62 : 104 + 9 * Math.sin(3.1 * Math.round(x / 0.14));
  if (what === 'wall') return line(x, 0.9, 0.02) || line(y, 0.8, 0.015) ? 120 : y < 0.12 ? 84 : 172 - 6 * x;
  return line(x + z, 0.1, 0.008) || line(y, 0.23, 0.012) ? 70 : 138;
}

/** What a ray from the phone meets first. */
function look(px: number, py: number): number {
  const [a, b] = [(px - W / 2) / F, (py - H / 2) / F];
  // picture axes right, down, forward → world
  const d: Place = [a, S - b * C, -(C + b * S)];
  const at = (t: number): Place => [t * d[0], HEIGHT_M + t * d[1], t * d[2]];
  let best = { t: d[2] < 0 ? WALL_Z / d[2] : Infinity, what: 'wall' as 'floor' | 'wall' | 'crate' };
  if (d[1] < 0 && -HEIGHT_M / d[1] < best.t) best = { t: -HEIGHT_M / d[1], what: 'floor' };
  for (const t of [CRATE.z1 / d[2], (CRATE.top - HEIGHT_M) / d[1], CRATE.x0 / d[0]]) {
    if (!(t > 0 && t < best.t)) continue;
    const [x, y, z] = at(t + 1e-6);
    if (x > CRATE.x0 && x < CRATE.x1 && y > 0 && y < CRATE.top && z > CRATE.z0 && z < CRATE.z1) best = { t, what: 'crate' };
  }
  return Number.isFinite(best.t) ? surface(at(best.t), best.what) : 150;
}

export async function reccePicture(): Promise<Buffer> {
  const g = normals(47);
  const gray = new Uint8Array(W * H);
  for (let y = 0; y < H; y += 1)
    for (let x = 0; x < W; x += 1) {
      const v = (look(x + 0.3, y + 0.3) + look(x + 0.7, y + 0.7)) / 2;
      gray[y * W + x] = Math.max(0, Math.min(255, v + 2 * g()));
    }
  return sharp(Buffer.from(gray), { raw: { width: W, height: H, channels: 1 } })
    .blur(0.6)
    .jpeg({ quality: 90 })
    .toBuffer();
}
export const RECCE_SIZE = { widthPx: W, heightPx: H };

const place = ([x, y, z]: Place) => {
  const [up, back] = [y - HEIGHT_M, z];
  const forward = up * S - back * C;
  return { x: W / 2 + (F * x) / forward, y: H / 2 - (F * (up * C + back * S)) / forward };
};

/** Where a place of the passage is in the photo, px. */
export const inRecce = (q: Place) => {
  const { x, y } = place(q);
  return { x: Math.round(10 * x) / 10, y: Math.round(10 * y) / 10 };
};

/** Three lengths as a thumb marked them and a tape measured them: across the floor, along it, and the crate's edge. */
export function recceLengths(): RecordBodies['recce']['lengths'] {
  const g = normals(48);
  const thumb = (q: Place) => {
    const { x, y } = place(q);
    return { x: Math.round(10 * (x + 0.8 * g())) / 10, y: Math.round(10 * (y + 0.8 * g())) / 10 };
  };
  const length = (m: number): MeasuredLength => ({ typed: `${m.toFixed(2)} m`, unit: 'm', valueM: Number(m.toFixed(2)), toleranceM: 0.01 });
  const ends: ['ground' | 'upright', Place, Place][] = [
    ['ground', [-1.4, 0, -3.2], [0.5, 0, -3.6]],
    ['ground', [-1.4, 0, -3.2], [-1.3, 0, -6.2]],
    ['upright', [0.5, 0, -3.6], [0.5, 0.7, -3.6]],
  ];
  return ends.map(([kind, a, b]) => ({ kind, a: thumb(a), b: thumb(b), length: length(Math.hypot(a[0] - b[0], a[1] - b[1], a[2] - b[2])) }));
}
