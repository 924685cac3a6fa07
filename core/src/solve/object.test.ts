import { uniform } from '@mesure/synthetic';
import { quatToMat, type Vec3 } from '../math';
import { reconcile } from '../reconcile';
import { solveTracks, type SolveSetup } from '.';
import { wordsOf } from '../warnings';

type Point = readonly [number, number, number];
const FRAMES = 36;
const HEIGHT = 1.37;
/** A crate that drives by and turns, by this file's own way: where its frame is in the set, frame by frame. */
const crate = (f: number): { at: Vec3; turn: number } => ({ at: [-0.9 + 0.05 * f, 0.55, -3.2 - 0.01 * f], turn: 0.3 + 0.02 * f });
const u = uniform(11);
const CORNERS = Array.from({ length: 40 }, (_, i) => {
  const p = [0.5 * (u() - 0.5), 0.5 * (u() - 0.5), 0.5 * (u() - 0.5)];
  // on its faces, of which the camera sees front, top and a side
  p[i % 3] = i % 3 === 0 ? -0.25 : 0.25;
  return { id: `c${i}`, at: p as unknown as Point };
});
const f = (FOCAL: number) => (FOCAL / 24) * 1920;
function tracks(): { track: string; frame: number; x: number; y: number }[] {
  const r = uniform(3);
  const gauss = () => Math.sqrt(-2 * Math.log(1 - r())) * Math.cos(2 * Math.PI * r());
  const list: { track: string; frame: number; x: number; y: number }[] = [];
  const see = (track: string, frame: number, [x, y, z]: Vec3) => list.push({ track, frame, x: 960 + (f(30) * x) / -z + 0.2 * gauss(), y: 540 - (f(30) * (y - HEIGHT)) / -z + 0.2 * gauss() });
  for (let frame = 1; frame <= FRAMES; frame += 1) {
    const { at, turn } = crate(frame);
    const [c, s] = [Math.cos(turn), Math.sin(turn)];
    for (const p of CORNERS) see(p.id, frame, [at[0] + c * p.at[0] + s * p.at[2], at[1] + p.at[1], at[2] - s * p.at[0] + c * p.at[2]]);
    // the set behind it stands still
    for (let i = 0; i < 15; i += 1) see(`wall${i}`, frame, [-2 + 0.3 * i, 0.4 + 0.1 * (i % 5), -5]);
  }
  return list;
}
const dist = (a: Point, b: Point) => Math.hypot(a[0] - b[0], a[1] - b[1], a[2] - b[2]);
const setup: SolveSetup = {
  image: { width: 1920, height: 1080 },
  sensor: { widthMm: 24, heightMm: 13.5 },
  focal: { mode: 'held', mm: 30 },
  distortion: { mode: 'none' },
  motion: 'object',
  anchors: {
    points: CORNERS.slice(0, 6).map((p) => ({ track: p.id, x: p.at[0], y: p.at[1], z: p.at[2], sigmaM: 0.002 })),
    lengths: [{ a: 'c10', b: 'c20', m: dist(CORNERS[10].at, CORNERS[20].at), sigmaM: 0.002 }],
    cameraHeights: [{ frame: 1, m: HEIGHT, sigmaM: 0.005 }],
  },
};
const solve = solveTracks(tracks(), setup);

test('an object that drives by a still camera: its way and its turn in the set, to two centimetres and half a degree', () => {
  expect([solve.status, solve.motion, solve.object?.length]).toEqual(['solved', 'object', FRAMES]);
  for (const o of solve.object!) {
    const truth = crate(o.frame);
    expect(dist(o.position, truth.at)).toBeLessThan(0.02);
    const m = quatToMat(o.rotation);
    expect(Math.abs(Math.atan2(m[2], m[0]) - truth.turn) * (180 / Math.PI)).toBeLessThan(0.5);
  }
});

test('what stands still in the picture is not of the object, and is said', () => {
  expect(solve.points.some((p) => p.track.startsWith('wall'))).toBe(false);
  expect(wordsOf(solve.warnings).join()).toMatch(/15 tracks stay where they are in the picture/);
});

test('the record is judged by what holds on the object, and not by the height of a camera that stood still', () => {
  const { items } = reconcile(setup, solve);
  expect(items.map((i) => i.quantity)).toContain('length');
  expect(items.map((i) => i.quantity)).not.toContain('cameraHeight');
});

test('without a height its places count from the entrance pupil, and it says so', () => {
  const bare = solveTracks(tracks(), { ...setup, anchors: { ...setup.anchors, cameraHeights: [] } });
  expect(wordsOf(bare.warnings).join()).toMatch(/count from the entrance pupil/);
  expect(bare.object![0].position[1]).toBeCloseTo(crate(1).at[1] - HEIGHT, 1);
});
