import { renderChequer, roomShot, type ChequerScene, type RenderedPlate } from '@mesure/synthetic';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import os from 'node:os';
import path from 'node:path';
import sharp from 'sharp';

/** For tests of commands: a folder of their own with a setup, a plate, a grey picture and tracks in it. */
const dir = mkdtempSync(path.join(os.tmpdir(), 'mesure-cli-'));
export const file = (name: string) => path.join(dir, name);
export const W = 1600,
  H = 844;
export const setup = (change: object = {}) => ({ image: { width: W, height: H }, sensor: { widthMm: 24, heightMm: 12.66 }, focal: { mode: 'free', mm: 32 }, distortion: { mode: 'none' }, ...change });

/** Renders a plate of the tests' lens and keeps it as a PNG. */
export async function savePlate(name: string, cellPx: number, change: Partial<ChequerScene> = {}): Promise<RenderedPlate> {
  const fx = (32 * W) / 24;
  const lens = { fxPx: fx, fyPx: (32 * H) / 12.66, cx: W / 2, cy: H / 2, k1: -0.1, k2: 0, k3: 0, p1: 0, p2: 0 };
  const plate = renderChequer({ widthPx: W, heightPx: H, lens, cellSlope: cellPx / fx, noise: 2, offsetCells: [0.3, 0.4], ...change });
  await sharp(Buffer.from(plate.gray), { raw: { width: W, height: H, channels: 1 } })
    .png()
    .toFile(file(name));
  return plate;
}

beforeAll(async () => {
  writeFileSync(file('setup.json'), JSON.stringify(setup()));
  await savePlate('plate.png', 42);
  await sharp({ create: { width: W, height: H, channels: 3, background: '#777' } })
    .png()
    .toFile(file('grey.png'));
  writeFileSync(file('tracks.csv'), roomShot({ widthPx: W, heightPx: H, focalMm: 22.72, sensorWidthMm: 24, sensorHeightMm: 12.66, frames: 30, noisePx: 0.4 }).csv);
});
afterAll(() => rmSync(dir, { recursive: true, force: true }));
