import { renderChequer, uniform } from '@mesure/synthetic';
import sharp from 'sharp';
import { MODES, TRUE_LENSES } from './shots';

async function jpeg(gray: Uint8Array, width: number, height: number): Promise<Buffer> {
  return sharp(Buffer.from(gray), { raw: { width, height, channels: 1 } })
    .jpeg({ quality: 94 })
    .toBuffer();
}

interface PlateLook {
  cellPx?: number;
  blurPx?: number;
  boardHalfCells?: readonly [number, number];
  seed: number;
  vignette?: number;
}

/** A plate of a lens, shot slightly crooked with light falling off, as plates are. */
async function plate(mode: keyof typeof MODES, lens: keyof typeof TRUE_LENSES, look: PlateLook): Promise<Buffer> {
  const m = MODES[mode];
  const l = TRUE_LENSES[lens];
  const fx = (l.effectiveMm * m.widthPx) / m.sensorWidthMm;
  const fy = (l.effectiveMm * m.heightPx) / m.sensorHeightMm;
  const r = renderChequer({
    widthPx: m.widthPx,
    heightPx: m.heightPx,
    lens: { fxPx: fx, fyPx: fy, cx: m.widthPx / 2, cy: m.heightPx / 2, k1: l.k[0], k2: l.k[1], k3: l.k[2], p1: 0, p2: 0 },
    cellSlope: (look.cellPx ?? 96) / fx,
    rollRad: 0.012,
    tiltXRad: 0.02,
    tiltYRad: -0.015,
    offsetCells: [0.37, 0.21],
    blurPx: look.blurPx ?? 1.1,
    noise: 2,
    vignette: look.vignette ?? 0.7,
    boardHalfCells: look.boardHalfCells,
    seed: look.seed,
  });
  return jpeg(r.gray, m.widthPx, m.heightPx);
}

export const orrinel32Plate = () => plate('tarvik4k', 'orrinel32', { seed: 11 });
export const orrinel25Plate = () => plate('pellonUhd', 'orrinel25', { seed: 12 });
/** To try: one that can be used, one out of focus, one too small, and one that is no chart. */
export const freshPlate = () => plate('pellonUhd', 'orrinel25', { seed: 13, cellPx: 120 });
export const blurredPlate = () => plate('pellonUhd', 'orrinel25', { seed: 14, blurPx: 9 });
export const smallChartPlate = () => plate('pellonUhd', 'orrinel25', { seed: 15, boardHalfCells: [9, 6], cellPx: 90 });

export async function noChart(): Promise<Buffer> {
  const m = MODES.pellonUhd;
  const u = uniform(77);
  const blobs = Array.from({ length: 40 }, () => ({ x: u() * m.widthPx, y: u() * m.heightPx, r: 80 + 260 * u(), v: 30 + 190 * u() }));
  const gray = new Uint8Array(m.widthPx * m.heightPx);
  for (let y = 0; y < m.heightPx; y += 1) {
    for (let x = 0; x < m.widthPx; x += 1) {
      let v = 60 + (60 * x) / m.widthPx + (40 * y) / m.heightPx;
      for (const b of blobs) if ((x - b.x) ** 2 + (y - b.y) ** 2 < b.r * b.r) v = b.v;
      gray[y * m.widthPx + x] = v;
    }
  }
  return jpeg(gray, m.widthPx, m.heightPx);
}
