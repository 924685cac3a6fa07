import { bend, roomShot } from '@mesure/synthetic';
import { levelGrid, pictureOf, slipOf, solveTracks, standingBox, type SolveResult, type SolveSetup } from '.';

const W = 1920;
const setup: SolveSetup = {
  image: { width: W, height: 1080 },
  sensor: { widthMm: 24, heightMm: 13.5 },
  focal: { mode: 'held', mm: 30 },
  distortion: { mode: 'held', model: 'radial', k: [-0.12, 0.02, 0], p: [0, 0] },
};
const still = (change: object = {}): SolveResult =>
  ({
    status: 'solved',
    focalMm: 30,
    frames: [{ frame: 7, position: [0, 1.5, 2], rotation: [0, 0, 0, 1], focalMm: 30 }],
    points: [],
    distortion: { model: 'radial', k: [-0.12, 0.02, 0], p: [0, 0], mode: 'held', normalisedWithMm: 30, follows: false },
    ...change,
  }) as unknown as SolveResult;

test('a place is where a lens of its own puts it: bent about the middle, and nowhere behind the camera', () => {
  const at = pictureOf(setup, still())(7)!;
  const f = (30 / 24) * W;
  const [x, y] = bend({ fxPx: f, fyPx: f, cx: W / 2, cy: 540, k1: -0.12, k2: 0.02, k3: 0, p1: 0, p2: 0 }, 0.3, 0.2);
  // 0.3 right and 0.2 down of the axis, four metres away
  const seen = at([1.2, 1.5 - 0.8, -2])!;
  expect(seen[0]).toBeCloseTo(W / 2 + f * x, 6);
  expect(seen[1]).toBeCloseTo(540 + f * y, 6);
  expect(at([0, 1.5, 3])).toBeNull();
  expect(pictureOf(setup, still())(8)).toBeNull();
});

test('a zoom is drawn with the focal length of its frame, over the map that the plate gave', () => {
  const long = still({ frames: [{ frame: 7, position: [0, 1.5, 2], rotation: [0, 0, 0, 1], focalMm: 60 }] });
  const near = pictureOf(setup, still())(7)!([0.02, 1.5, -2])!;
  expect(pictureOf(setup, long)(7)!([0.01, 1.5, -2])![0]).toBeCloseTo(near[0], 6);
});

test('a box stands on its place, upright and of its size; a grid is level about it', () => {
  const box = standingBox([1, 0.2, -3], 0.5);
  expect(box).toHaveLength(12);
  for (const edge of box) expect(Math.hypot(...edge[0].map((v, k) => v - edge[edge.length - 1][k]))).toBeCloseTo(0.5, 12);
  expect(box.slice(0, 4).every((edge) => edge.every((p) => p[1] === 0.2))).toBe(true);
  const grid = levelGrid([1, 0.2, -3], 0.25, 4);
  expect(grid).toHaveLength(10);
  expect(grid.every((l) => l.every((p) => p[1] === 0.2))).toBe(true);
});

test('the slip of a good solve is the noise of its tracks, and of a wrong focal length far more', () => {
  const { shot } = roomShot({ widthPx: W, heightPx: 1012, focalMm: 32, sensorWidthMm: 24, sensorHeightMm: 12.65, frames: 40, noisePx: 0.3 });
  const solving: SolveSetup = { image: { width: W, height: 1012 }, sensor: { widthMm: 24, heightMm: 12.65 }, focal: { mode: 'free', mm: 32 }, distortion: { mode: 'none' } };
  const solve = solveTracks(shot.tracks, solving, {});
  const longest = [...solve.points].sort((a, b) => b.observations - a.observations)[0];
  const track = shot.tracks.filter((t) => t.track === longest.track);
  const slip = slipOf(pictureOf(solving, solve), longest.position, track)!;
  expect(slip.rmsPx).toBeGreaterThan(0.2);
  expect(slip.rmsPx).toBeLessThan(0.7);
  expect(slip.byFrame).toHaveLength(track.length);
  const wrong = { ...solve, focalMm: 35, frames: solve.frames.map((f) => ({ ...f, focalMm: 35 })) };
  expect(slipOf(pictureOf(solving, wrong), longest.position, track)!.rmsPx).toBeGreaterThan(5);
  expect(slipOf(pictureOf(solving, solve), longest.position, [])).toBeNull();
});
