import { simulateShot, uniform } from '@mesure/synthetic';
import { lensToBeFound, movingBySolve } from './judge';

type Point = readonly [number, number, number];
const u = uniform(3);
const POINTS = Array.from({ length: 80 }, (_, i) => ({ id: `m${i}`, at: [-2.5 + 5 * u(), i % 2 ? 2.4 * u() : 0, -5 + 4.4 * u()] as Point }));
const pass = (focalMm: (t: number) => number) =>
  simulateShot({
    ...{ widthPx: 1920, heightPx: 1080, sensorWidthMm: 24, sensorHeightMm: 13.5, frames: 30, points: POINTS, noisePx: 0.15, seed: 1, focalMm },
    path: (t) => [-0.5 + t, 1.5, 2],
    aim: (t) => [-0.2 + 0.5 * t, 1.2, -2],
  }).tracks;
/** Three that are seen all the while. */
const lasting = (tracks: ReturnType<typeof pass>) =>
  POINTS.map((p) => p.id)
    .filter((id) => tracks.filter((t) => t.track === id).length === 30)
    .slice(0, 3)
    .sort();

test.each<[string, (t: number) => number]>([
  ['one length', () => 20],
  ['a zoom that nobody noted', (t) => 18 * 1.6 ** t],
])('of %s what moves is told, and what stands is not', (_name, focalMm) => {
  const tracks = pass(focalMm);
  expect([...movingBySolve(tracks, lensToBeFound(1920, 1080, 1))!]).toEqual([]);
  const movers = lasting(tracks);
  expect(movers).toHaveLength(3);
  // they go up while the camera passes
  const gone = tracks.map((t) => (movers.includes(t.track) ? { ...t, y: t.y - 3 * t.frame } : t));
  expect([...movingBySolve(gone, lensToBeFound(1920, 1080, 1))!].sort()).toEqual(movers);
});
