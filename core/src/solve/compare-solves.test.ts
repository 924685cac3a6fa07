import { simulateShot, uniform } from '@mesure/synthetic';
import { applySimilarity, expSO3, matToQuat, mulMat3, quatToMat, type Similarity, type Vec3 } from '../math';
import { compareSolves, solveTracks, type SolveResult } from '.';

const SENSOR = { widthMm: 24, heightMm: 12.66 };
const u = uniform(11);
const scene = (seed: number) =>
  simulateShot({
    widthPx: 2048,
    heightPx: 1080,
    focalMm: 24,
    sensorWidthMm: SENSOR.widthMm,
    sensorHeightMm: SENSOR.heightMm,
    frames: 30,
    noisePx: 0.3,
    seed,
    points: POINTS,
    path: (t) => [-1 + 2 * t, 1.4 + 0.2 * t, 1.5 - 0.3 * t],
    aim: (t) => [0.2 * t, 0.8, -3.5],
  });
const POINTS = Array.from({ length: 50 }, (_, i) => ({ id: `m${i}`, at: [-3 + 6 * u(), 2.4 * u(), -2 - 3 * u()] as [number, number, number] }));
/** With three surveyed points, so that it stands in the set, and none: in a world of its own. */
function solved(seed: number, surveyed: boolean, fault = 0): SolveResult {
  return solveTracks(scene(seed).tracks, {
    image: { width: 2048, height: 1080 },
    sensor: SENSOR,
    focal: { mode: 'held', mm: 24 },
    distortion: { mode: 'none' },
    ...(surveyed ? { anchors: { points: POINTS.slice(0, 6).map((p) => ({ track: p.id, x: p.at[0], y: p.at[1] + fault, z: p.at[2], sigmaM: 0.001 })) } } : {}),
  });
}
/** The same solve in another world: turned, moved and of another size. */
function inAnotherWorld(s: SolveResult, t: Similarity): SolveResult {
  return {
    ...s,
    frames: s.frames.map((f) => ({ ...f, position: applySimilarity(t, f.position), rotation: matToQuat(mulMat3(t.rotation, quatToMat(f.rotation))) })),
    points: s.points.map((q) => ({ ...q, position: applySimilarity(t, q.position) })),
  };
}
const WORLD: Similarity = { scale: 2.5, rotation: expSO3([0.1, 0.4, -0.2]), translation: [3, -1, 0.5] };
const without = (s: SolveResult): SolveResult => ({ ...s, anchoring: { ...s.anchoring, scale: null } });

test('one solve in two worlds is one: nothing is left of shape or turn, and what was done to it is found again', () => {
  const a = solved(5, false);
  const b = inAnotherWorld(a, WORLD);
  const c = compareSolves(without(a), without(b))!;
  expect(c.frames).toBe(30);
  expect(c.anchored).toBeNull();
  expect(c.shape.worstM).toBeLessThan(1e-9);
  expect(c.worstTurnDeg).toBeLessThan(1e-5);
  expect(c.scaledBy).toBeCloseTo(1 / 2.5, 9);
  expect(c.turnedDeg).toBeCloseTo((180 / Math.PI) * Math.hypot(0.1, 0.4, 0.2), 6);
  // drawn over the first, in the first one's world
  c.path.forEach((p, i) => expect(Math.hypot(...p.position.map((v, k) => v - a.frames[i].position[k]))).toBeLessThan(1e-9));
});

test('a bump of one frame is named, and how large it is', () => {
  const a = solved(5, false);
  const b: SolveResult = { ...a, frames: a.frames.map((f) => (f.frame === 17 ? { ...f, position: [f.position[0], f.position[1] + 0.04, f.position[2]] as Vec3 } : f)) };
  const c = compareSolves(without(a), inAnotherWorld(without(b), WORLD))!;
  expect(c.shape.worstFrame).toBe(17);
  expect(c.shape.worstM).toBeGreaterThan(0.035);
  expect(c.shape.worstM).toBeLessThan(0.0401);
  expect(c.shape.medianM).toBeLessThan(0.002);
});

test('two that are anchored apart agree in shape and not in place: the anchors are what differs', () => {
  const a = solved(5, true);
  // the second noise of the same shot, its survey 30 mm too high
  const b = solved(6, true, 0.03);
  expect([a.anchoring.scale, b.anchoring.scale].every((s) => s !== null)).toBe(true);
  const c = compareSolves(a, b)!;
  expect(c.anchored!.medianM).toBeGreaterThan(0.025);
  expect(c.anchored!.medianM).toBeLessThan(0.035);
  expect(c.shape.worstM).toBeLessThan(0.01);
  expect(Math.abs(c.scaledBy - 1)).toBeLessThan(0.005);
  // as it stands, not as laid over
  expect(c.path[0].position).toEqual(b.frames[0].position);
});

test('what cannot be laid over each other is not', () => {
  const a = solved(5, false);
  const on = (change: Partial<SolveResult>): SolveResult => ({ ...a, ...change });
  expect(compareSolves(a, on({ motion: 'pan' }))).toBeNull();
  expect(compareSolves(on({ motion: 'object' }), a)).toBeNull();
  expect(compareSolves(a, on({ status: 'failed', frames: [] }))).toBeNull();
  expect(compareSolves(a, on({ frames: a.frames.slice(0, 2) }))).toBeNull();
  expect(compareSolves(a, on({ frames: a.frames.map((f) => ({ ...f, frame: f.frame + 1000 })) }))).toBeNull();
  // a straight dolly without a track in common may be turned about itself at will
  const line = (s: SolveResult): SolveResult => ({ ...s, points: [], frames: s.frames.map((f, i) => ({ ...f, position: [0.1 * i, 1, 0] as Vec3 })) });
  expect(compareSolves(line(a), line(a))).toBeNull();
  // and with them it is one
  expect(compareSolves({ ...line(a), points: a.points }, { ...line(a), points: a.points })!.shape.worstM).toBeLessThan(1e-9);
  // some frames of the other one only
  expect(compareSolves(a, on({ frames: a.frames.slice(5, 20) }))!.frames).toBe(15);
});
