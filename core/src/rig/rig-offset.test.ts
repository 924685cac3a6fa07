import { simulateShot, uniform } from '@mesure/synthetic';
import { quatToMat, type Vec3 } from '../math';
import { solveTracks, type SolveResult } from '../solve';
import { rigOffset } from './rig-offset';
import { wordsOf } from '../warnings';

type Point = readonly [number, number, number];
const LENS = { widthPx: 3840, heightPx: 2160, sensorWidthMm: 24, sensorHeightMm: 13.5 };
const FRAMES = 30;
const u = uniform(5);
const POINTS = Array.from({ length: 50 }, (_, i) => ({ id: `m${i}`, at: [-2.2 + 4.4 * u(), i % 2 ? 2 * u() : 0, -4.8 + 3 * u()] as Point }));
const path = (t: number): Point => [-0.8 + 1.6 * t, 1.4 + 0.05 * Math.sin(6 * t), 1.2];
const aim = (t: number): Point => [0.2 * t, 0.8, -3];
const camera = simulateShot({ ...LENS, focalMm: 25, frames: FRAMES, points: POINTS, path, aim, noisePx: 0, seed: 1 }).cameras;
/** B sits 0.30 m to the right and 0.12 m above A, and looks the same way; from the frame on it is knocked aside. */
const beside = (f: number, knockedFrom = Infinity): Point => {
  const c = camera[Math.min(FRAMES - 1, Math.max(0, f))];
  const right = f >= knockedFrom ? 0.34 : 0.3;
  return [0, 1, 2].map((k) => c.position[k] + right * c.right[k] - 0.12 * c.down[k]) as unknown as Point;
};
const frameOf = (t: number) => Math.round(t * (FRAMES - 1));
function solved(which: 'A' | 'B', knockedFrom?: number): SolveResult {
  const where = (t: number) => (which === 'A' ? path(t) : beside(frameOf(t), knockedFrom));
  const towards = (t: number): Point => {
    if (which === 'A') return aim(t);
    const c = camera[frameOf(t)];
    const p = beside(frameOf(t), knockedFrom);
    return [0, 1, 2].map((k) => p[k] + c.forward[k]) as unknown as Point;
  };
  const shot = simulateShot({ ...LENS, focalMm: which === 'A' ? 25 : 32, frames: FRAMES, points: POINTS, path: where, aim: towards, noisePx: 0.3, seed: which === 'A' ? 3 : 4 });
  const floor = POINTS.filter((p, i) => i % 2 === 0 && shot.tracks.some((q) => q.track === p.id)).map((p) => p.id);
  const points = POINTS.filter((p) => floor.slice(0, 4).includes(p.id)).map((p) => ({ track: p.id, x: p.at[0], y: p.at[1], z: p.at[2], sigmaM: 0.002 }));
  return solveTracks(shot.tracks, {
    image: { width: 3840, height: 2160 },
    sensor: { widthMm: 24, heightMm: 13.5 },
    focal: { mode: 'held', mm: which === 'A' ? 25 : 32 },
    distortion: { mode: 'none' },
    anchors: { points },
  });
}
const a = solved('A');
const b = solved('B');

test('the offset of two cameras that ran together comes out within its sigma, in A’s own axes', () => {
  const r = rigOffset(a, b);
  expect([r.status, r.stable]).toEqual(['solved', true]);
  const truth: Vec3 = [0.3, 0.12, 0];
  const off = Math.hypot(...truth.map((v, k) => r.translation![k] - v));
  expect(off).toBeLessThan(3 * Math.sqrt(3) * r.sigmaM!);
  expect(off).toBeLessThan(0.02);
  expect(r.sigmaM).toBeLessThan(0.02);
  const m = quatToMat(r.rotation!);
  expect(Math.acos(Math.min(1, (m[0] + m[4] + m[8] - 1) / 2)) * (180 / Math.PI)).toBeLessThan(0.2);
});

test('a rig that is knocked half way is told, with the frame', () => {
  const r = rigOffset(a, solved('B', 16));
  expect(r.stable).toBe(false);
  expect(wordsOf(r.warnings).join()).toMatch(/The rig moved on the way: by (3|4)\d mm/);
});

test('counts that are apart are laid beside each other by the number given, and a wrong one is no rig', () => {
  const later: SolveResult = { ...b, frames: b.frames.map((f) => ({ ...f, frame: f.frame + 100 })) };
  expect(rigOffset(a, later)).toMatchObject({ status: 'failed', reason: expect.stringMatching(/--frames/) });
  expect(rigOffset(a, later, 100).translation![0]).toBeCloseTo(0.3, 2);
  const shifted = rigOffset(a, later, 95);
  // five frames of this dolly are a quarter of a metre
  expect(Math.hypot(shifted.translation![0] - 0.3, shifted.translation![1] - 0.12, shifted.translation![2])).toBeGreaterThan(0.1);
});

test('without metres, or of a camera that only turned, there is no offset, and it says why', () => {
  expect(rigOffset(a, { ...b, anchoring: { ...b.anchoring, scale: null } })).toMatchObject({ status: 'failed', reason: expect.stringMatching(/no scale/) });
  expect(rigOffset({ ...a, motion: 'pan' }, b)).toMatchObject({ status: 'failed', reason: expect.stringMatching(/only turned/) });
  expect(() => rigOffset({ ...a, frames: [] }, b)).toThrow(/no cameras/);
});
