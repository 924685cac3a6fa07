import { driftingTracks, normals, simulateShot, uniform, type ShotScene, type SimulatedShot } from '@mesure/synthetic';
import { CancelledError } from '../errors';
import { expSO3, mulMat3, rotationAngle, seededRandom, type Mat3, type Vec3 } from '../math';
import { reconcile } from '../reconcile';
import { threePointPose } from './absolute-pose';
import { solveTracks, type SolveSetup } from '.';
import { evaluateBundle, Linearisation, stepState, type BundleProblem, type BundleState } from './bundle-problem';
import type { FirstAnswer } from './first-answer';
import { fivePoint } from './five-point';
import { SchurSystem } from './schur';
import { Matrix, solve as solveDense } from 'ml-matrix';
import { wordsOf } from '../warnings';

type P3 = readonly [number, number, number];
const W = 2048,
  H = 1080,
  SENSOR = { widthMm: 24, heightMm: 12.66 };

/** Points on floor, wall and between, from a seed: the truth of the tests below. */
function scatter(count: number, seed = 3): { id: string; at: P3 }[] {
  const u = uniform(seed);
  return Array.from({ length: count }, (_, i) => {
    const at: P3 = i % 3 === 0 ? [-3 + 6 * u(), 0, -5 + 4 * u()] : i % 3 === 1 ? [-3 + 6 * u(), 2.4 * u(), -5.2] : [-2 + 4 * u(), 1.5 * u(), -4 + 2 * u()];
    return { id: `m${i}`, at };
  });
}

function shot(change: Partial<ShotScene> = {}): SimulatedShot {
  return simulateShot({
    widthPx: W,
    heightPx: H,
    focalMm: 24,
    sensorWidthMm: SENSOR.widthMm,
    sensorHeightMm: SENSOR.heightMm,
    frames: 40,
    noisePx: 0.4,
    seed: 5,
    points: scatter(70),
    path: (t) => [-1 + 2 * t, 1.4 + 0.2 * t, 1.5 - 0.3 * t],
    aim: (t) => [0.2 * t, 0.8, -3.5],
    ...change,
  });
}
const setup = (change: Partial<SolveSetup> = {}): SolveSetup => ({ image: { width: W, height: H }, sensor: SENSOR, focal: { mode: 'held', mm: 24 }, distortion: { mode: 'none' }, ...change });

/** What an adjustment from the truth reaches on average: √2 σ √(1 − unknowns / 2n). */
const expectedRms = (sigmaPx: number, frames: number, points: number, observations: number, focal: number) =>
  Math.SQRT2 * sigmaPx * Math.sqrt(1 - (6 * frames + 3 * points - 7 + focal) / (2 * observations));

describe('minimal solvers', () => {
  test.each([
    ['at depths of their own', 4, 1],
    ['in one plane', 0, 1],
    ['seen from a small step', 4, 0.1],
  ])('five point: of points %s the true essential matrix is among the solutions', (_what, depth, step) => {
    const u = uniform(4);
    const nearest = Array.from({ length: 100 }, () => {
      const r = expSO3([0.2 * u(), 0.3 * u() - 0.1, 0.1 * u()]);
      const t = [step * (u() - 0.5), step * (u() - 0.5), step * 0.3 * u()] as const;
      const pairs = Array.from({ length: 5 }, () => {
        const X: Vec3 = [4 * u() - 2, 3 * u() - 1.5, 4 + depth * u()];
        const Y = [0, 1, 2].map((i) => r[3 * i] * X[0] + r[3 * i + 1] * X[1] + r[3 * i + 2] * X[2] + t[i]);
        return { x1: X[0] / X[2], y1: X[1] / X[2], x2: Y[0] / Y[2], y2: Y[1] / Y[2] };
      });
      const cross: Mat3 = [0, -t[2], t[1], t[2], 0, -t[0], -t[1], t[0], 0];
      const e = mulMat3(cross, r);
      const n = Math.hypot(...e);
      return Math.min(...fivePoint(pairs).map((q) => Math.min(...[1, -1].map((s) => Math.hypot(...q.map((v, i) => v - (s * e[i]) / n))))));
    }).sort((a, b) => a - b);
    expect(nearest[50]).toBeLessThan(1e-9);
    // five rays that hardly differ know it to fewer digits
    expect(nearest[99]).toBeLessThan(1e-3);
  });

  test('three point: the true pose is among the solutions', () => {
    const u = uniform(6);
    for (let trial = 0; trial < 20; trial += 1) {
      const rotation = expSO3([u() - 0.5, u() - 0.5, u() - 0.5]);
      const translation: Vec3 = [u() - 0.5, u() - 0.5, 6 + u()];
      const sightings = Array.from({ length: 3 }, () => {
        const point: Vec3 = [3 * u() - 1.5, 3 * u() - 1.5, 2 * u()];
        const c = [0, 1, 2].map((i) => rotation[3 * i] * point[0] + rotation[3 * i + 1] * point[1] + rotation[3 * i + 2] * point[2] + translation[i]);
        return { point, x: c[0] / c[2], y: c[1] / c[2] };
      });
      const misses = threePointPose(sightings).map((p) => rotationAngle(p.rotation, rotation) + Math.hypot(...p.translation.map((v, i) => v - translation[i])));
      expect(Math.min(...misses)).toBeLessThan(1e-5);
    }
  });
});

/** A small bundle with everything in it, for checks against differences and against dense algebra. */
function smallBundle(cameras: number, points: number, follows: boolean): { problem: BundleProblem; state: BundleState } {
  const g = normals(12);
  const n = cameras * points;
  const problem: BundleProblem = {
    cameraCount: cameras,
    pointCount: points,
    camera: Int32Array.from({ length: n }, (_, i) => Math.floor(i / points)),
    point: Int32Array.from({ length: n }, (_, i) => i % points),
    xPx: Float64Array.from({ length: n }, () => 1000 + 100 * g()),
    yPx: Float64Array.from({ length: n }, () => 500 + 100 * g()),
    weight: Float64Array.from({ length: n }, (_, i) => 1 + (i % 3)),
    lens: { cx: 1024, cy: 540, pxPerMmX: 85, pxPerMmY: 84, distortion: { model: 'radial', k: [-0.1, 0.02, -0.003], p: [0.001, -0.002] }, normaliserMm: 26, follows },
    focal: { held: false, priorMm: 25, priorSigmaMm: 0.5 },
  };
  const state: BundleState = {
    rotations: Float64Array.from(Array.from({ length: cameras }, () => [...expSO3([0.1 * g(), 0.1 * g(), 0.1 * g()])]).flat()),
    translations: Float64Array.from({ length: 3 * cameras }, (_, i) => (i % 3 === 2 ? 6 : 0) + 0.4 * g()),
    points: Float64Array.from({ length: 3 * points }, () => g()),
    focalMm: 24,
  };
  return { problem, state };
}

describe('bundle adjustment', () => {
  test.each([[false], [true]])('derivatives agree with differences (distortion follows: %p)', (follows) => {
    const { problem, state } = smallBundle(2, 5, follows);
    const lin = new Linearisation(problem.camera.length),
      plus = new Linearisation(problem.camera.length),
      minus = new Linearisation(problem.camera.length);
    evaluateBundle(problem, state, lin, true);
    const h = 1e-6;
    const compare = (camera: number[], point: number[], focal: number, read: (i: number, row: number) => number) => {
      const step = (s: number) =>
        stepState(
          state,
          Float64Array.from({ length: 12 }, (_, k) => s * h * (camera[k] ?? 0)),
          Float64Array.from({ length: 15 }, (_, k) => s * h * (point[k] ?? 0)),
          s * h * focal,
        );
      evaluateBundle(problem, step(1), plus, false);
      evaluateBundle(problem, step(-1), minus, false);
      for (let i = 0; i < problem.camera.length; i += 1) {
        for (const row of [0, 1]) {
          const difference = (plus.residual[2 * i + row] - minus.residual[2 * i + row]) / (2 * h);
          expect(Math.abs(read(i, row) - difference)).toBeLessThan(1e-4 * (1 + Math.abs(difference)));
        }
      }
    };
    for (let k = 0; k < 12; k += 1)
      compare(
        Array.from({ length: 12 }, (_, j) => Number(j === k)),
        [],
        0,
        (i, row) => (problem.camera[i] === Math.floor(k / 6) ? lin.jCamera[12 * i + 6 * row + (k % 6)] : 0),
      );
    for (let k = 0; k < 15; k += 1)
      compare(
        [],
        Array.from({ length: 15 }, (_, j) => Number(j === k)),
        0,
        (i, row) => (problem.point[i] === Math.floor(k / 3) ? lin.jPoint[6 * i + 3 * row + (k % 3)] : 0),
      );
    compare([], [], 1, (i, row) => lin.jFocal[2 * i + row]);
  });

  test.each([
    [3, 14],
    [14, 5],
  ])('the Schur complement solves the full normal equations (%i cameras, %i points)', (cameras, points) => {
    const { problem, state } = smallBundle(cameras, points, false);
    const lin = new Linearisation(problem.camera.length);
    evaluateBundle(problem, state, lin, true);
    const size = 6 * cameras + 3 * points + 1;
    const n = Matrix.zeros(size, size);
    const row = new Array<number>(size);
    for (let i = 0; i < problem.camera.length; i += 1) {
      for (const q of [0, 1]) {
        row.fill(0);
        for (let k = 0; k < 6; k += 1) row[6 * problem.camera[i] + k] = lin.jCamera[12 * i + 6 * q + k];
        for (let k = 0; k < 3; k += 1) row[6 * cameras + 3 * problem.point[i] + k] = lin.jPoint[6 * i + 3 * q + k];
        row[size - 1] = lin.jFocal[2 * i + q];
        for (let a = 0; a < size; a += 1) if (row[a] !== 0) for (let b = 0; b < size; b += 1) n.set(a, b, n.get(a, b) + row[a] * row[b]);
      }
    }
    const damping = 0.01,
      prior = 4;
    n.set(size - 1, size - 1, n.get(size - 1, size - 1) + prior);
    for (let a = 0; a < size; a += 1) n.set(a, a, n.get(a, a) * (1 + damping));
    const b = Float64Array.from({ length: size }, (_, i) => Math.cos(i));
    const expected = solveDense(n, Matrix.columnVector(Array.from(b))).to1DArray();
    const system = new SchurSystem(problem);
    expect(system.eliminatesPoints).toBe(points > cameras);
    expect(system.factor(lin, damping, prior)).toBe(true);
    const got = system.solve(b.slice(0, 6 * cameras), b.slice(6 * cameras, size - 1), b[size - 1]);
    [...got.camera, ...got.point, got.focal].forEach((v, i) => expect(Math.abs(v - expected[i])).toBeLessThan(1e-7 * (1 + Math.abs(expected[i]))));
  });
});

describe('solveTracks', () => {
  test('reaches the optimum that the noise allows', () => {
    const { tracks } = shot();
    const r = solveTracks(tracks, setup());
    expect(r.status).toBe('solved');
    expect(r.frames).toHaveLength(40);
    const n = r.points.reduce((s, p) => s + p.observations, 0);
    expect(n).toBeGreaterThan(0.97 * tracks.length);
    expect(Math.abs(r.rmsPx! / expectedRms(0.4, 40, r.points.length, n, 0) - 1)).toBeLessThan(0.05);
    expect(r.rmsPerMille).toBeCloseTo((1000 * r.rmsPx!) / W, 10);
    expect(r.noisePx).toBeCloseTo(0.4, 1);
  });

  test.each([
    [24, 24],
    [17.04, 24],
    [32, 24],
    [24, 20],
  ])('free focal length: truth %p mm, recorded %p mm', (trueMm, recordedMm) => {
    const { tracks } = shot({ focalMm: trueMm });
    const r = solveTracks(tracks, setup({ focal: { mode: 'free', mm: recordedMm } }));
    expect(r.status).toBe('solved');
    expect(Math.abs(r.focalMm! - trueMm)).toBeLessThan(4 * r.sigmaFocalMm!);
    expect(r.sigmaFocalMm!).toBeLessThan(0.02 * trueMm);
  });

  test('guided: a tight record pulls, the data decide within it', () => {
    const { tracks } = shot();
    const r = solveTracks(tracks, setup({ focal: { mode: 'guided', mm: 24.05, sigmaMm: 0.001 } }));
    expect(Math.abs(r.focalMm! - 24.05)).toBeLessThan(0.004);
    expect(r.sigmaFocalMm!).toBeLessThan(0.0011);
  });

  test('held distortion is taken out; left in, it bends the path', () => {
    const k: [number, number, number] = [-0.08, 0.01, 0];
    const { tracks, cameras } = shot({ k });
    const anchors = {
      points: scatter(70)
        .slice(0, 60)
        .map((p) => ({ track: p.id, x: p.at[0], y: p.at[1], z: p.at[2], sigmaM: 0.005 })),
    };
    const worstM = (change: Partial<SolveSetup>) => {
      const r = solveTracks(tracks, setup({ anchors, ...change }));
      return Math.max(...r.frames.map((f) => Math.hypot(...f.position.map((v, i) => v - cameras.find((c) => c.frame === f.frame)!.position[i]))));
    };
    const held = worstM({ distortion: { mode: 'held', model: 'radial', k } });
    expect(held).toBeLessThan(0.02);
    expect(worstM({})).toBeGreaterThan(3 * held);
  });

  test('tracks that move by themselves are left out and named, up to 15 %', () => {
    const u = uniform(9);
    const moving = Array.from({ length: 10 }, (_, i) => ({ id: `walker${i}`, at: [-1 + 2 * u(), 1 + 0.5 * u(), -3] as P3, drift: [0.02 * (u() - 0.5), 0.01 * (u() - 0.5), 0.02 * (u() - 0.5)] as P3 }));
    const { tracks } = shot({ points: [...scatter(60), ...moving] });
    const r = solveTracks(tracks, setup());
    expect(r.status).toBe('solved');
    expect(r.rmsPx!).toBeLessThan(0.65);
    const left = new Set(r.trimmed.map((t) => t.track));
    expect([...left].every((t) => t.startsWith('walker'))).toBe(true);
    expect(left.size).toBeGreaterThanOrEqual(8);
  });

  test('a trim drops single wild places and says which', () => {
    const { tracks } = shot();
    const wild = tracks.map((t, i) => (i % 97 === 0 ? { ...t, x: t.x + 6 } : t));
    const r = solveTracks(wild, setup(), { trim: true });
    const dropped = r.trimmed.filter((t) => t.reason === 'trim');
    expect(dropped.length).toBeGreaterThanOrEqual(0.9 * Math.ceil(tracks.length / 97));
    expect(r.rmsPx!).toBeLessThan(0.62);
  });

  test.each<[string, Partial<ShotScene>, Partial<SolveSetup>]>([
    ['a pan, focal length held', { path: () => [0, 1.4, 1.5], aim: (t) => [-1 + 2 * t, 1, -3.5] }, {}],
    ['a pan, focal length free and wrong', { path: () => [0, 1.4, 1.5], aim: (t) => [-1 + 2 * t, 1, -3.5] }, { focal: { mode: 'free', mm: 20 } }],
    ['a camera that stands still', { path: () => [0, 1.4, 1.5], aim: () => [0, 1, -3.5] }, {}],
  ])('%s: no depth is invented', (_name, scene, change) => {
    const r = solveTracks(shot(scene).tracks, setup(change));
    // turns and directions are seen all the same, which is a part of what was asked
    expect(r).toMatchObject({ motion: 'pan', status: 'partial', reason: expect.stringMatching(/^no parallax/), points: [], anchoring: { scale: null } });
    for (const f of r.frames) expect(f.position).toEqual([0, 0, 0]);
  });

  test('too few tracks, too few frames', () => {
    expect(solveTracks(shot({ points: scatter(7) }).tracks, setup())).toMatchObject({ status: 'failed', reason: expect.stringMatching(/too few/) });
    expect(solveTracks(shot({ frames: 1 }).tracks, setup())).toMatchObject({ status: 'failed', reason: expect.stringMatching(/too few frames/) });
  });

  test('frames that nothing connects are not placed, and said', () => {
    const { tracks } = shot();
    const cut = tracks.map((t) => (t.frame > 28 ? { ...t, track: `${t.track}-b` } : t));
    const r = solveTracks(cut, setup());
    expect(r.status).toBe('partial');
    expect(r.reason).toMatch(/could not be placed \((29–40|1–28)\)/);
    expect(r.frames.length).toBeGreaterThanOrEqual(12);
  });

  test('bad input is refused with its field', () => {
    const { tracks } = shot();
    expect(() => solveTracks([{ ...tracks[0], x: Number.NaN }], setup())).toThrow(expect.objectContaining({ code: 'NON_FINITE_INPUT' }));
    expect(() => solveTracks(tracks, setup({ focal: { mode: 'guided', mm: 24 } }))).toThrow(expect.objectContaining({ field: 'focal.sigmaMm' }));
    expect(() => solveTracks(tracks, setup({ motion: 'sideways' as never }))).toThrow(expect.objectContaining({ field: 'motion' }));
    expect(() => solveTracks([...tracks, tracks[0]], setup())).toThrow(/two places/);
  });

  test('can be stopped', () => {
    expect(() =>
      solveTracks(shot().tracks, setup(), {
        onProgress: ({ stage }) => {
          if (stage === 'adjusting') throw new CancelledError();
        },
      }),
    ).toThrow(CancelledError);
  });

  test('a first answer comes once, before the frames between are placed, and is near', () => {
    const told: ({ at: number } & FirstAnswer)[] = [];
    let [calls, adjusting] = [0, Infinity];
    const { tracks } = shot({ frames: 60, focalMm: 17 });
    solveTracks(tracks, setup({ focal: { mode: 'free', mm: 24 } }), {
      onProgress: ({ stage, coarse }) => {
        calls += 1;
        if (stage === 'adjusting') adjusting = Math.min(adjusting, calls);
        if (coarse) told.push({ at: calls, ...coarse });
      },
    });
    expect(told).toHaveLength(1);
    expect(told[0].at).toBeLessThan(adjusting);
    expect(Math.abs(told[0].focalMm - 17)).toBeLessThan(3 * told[0].sigmaFocalMm!);
    expect(told[0].sigmaFocalMm!).toBeLessThan(0.5);
    expect(Math.abs(told[0].noisePx / 0.4 - 1)).toBeLessThan(0.25);
  });

  test('the stated sigma of the focal length is the scatter of repeated shots', () => {
    const errors: number[] = [];
    const sigmas: number[] = [];
    for (let seed = 1; seed <= 24; seed += 1) {
      const r = solveTracks(shot({ frames: 16, seed: seed * 31, noisePx: 0.5 }).tracks, setup({ focal: { mode: 'guided', mm: 24, sigmaMm: 1000 } }), { seed });
      errors.push(r.focalMm! - 24);
      sigmas.push(r.sigmaFocalMm!);
    }
    const scatterMm = Math.sqrt(errors.reduce((s, e) => s + e * e, 0) / errors.length);
    const stated = sigmas.reduce((a, b) => a + b, 0) / sigmas.length;
    // the scatter of 24 trials is known to 1/√48 = 14 % (one sigma)
    expect(scatterMm / stated).toBeGreaterThan(0.6);
    expect(scatterMm / stated).toBeLessThan(1.45);
  });

  test('a lens that bends and was taken as straight is named, with how much; a straight one is not, nor tracks that drift', () => {
    const { tracks } = shot({ k: [-0.12, 0.02, 0] });
    const bent = solveTracks(tracks, setup());
    expect(bent.bending!.k1).toBeGreaterThan(-0.17);
    expect(bent.bending!.k1).toBeLessThan(-0.07);
    expect(wordsOf(bent.warnings).join(' ')).toMatch(/The lens bends, and this solve took it as straight/);
    expect(solveTracks(tracks, setup({ distortion: { mode: 'held', model: 'radial', k: [-0.12, 0.02, 0] } })).bending).toBeNull();
    expect(solveTracks(shot().tracks, setup()).bending).toBeNull();
    const drifting = solveTracks(driftingTracks(shot({ noisePx: 0.05 }).tracks, 0.3, 0.97, 5), setup());
    expect(drifting.bending).toBeNull();
    expect(wordsOf(drifting.warnings).join(' ')).toMatch(/The tracks drift/);
  });

  test('tracks that follow worse than others are not taken for moving ones', () => {
    const g = normals(31);
    // a third of the tracks slide three times as far as the others; all stand still
    const slide = new Map<string, number>();
    const { tracks } = shot({ noisePx: 0.05 });
    const worse = tracks.map((t) => {
      if (!slide.has(t.track)) slide.set(t.track, (slide.size % 3 === 0 ? 0.6 : 0.2) * g());
      const s = slide.get(t.track)! * (t.frame / 40);
      return { ...t, x: t.x + s, y: t.y - s };
    });
    const left = solveTracks(worse, setup()).trimmed.filter((t) => t.frame === null);
    expect(left.length).toBeLessThan(0.1 * slide.size);
  });

  test('the squeeze that a plate saw is used, and not the one on the barrel', () => {
    // 1.96 in truth, engraved 2
    const { tracks } = shot({ sensorWidthMm: 1.96 * SENSOR.widthMm, noisePx: 0.05, focalMm: 40 });
    const of = (aspect?: number) =>
      solveTracks(tracks, setup({ squeeze: 2, focal: { mode: 'held', mm: 40 }, distortion: { mode: 'held', model: 'radial', k: [0, 0, 0], p: [0, 0], ...(aspect ? { aspect } : {}) } }));
    const told = of(2 / 1.96).rmsPx!;
    expect(told).toBeLessThan(0.073);
    expect(of().rmsPx!).toBeGreaterThan(1.25 * told);
  });

  test('randomness is an argument: the same seed gives the same digits', () => {
    const { tracks } = shot();
    const a = solveTracks(tracks, setup(), { seed: 7 });
    const b = solveTracks(tracks, setup(), { seed: 7 });
    expect(a.frames).toEqual(b.frames);
    expect(seededRandom(3)()).toBe(seededRandom(3)());
  });
});

describe('anchoring', () => {
  const points = scatter(70);
  const at = (id: string) => points.find((p) => p.id === id)!.at;
  const distance = (a: string, b: string) => Math.hypot(...at(a).map((v, i) => v - at(b)[i]));
  // floor marks seen throughout the move
  const { tracks, cameras } = shot();
  const seen = new Set(tracks.filter((t) => t.frame === 1).map((t) => t.track));
  const floor = points
    .filter((p, i) => i % 3 === 0 && seen.has(p.id))
    .map((p) => p.id)
    .slice(0, 5);
  const [a, b, c] = floor;
  const facts = (lengthFactor = 1, heightFactor = 1) => ({
    level: floor,
    origin: a,
    heading: [a, b] as [string, string],
    lengths: [
      { a, b: c, m: distance(a, c) * lengthFactor, sigmaM: 0.002 },
      { a: b, b: c, m: distance(b, c) * lengthFactor, sigmaM: 0.002 },
    ],
    cameraHeights: [{ frame: 1, m: 1.4 * heightFactor, sigmaM: 0.005 }],
  });

  test('cameras and points come out in metres, upright, within their own sigmas', () => {
    const r = solveTracks(tracks, setup({ anchors: facts() }));
    const origin = at(a);
    const dx = at(b)[0] - origin[0],
      dz = at(b)[2] - origin[2];
    const length = Math.hypot(dx, dz);
    // truth carried into the datum: origin at a, +X towards b on the ground
    const toDatum = (p: P3): P3 => {
      const q = [p[0] - origin[0], p[1], p[2] - origin[2]];
      return [(q[0] * dx + q[2] * dz) / length, q[1], (-q[0] * dz + q[2] * dx) / length];
    };
    let squares = 0;
    r.frames.forEach((f, i) => {
      const truth = toDatum(cameras[i].position);
      const miss = Math.hypot(...f.position.map((v, k) => v - truth[k]));
      squares += (miss / f.sigmaPositionM!) ** 2 / 3;
      expect(miss).toBeLessThan(0.06);
    });
    // frames share most of their error, so the mean of squares is loose round 1
    expect(squares / r.frames.length).toBeLessThan(6);
    const p = r.points.find((q) => q.track === c)!;
    expect(Math.hypot(...p.position.map((v, k) => v - toDatum(at(c))[k]))).toBeLessThan(4 * Math.sqrt(3) * p.sigmaM!);
    expect(Math.abs(r.points.find((q) => q.track === a)!.position[1])).toBeLessThan(0.01);
    expect(r.anchoring.scale).not.toBeNull();
    expect(r.warnings.filter(({ words: w }) => /measured/.test(w))).toHaveLength(0);
  });

  test('the camera looks along −Z with +Y up, as in glTF', () => {
    const r = solveTracks(tracks, setup({ anchors: facts() }));
    const [x, y, z, w] = r.frames[0].rotation;
    const up = [2 * (x * y - z * w), 1 - 2 * (x * x + z * z), 2 * (y * z + x * w)];
    expect(up[1]).toBeGreaterThan(0.9);
    const back = [2 * (x * z + y * w), 2 * (y * z - x * w), 1 - 2 * (x * x + y * y)];
    const target = r.points.reduce((s, p) => s.map((v, k) => v + p.position[k] / r.points.length), [0, 0, 0]);
    const towards = target.map((v, k) => v - r.frames[0].position[k]);
    expect(towards.reduce((s, v, k) => s - v * back[k], 0) / Math.hypot(...towards)).toBeGreaterThan(0.8);
  });

  test('a length and a height that disagree are both reported and the lone one is left out', () => {
    const r = solveTracks(tracks, setup({ anchors: facts(1, 2.54) }));
    const height = r.anchoring.residuals.find((q) => q.kind === 'cameraHeight')!;
    expect(height.measuredM).toBeCloseTo(3.556, 3);
    expect(Math.abs(height.independentM! - 1.4)).toBeLessThan(4 * height.sigmaIndependentM!);
    expect(Math.abs(height.normalised!)).toBeGreaterThan(10);
    expect(wordsOf(r.warnings).join(' ')).toMatch(/Camera height, frame 1: measured 3\.556 m, but the rest gives 1\.\d+ ± .* It was left out/);
    expect(Math.abs(r.frames[0].position[1] - 1.4)).toBeLessThan(0.08);
  });

  test('one length and one height that disagree: both worlds are shown, and the scale’s sigma spans them', () => {
    const f = facts(1, 1.5);
    const r = solveTracks(tracks, setup({ anchors: { ...f, lengths: f.lengths.slice(0, 1) } }));
    const [length, height] = ['length', 'cameraHeight'].map((kind) => r.anchoring.residuals.find((q) => q.kind === kind)!);
    expect(Number(length.leftOut) + Number(height.leftOut)).toBe(1);
    expect(Math.abs(height.normalised!)).toBeGreaterThan(3.3);
    expect(Math.abs(length.normalised!)).toBeGreaterThan(3.3);
    expect(r.anchoring.undecided!.worlds).toHaveLength(2);
    expect(r.anchoring.undecided!.decide).toMatch(/^Measure .*: \d\.\d{3} m if .* is wrong, \d\.\d{3} m if .* is wrong\.$/);
    expect(wordsOf(r.warnings).join(' ')).toMatch(/nothing tells which is wrong/);
    expect(r.anchoring.sigmaScalePct!).toBeGreaterThan(20);
  });

  test('height at the end, a distance, tilt and roll are compared with what the solve gives without them', () => {
    const last = cameras[cameras.length - 1].position;
    const [x, y, z] = cameras[0].position;
    // aim of the shot at its first frame: 0, 0.8, −3.5
    const tiltRad = Math.atan2(0.8 - y, Math.hypot(x, z + 3.5));
    const away = Math.hypot(...at(c).map((v, i) => v - cameras[0].position[i]));
    const anchors = (change: { end?: number; away?: number; tilt?: number; roll?: number }) => ({
      ...facts(),
      cameraHeights: [...facts().cameraHeights, { frame: 'last' as const, m: change.end ?? last[1], sigmaM: 0.005 }],
      distances: [{ frame: 1, to: c, m: change.away ?? away, sigmaM: 0.01 }],
      cameraAngles: [
        { frame: 1, of: 'tilt' as const, rad: change.tilt ?? tiltRad, sigmaRad: 0.0017 },
        { frame: 1, of: 'roll' as const, rad: change.roll ?? 0, sigmaRad: 0.0017 },
      ],
    });
    const verdicts = (change: Parameters<typeof anchors>[0]) => {
      const s = setup({ anchors: anchors(change) });
      return Object.fromEntries(reconcile(s, solveTracks(tracks, s)).items.map((i) => [`${i.quantity} ${i.about}`, i.verdict]));
    };
    const right = verdicts({});
    expect(right).toMatchObject({ 'cameraHeight last frame': 'agrees', [`distance ${c}, frame 1`]: 'agrees', 'tilt frame 1': 'agrees', 'roll frame 1': 'agrees' });
    expect(verdicts({ end: last[1] + 0.4 })).toMatchObject({ 'cameraHeight last frame': 'contradicts', 'cameraHeight frame 1': 'agrees' });
    expect(verdicts({ away: away * 1.3 })).toMatchObject({ [`distance ${c}, frame 1`]: 'contradicts', 'cameraHeight frame 1': 'agrees' });
    // read the wrong way round, and rolled as seen from in front
    expect(verdicts({ tilt: -tiltRad, roll: 0.1 })).toMatchObject({ 'tilt frame 1': 'contradicts', 'roll frame 1': 'contradicts' });
  });

  test('a camera that is rolled clockwise as seen from behind has a positive roll', () => {
    const s = setup({ anchors: { ...facts(), cameraAngles: [{ frame: 1, of: 'roll', rad: 0 }] } });
    const roll = 0.2;
    // the picture of a camera that leans to the right turns to the left about its middle
    const turned = tracks.map((t) => {
      const [x, y] = [t.x - W / 2, t.y - H / 2];
      return { ...t, x: W / 2 + x * Math.cos(roll) + y * Math.sin(roll), y: H / 2 - x * Math.sin(roll) + y * Math.cos(roll) };
    });
    expect(solveTracks(turned, s).anchoring.angles![0]!.rad).toBeCloseTo(roll, 1);
  });

  test('a zoom is refused with its two ends, breathing is not', () => {
    expect(() => solveTracks(tracks, setup({ focal: { mode: 'free', mm: 24, endMm: 70 } }))).toThrow(/zooms from 24 to 70 mm/);
    expect(solveTracks(tracks, setup({ focal: { mode: 'held', mm: 24, endMm: 24.1 } })).status).toBe('solved');
  });

  test('with one length and nothing else the scale cannot be checked', () => {
    const r = solveTracks(tracks, setup({ anchors: { level: floor, lengths: [{ a, b: c, m: distance(a, c) }] } }));
    const q = r.anchoring.residuals.find((f) => f.kind === 'length')!;
    expect(q.independentM).toBeNull();
    expect(q.redundancy).toBeLessThan(1e-3);
  });

  test('names what the solve does not hold and says when there is no scale', () => {
    const r = solveTracks(tracks, setup({ anchors: { level: ['nobody', ...floor], lengths: [] } }));
    expect(wordsOf(r.warnings).join(' ')).toMatch(/nobody is not among the solved points/);
    expect(wordsOf(r.warnings).join(' ')).toMatch(/No scale/);
    expect(r.anchoring.scale).toBeNull();
  });

  test('surveyed points alone fix everything', () => {
    const surveyed = points
      .filter((p) => seen.has(p.id))
      .slice(0, 12)
      .map((p) => ({ track: p.id, x: p.at[0], y: p.at[1], z: p.at[2], sigmaM: 0.003 }));
    const r = solveTracks(tracks, setup({ anchors: { points: surveyed } }));
    r.frames.forEach((f, i) => expect(Math.hypot(...f.position.map((v, k) => v - cameras[i].position[k]))).toBeLessThan(0.03));
  });
});
