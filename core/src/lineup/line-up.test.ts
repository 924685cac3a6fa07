import { draws, normals, uniform } from '@mesure/synthetic';
import { quatToMat, type Vec3 } from '../math';
import type { SolveSetup } from '../solve';
import { lineUpPicture } from './line-up-picture';
import type { LineUpMark, LineUpPoint } from './line-up-result';
import { wordsOf } from '../warnings';

const W = 4096;
const H = 2160;
const FOCAL = 27.4;
const SETUP: SolveSetup = { image: { width: W, height: H }, sensor: { widthMm: 24, heightMm: 12.65625 }, focal: { mode: 'free', mm: 32 }, distortion: { mode: 'none' } };
/** A plate saw that its lens does not bend. */
const PLATED: SolveSetup = { ...SETUP, distortion: { mode: 'held', model: 'radial', k: [0, 0, 0] } };
const CAMERA: Vec3 = [0.7, 1.42, 2.1];
const [HEADING, TILT, K1] = [0.18, -0.14, -0.05];

/** This file's own camera: heading about Y, then tilt; Y up, −Z forwards; bent by k1 at the true focal length. */
function project([px, py, pz]: Vec3, focalMm = FOCAL, k1 = 0): { xPx: number; yPx: number } {
  const [dx, dy, dz] = [px - CAMERA[0], py - CAMERA[1], pz - CAMERA[2]];
  const [ch, sh, ct, st] = [Math.cos(HEADING), Math.sin(HEADING), Math.cos(TILT), Math.sin(TILT)];
  const right = ch * dx - sh * dz;
  const ahead = -sh * dx - ch * dz;
  const forward = ct * ahead + st * dy;
  const up = ct * dy - st * ahead;
  const f = (focalMm / 24) * W;
  const [x, y] = [right / forward, -up / forward];
  const by = 1 + k1 * (x * x + y * y);
  return { xPx: W / 2 + f * x * by, yPx: H / 2 + f * y * by };
}
const u = uniform(9);
const POINTS: LineUpPoint[] = Array.from({ length: 9 }, (_, i) => ({ id: `p${i}`, position: [-1.2 + 2.6 * u(), i % 3 === 0 ? 0 : 1.9 * u(), -1.2 - 3 * u()] as Vec3 }));
const marked = (noisePx: number, seed: number, points = POINTS, k1 = 0): LineUpMark[] => {
  const n = normals(seed);
  return points.map((p) => {
    const q = project(p.position, FOCAL, k1);
    return { id: p.id, xPx: q.xPx + noisePx * n(), yPx: q.yPx + noisePx * n() };
  });
};
const off = (p: Vec3 | null) => Math.hypot(p![0] - CAMERA[0], p![1] - CAMERA[1], p![2] - CAMERA[2]);

test('exact marks give the camera, its turn and its focal length exactly, from a record that is 17 % off', () => {
  const r = lineUpPicture(marked(0, 1), POINTS, SETUP);
  expect(r.status).toBe('solved');
  expect(off(r.position)).toBeLessThan(1e-5);
  expect(r.focalMm).toBeCloseTo(FOCAL, 4);
  const m = quatToMat(r.rotation!);
  // the camera's −Z looks along its heading and tilt
  expect(-m[2]).toBeCloseTo(-Math.sin(HEADING) * Math.cos(TILT), 5);
  expect(-m[5]).toBeCloseTo(Math.sin(TILT), 5);
});

test('the distortion that was recorded is used: a bent picture lines up as well, and badly without it', () => {
  const bent = marked(0, 1, POINTS, K1);
  const held: SolveSetup = { ...SETUP, distortion: { mode: 'held', model: 'radial', k: [K1, 0, 0], focalMm: FOCAL } };
  expect(off(lineUpPicture(bent, POINTS, held).position)).toBeLessThan(1e-4);
  expect(lineUpPicture(bent, POINTS, PLATED).rmsPx).toBeGreaterThan(0.5);
});

test('errors of place and focal length are what their sigmas say, over many pictures', () => {
  let [zf, inside, sum] = [0, 0, 0];
  const runs = draws(60, 24);
  for (let i = 0; i < runs; i += 1) {
    const r = lineUpPicture(marked(0.7, 10 + i), POINTS, PLATED);
    const z = (r.focalMm! - FOCAL) / r.sigmaFocalMm!;
    zf += z * z;
    if (Math.abs(z) < 2) inside += 1;
    sum += [0, 1, 2].reduce((s, k) => s + ((r.position![k] - CAMERA[k]) / r.sigmaPositionM![k]) ** 2, 0) / 3;
  }
  expect(zf / runs).toBeGreaterThan(0.5);
  expect(zf / runs).toBeLessThan(1.5);
  expect(sum / runs).toBeGreaterThan(0.5);
  expect(sum / runs).toBeLessThan(1.5);
  expect(inside / runs).toBeGreaterThan(0.88);
});

test('lenses that bend as lenses do and that nobody measured: place and focal length are nearer than by a straight one, and as far off as is said', () => {
  const runs = draws(60, 24);
  // what lenses usually have at the corner of the picture: 1.5 % of its distance from the middle
  const usual = 0.015 / ((12 ** 2 + 6.328125 ** 2) / FOCAL ** 2);
  const n = normals(5);
  const few = POINTS.slice(0, 6);
  for (const points of [POINTS, few]) {
    const z2 = { bearing: [0, 0], straight: [0, 0] };
    const offMm2 = { bearing: 0, straight: 0 };
    for (let i = 0; i < runs; i += 1) {
      const marks = marked(0.7, 10 + i, points, usual * n());
      for (const [way, setup] of [
        ['bearing', SETUP],
        ['straight', PLATED],
      ] as const) {
        const r = lineUpPicture(marks, points, setup);
        offMm2[way] += (1000 * off(r.position)) ** 2 / runs;
        z2[way][0] += ((r.focalMm! - FOCAL) / r.sigmaFocalMm!) ** 2 / runs;
        z2[way][1] += [0, 1, 2].reduce((s, k) => s + ((r.position![k] - CAMERA[k]) / r.sigmaPositionM![k]) ** 2, 0) / 3 / runs;
      }
    }
    console.info(`${points.length} points: off by ${Math.sqrt(offMm2.bearing).toFixed(1)} mm, as a straight lens ${Math.sqrt(offMm2.straight).toFixed(1)}; z² ${JSON.stringify(z2)}`);
    for (const z of z2.bearing) expect(Math.abs(z - 1)).toBeLessThan(4.2 * Math.sqrt(2 / runs));
    expect(offMm2.straight).toBeGreaterThan(1.2 * offMm2.bearing);
  }
});

test('a lens that bends plainly is said to, with how much', () => {
  const r = lineUpPicture(marked(0.5, 3, POINTS, -0.15), POINTS, SETUP);
  expect(off(r.position)).toBeLessThan(0.05);
  const [words] = wordsOf(r.warnings).filter((w) => /^The lens bends/.test(w));
  // −0.15 at the square of the corner's slope
  const [, pct, sigma, side] = /lies ([\d.]+) ± ([\d.]+) % (too near|too far)/.exec(words)!;
  expect(side).toBe('too near');
  expect(Math.abs(Number(pct) - 15 * ((12 ** 2 + 6.328125 ** 2) / FOCAL ** 2))).toBeLessThan(4 * Number(sigma) + 0.1);
  expect(lineUpPicture(marked(0.5, 3), POINTS, SETUP).warnings.map((w) => w.code)).not.toContain('PICTURE_BENDS');
});

test('a mark under the wrong name is found and left out, and the others are right', () => {
  const wrong = marked(0.5, 4).map((m, i) => (i === 2 ? { ...m, xPx: m.xPx + 90, yPx: m.yPx - 40 } : m));
  const r = lineUpPicture(wrong, POINTS, SETUP);
  expect(r.marks.filter((m) => m.left).map((m) => m.id)).toEqual(['p2']);
  expect(wordsOf(r.warnings).join()).toMatch(/p2 lies \d+\.\d px off what the others say/);
  expect(off(r.position)).toBeLessThan(4 * Math.hypot(...r.sigmaPositionM!));
});

test('a held focal length is not touched, a guided one is pulled by its own sigma', () => {
  const held = lineUpPicture(marked(0.5, 3), POINTS, { ...SETUP, focal: { mode: 'held', mm: FOCAL } });
  expect([held.focalMm, held.sigmaFocalMm]).toEqual([FOCAL, 0]);
  const guided = lineUpPicture(marked(0.5, 3), POINTS, { ...SETUP, focal: { mode: 'guided', mm: 22, sigmaMm: 0.001 } });
  expect(Math.abs(guided.focalMm! - 22)).toBeLessThan(0.005);
  // and it is said that the marks do not agree with such a focal length
  expect(wordsOf(guided.warnings).join()).toMatch(/times what is usual/);
});

test('points in one plane seen square-on do not show the focal length, and it says so', () => {
  const wall = POINTS.map((p, i): LineUpPoint => ({ id: p.id, position: [-1.4 + 0.35 * i, 0.6 + 0.3 * ((i * 2) % 4), -3] }));
  const straight = wall.map((p) => {
    const [x, y] = [p.position[0] / 5, -(p.position[1] - 1.2) / 5];
    return { id: p.id, xPx: W / 2 + (FOCAL / 24) * W * x + 0.3 * Math.sin(7 * x), yPx: H / 2 + (FOCAL / 24) * W * y };
  });
  const r = lineUpPicture(straight, wall, SETUP);
  if (r.status === 'solved') expect([r.sigmaFocalMm! > 0.02 * r.focalMm!, wordsOf(r.warnings).join()]).toEqual([true, expect.stringMatching(/one plane/)]);
  else expect(r.reason).toMatch(/do not determine/);
});

test('bad input is refused in words', () => {
  expect(lineUpPicture(marked(0, 1).slice(0, 3), POINTS, SETUP)).toMatchObject({ status: 'failed', reason: expect.stringMatching(/3 marks have a known place; 4 are the least/) });
  expect(() => lineUpPicture([...marked(0, 1), { id: 'p0', xPx: 1, yPx: 1 }], POINTS, SETUP)).toThrow(/p0 is marked twice/);
  const stranger = lineUpPicture([...marked(0, 1), { id: 'x9', xPx: 1, yPx: 1 }], POINTS, SETUP);
  expect(wordsOf(stranger.warnings).join()).toMatch(/Of x9 no place is known/);
});
