import { draws, type SimulatedShot, simulateShot, uniform, some } from '@mesure/synthetic';
import { reconcile } from '../reconcile';
import { solveTracks, type SolveResult, type SolveSetup } from '.';
import { evaluateBundle, Linearisation, stepState, type BundleProblem, type BundleState } from './bundle-problem';
import { splineBasis, zoomSeen } from './zoom';

type Point = readonly [number, number, number];
const u = uniform(3);
const POINTS = Array.from({ length: 90 }, (_, i) => ({ id: `m${i}`, at: [-2.5 + 5 * u(), i % 2 ? 2.4 * u() : 0, -5 + 3.4 * u()] as Point }));
const FRAMES = 60;
const ease = (t: number) => t * t * (3 - 2 * t);
const DOLLY = { path: (t: number): Point => [-0.7 + 1.4 * t, 1.4, 1.2], aim: (): Point => [0, 0.8, -3] };
const PAN = { path: (): Point => [0, 1.4, 1.2], aim: (t: number): Point => [-1 + 2 * t, 0.8 + 0.2 * t, -3] };
/** In from 24 to 40 mm and, in between, at rest. */
const rests = (t: number) => 24 + 16 * ease(Math.min(1, Math.max(0, (t - 0.3) / 0.35)));
const film = (focalMm: (t: number) => number, way: typeof DOLLY | typeof PAN, seed = 7, center: readonly [number, number] = [0, 0]): SimulatedShot =>
  simulateShot({ widthPx: 1920, heightPx: 1080, sensorWidthMm: 24, sensorHeightMm: 13.5, focalMm, frames: FRAMES, points: POINTS, ...way, noisePx: 0.3, seed, center });
const setup = (focal: SolveSetup['focal']): SolveSetup => ({ image: { width: 1920, height: 1080 }, sensor: { widthMm: 24, heightMm: 13.5 }, focal, distortion: { mode: 'none' } });
const at = (focalMm: (t: number) => number, frame: number) => focalMm((frame - 1) / (FRAMES - 1));

test('derivatives by the factors of a zoom are those of the residuals', () => {
  const { count, basis } = splineBasis([1, 2, 3, 4, 5, 6], 2);
  const problem: BundleProblem = {
    cameraCount: 6,
    pointCount: 2,
    camera: Int32Array.of(0, 1, 2, 3, 4, 5, 2),
    point: Int32Array.of(0, 1, 0, 1, 0, 1, 1),
    xPx: new Float64Array(7).fill(900),
    yPx: new Float64Array(7).fill(500),
    weight: new Float64Array(7).fill(0.7),
    lens: { cx: 960, cy: 540, pxPerMmX: 80, pxPerMmY: 80, distortion: { model: 'radial', k: [-0.05, 0, 0], p: [0, 0] }, normaliserMm: 30, follows: false },
    focal: { held: false },
    profile: Float64Array.of(1, 1.05, 1.1, 1.2, 1.2, 1.3),
    zoom: { count, basis },
  };
  const state: BundleState = {
    rotations: Float64Array.from({ length: 54 }, (_, i) => ((i % 9) % 4 === 0 ? 1 : 0)),
    translations: new Float64Array(18),
    points: Float64Array.of(0.4, 0.3, 3, -0.5, 0.2, 4),
    focalMm: 28,
    zoom: Float64Array.from({ length: count }, (_, k) => 0.01 * k),
  };
  const lin = new Linearisation(7);
  evaluateBundle(problem, state, lin, true);
  const zero = [new Float64Array(36), new Float64Array(6)] as const;
  for (let k = 0; k < count; k += 1) {
    const h = 1e-5;
    const moved = [h, -h].map((d) => {
      const out = new Linearisation(7);
      evaluateBundle(
        problem,
        stepState(
          state,
          zero[0],
          zero[1],
          0,
          Float64Array.from({ length: count }, (_, q) => (q === k ? d : 0)),
        ),
        out,
        false,
      );
      return out.residual;
    });
    for (let i = 0; i < 14; i += 1) expect(lin.jFocal[i] * lin.zoomOverFocal[problem.camera[i >> 1] * count + k]).toBeCloseTo((moved[0][i] - moved[1][i]) / (2 * h), 3);
  }
});

test.each(
  some<[string, SolveSetup['focal']]>(
    [
      ['its rough range', { mode: 'zoom', mm: 32, sigmaMm: 8 }],
      ['a middle that is 40 % off', { mode: 'zoom', mm: 45 }],
      ['its ends as noted, two per cent off', { mode: 'zoom', mm: 24.5, endMm: 40, profile: [{ frame: 1, mm: 24.5 }, { frame: FRAMES, mm: 40 }] }], // prettier-ignore
    ],
    2,
  ),
)('a dolly that zooms and rests, from %s: every frame within one and a half per cent, and within its sigma', (_what, focal) => {
  const shot = film(rests, DOLLY);
  const s = solveTracks(shot.tracks, setup(focal));
  expect([s.status, s.frames.length, s.focalMode]).toEqual(['solved', FRAMES, 'zoom']);
  const z = s.frames.map((f) => (f.focalMm - at(rests, f.frame)) / f.sigmaFocalMm!);
  for (const f of s.frames) expect(Math.abs(f.focalMm / at(rests, f.frame) - 1)).toBeLessThan(0.015);
  expect(Math.sqrt(z.reduce((a, v) => a + v * v, 0) / z.length)).toBeLessThan(2);
  // the residual of every frame is noise again
  expect(Math.max(...s.frames.map((f) => f.rmsPx)) / s.rmsPx!).toBeLessThan(1.6);
});

test('a pan that zooms is told as a turn, its focal length to a thousandth', () => {
  const focal = (t: number) => 24 + 12 * ease(t);
  const s = solveTracks(film(focal, PAN).tracks, setup({ mode: 'zoom', mm: 30, sigmaMm: 8 }));
  expect(s.motion).toBe('pan');
  for (const f of s.frames) expect(Math.abs(f.focalMm / at(focal, f.frame) - 1)).toBeLessThan(0.001);
});

describe('a lens that does not sit over the middle of the picture', () => {
  const OFF = [26, -17] as const;
  const worst = (focalMm: (t: number) => number, s: { frames: readonly { frame: number; focalMm: number }[] }) => Math.max(...s.frames.map((f) => Math.abs(f.focalMm / at(focalMm, f.frame) - 1)));

  test('a pan that zooms through it is told as a turn, in and out of a rest, with its centre: taken from the middle it looks like a move', () => {
    const runs = draws(12, 1);
    let z2 = 0;
    for (let seed = 1; seed <= runs; seed += 1) {
      const { tracks } = film(rests, PAN, seed, OFF);
      const s = solveTracks(tracks, setup({ mode: 'zoom', mm: 24 }));
      expect(s.motion).toBe('pan');
      expect(worst(rests, s)).toBeLessThan(0.002);
      const { x, y, sigmaX, sigmaY, told } = s.found!.principalPx!;
      expect(told).toBe(true);
      z2 += (((x - 986) / sigmaX!) ** 2 + ((y - 523) / sigmaY!) ** 2) / (2 * runs);
      if (seed > 1) continue;
      const middle = solveTracks(tracks, { ...setup({ mode: 'zoom', mm: 24 }), principalPoint: { mode: 'held' } });
      expect(worst(rests, middle)).toBeGreaterThan(0.005);
      expect(middle.found).toBeUndefined();
    }
    expect(z2).toBeLessThan(draws(2, 6));
  });

  test('a dolly that zooms through it stays a move, and knows its centre within its sigma; one that hardly zooms says nothing of it', () => {
    const s = solveTracks(film(rests, DOLLY, 3, OFF).tracks, setup({ mode: 'zoom', mm: 24 }));
    expect(s.motion).toBeUndefined();
    expect(worst(rests, s)).toBeLessThan(0.01);
    const { x, y, sigmaX, sigmaY } = s.found!.principalPx!;
    expect(Math.abs(x - 986)).toBeLessThan(4 * sigmaX!);
    expect(Math.abs(y - 523)).toBeLessThan(4 * sigmaY!);
    expect(sigmaX!).toBeLessThan(5);
    const still = solveTracks(film(() => 30, DOLLY, 3, [4, 2]).tracks, setup({ mode: 'zoom', mm: 30, sigmaMm: 3 }));
    expect(still.found).toBeUndefined();
    expect(still.warnings.map((w) => w.code)).not.toContain('CENTRE_NOT_TOLD');
  });

  test('a plate of one length of the zoom is not held against what it found', () => {
    const plate = { mode: 'held' as const, model: 'radial', k: [0, 0, 0], p: [0, 0], center: [967, 545] as const };
    const s0 = { ...setup({ mode: 'zoom', mm: 24 }), distortion: plate };
    const s = solveTracks(film(rests, DOLLY, 5, OFF).tracks, s0);
    expect(Math.abs(s.found!.principalPx!.x - 986)).toBeLessThan(4 * s.found!.principalPx!.sigmaX!);
    expect(reconcile(s0, s).items.map((i) => i.quantity)).not.toContain('principalX');
  });
});

test('a lens that did not zoom comes out as one length, as a zoom too', () => {
  const s = solveTracks(film(() => 30, DOLLY).tracks, setup({ mode: 'zoom', mm: 34, sigmaMm: 10 }));
  for (const f of s.frames) expect(Math.abs(f.focalMm / 30 - 1)).toBeLessThan(0.005);
});

describe('a zoom that nobody noted', () => {
  const asOne = { noisePx: 0.3, driftFactor: 9, points: Array.from({ length: 90 }) } as unknown as SolveResult;
  const asZoom = (noisePx: number, points: number, driftFactor = 1) =>
    ({ status: 'solved', noisePx, driftFactor, points: Array.from({ length: points }), frames: [{ focalMm: 18 }, { focalMm: 27 }] }) as unknown as SolveResult;
  test.each<[string, SolveResult, number | null]>([
    ['the same tracks more quietly', asZoom(0.2, 90), 1.5],
    ['no more quietly', asZoom(0.31, 90), null],
    ['tracks that were left out for their quiet', asZoom(0.35, 140), 1.5],
    ['them at another noise', asZoom(0.5, 140), null],
    ['them with errors that still go along', asZoom(0.2, 140, 6), null],
  ])('is seen where it explains %s', (_name, zoom, change) => {
    expect(zoomSeen(asOne, zoom)).toBe(change);
  });

  test.each(
    some<[string, SolveSetup['focal']]>(
      [
        ['held', { mode: 'held', mm: 32 }],
        ['free', { mode: 'free', mm: 32 }],
      ],
      1,
    ),
  )('is told where the focal length is %s, and no fact is judged by such a solve', (_mode, focal) => {
    const shot = film(rests, DOLLY);
    const s = solveTracks(shot.tracks, setup(focal));
    expect([s.status, s.warnings[0].words]).toEqual(['partial', expect.stringMatching(/The lens zooms: the focal length changes during the take, by about \d\d %/)]);
    const r = reconcile({ ...setup(focal), anchors: { lengths: [{ a: 'm0', b: 'm1', m: 2, sigmaM: 0.003 }] } }, s);
    expect(r.verdict).toBe('not observable');
    expect(r.items.every((i) => i.verdict === 'not observable')).toBe(true);
    expect(r.items[0].causes[0].cause).toBe('zoom-not-noted');
  });

  test('of shots that do not zoom none is called one', () => {
    for (let seed = 1; seed <= draws(6, 1); seed += 1)
      for (const way of [DOLLY, { path: (t: number): Point => [0.1 * t, 1.4, 2 - 1.2 * t], aim: (): Point => [0, 0.8, -3] }]) {
        const s = solveTracks(film(() => 30, way, seed).tracks, setup({ mode: 'free', mm: 32 }));
        expect([s.status, s.zoomed ?? null]).toEqual(['solved', null]);
      }
  });
});

test('a zoom that comes out far from what was noted is not passed off as solved', () => {
  // it moves in as it zooms out: the picture hardly grows, and path and lens trade places
  const s = solveTracks(film((t) => 40 - 16 * t, { path: (t: number): Point => [0.2 * t, 1.4, 1.6 - 1.4 * t], aim: (): Point => [0, 0.8, -3] }).tracks, setup({ mode: 'zoom', mm: 32, sigmaMm: 8 }));
  const worst = Math.max(...s.frames.map((f) => Math.abs(f.focalMm / at((t) => 40 - 16 * t, f.frame) - 1)));
  if (worst > 0.3) expect([s.status, s.reason]).toEqual(['partial', expect.stringMatching(/24\.0 to 40\.0 mm were noted/)]);
  // with its ends noted it is solved
  const noted = solveTracks(film((t) => 40 - 16 * t, { path: (t: number): Point => [0.2 * t, 1.4, 1.6 - 1.4 * t], aim: (): Point => [0, 0.8, -3] }).tracks, setup({ mode: 'zoom', mm: 40, endMm: 24 }));
  expect(noted.status).toBe('solved');
  for (const f of noted.frames) expect(Math.abs(f.focalMm / at((t) => 40 - 16 * t, f.frame) - 1)).toBeLessThan(0.03);
});

test('reconcile reads a zoom at the frames that were noted', () => {
  const focal = { mode: 'zoom' as const, mm: 24, endMm: 35, profile: [{ frame: 1, mm: 24 }, { frame: FRAMES, mm: 35 }] }; // prettier-ignore
  const r = reconcile(setup(focal), solveTracks(film(rests, DOLLY).tracks, setup(focal)));
  expect(r.items.filter((i) => i.quantity === 'focalLength').map((i) => [i.about, i.verdict])).toEqual([
    [`focal length, frame ${FRAMES}`, 'contradicts'],
    ['focal length, frame 1', 'agrees'],
  ]);
});

test('a zoom past something that moves along: what was held out in vain leaves lengths, places and points as they belong together', () => {
  // a fifth of the tracks slide, so that the worst are held out and judged anew
  const shot = film(rests, DOLLY, 9);
  const slide = shot.tracks.map((t) => (Number(t.track.slice(1)) % 5 === 0 ? { ...t, x: t.x + 2 * Math.sin(t.frame / 6), y: t.y + 1.5 * Math.cos(t.frame / 7) } : t));
  const s = solveTracks(slide, setup({ mode: 'zoom', mm: 32, sigmaMm: 8 }));
  for (const f of s.frames) expect(Math.abs(f.focalMm / at(rests, f.frame) - 1)).toBeLessThan(0.02);
  expect(s.rmsPx).toBeLessThan(0.6);
  const left = s.trimmed.map((t) => Number(t.track.slice(1)));
  expect(left.filter((n) => n % 5 === 0).length).toBeGreaterThan(0.8 * left.length);
});
