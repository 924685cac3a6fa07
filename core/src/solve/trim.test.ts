import { normals, roomShot } from '@mesure/synthetic';
import { solveTracks, type SolveSetup } from '.';
import { trimLimitPx, trimWould } from './trim';

const SHOT = { widthPx: 1920, heightPx: 1012, focalMm: 32, sensorWidthMm: 24, sensorHeightMm: 12.65, frames: 40, noisePx: 0.3 };
const setup: SolveSetup = { image: { width: 1920, height: 1012 }, sensor: { widthMm: 24, heightMm: 12.65 }, focal: { mode: 'free', mm: 32 }, distortion: { mode: 'none' } };

test('the limit is three one-axis sigmas of what most places show, whatever the worst ones are', () => {
  const g = normals(2);
  const radius = Float64Array.from({ length: 4000 }, (_, i) => (i < 40 ? 30 : 0.4 * Math.hypot(g(), g())));
  expect(trimLimitPx(radius) / 1.2).toBeGreaterThan(0.93);
  expect(trimLimitPx(radius) / 1.2).toBeLessThan(1.07);
  const would = trimWould(
    radius,
    Int32Array.from({ length: 4000 }, (_, i) => i % 80),
  );
  // forty far ones, and the one in ninety of the others that chance puts there
  expect(would.places).toBeGreaterThan(60);
  expect(would.places).toBeLessThan(110);
  expect(would.restRmsPx).toBeLessThan(0.6);
  expect(would.of).toBe(4000);
});

test('what it foretells is what a trim leaves out first, and a solve that was trimmed foretells nothing', () => {
  const { shot } = roomShot(SHOT);
  const g = normals(7);
  // thirty slips of five pixels
  const tracks = shot.tracks.map((t, i) => (i % 60 === 0 && i < 1800 ? { ...t, x: t.x + 5 + g(), y: t.y } : t));
  const plain = solveTracks(tracks, setup, {});
  const would = plain.trimWould!;
  const trimmed = solveTracks(tracks, setup, { trim: true });
  expect(trimmed.trimWould).toBeNull();
  const left = trimmed.trimmed.filter((t) => t.reason === 'trim');
  expect(would.places).toBeGreaterThan(20);
  expect(left.length).toBeGreaterThanOrEqual(would.places);
  expect(left.length).toBeLessThan(1.5 * would.places);
  expect(trimmed.rmsPx!).toBeLessThan(1.05 * would.restRmsPx);
  expect(plain.rmsPx!).toBeGreaterThan(would.restRmsPx);
});
