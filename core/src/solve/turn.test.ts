import { draws, type ShotScene, simulateShot, uniform } from '@mesure/synthetic';
import { mulMat3, quatToMat, rotationAngle, transpose3, type Mat3 } from '../math';
import { reconcile } from '../reconcile';
import { solveTracks, type SolveSetup } from '.';
import { wordsOf } from '../warnings';

const W = 2048,
  H = 1080,
  SENSOR = { widthMm: 24, heightMm: 12.66 };

/** Points all round a camera on a tripod, near and far. */
function around(count: number, seed: number) {
  const u = uniform(seed);
  return Array.from({ length: count }, (_, i) => {
    const [turn, far, up] = [(u() - 0.5) * 2.6, 2 + 6 * u(), 0.2 + 2.4 * u()];
    return { id: `m${i}`, at: [far * Math.sin(turn), up, -far * Math.cos(turn)] as const };
  });
}
const scene = (change: Partial<ShotScene> = {}): ShotScene => ({
  widthPx: W,
  heightPx: H,
  focalMm: 24,
  sensorWidthMm: SENSOR.widthMm,
  sensorHeightMm: SENSOR.heightMm,
  frames: 40,
  noisePx: 0.4,
  seed: 5,
  points: around(140, 3),
  path: () => [0, 1.4, 0],
  // 40 degrees to the right, tilting up a little
  aim: (t) => [5 * Math.sin(-0.35 + 0.7 * t), 1.3 + 0.4 * t, -5 * Math.cos(-0.35 + 0.7 * t)],
  ...change,
});
const setup = (change: Partial<SolveSetup> = {}): SolveSetup => ({
  image: { width: W, height: H },
  sensor: SENSOR,
  focal: { mode: 'free', mm: 24 },
  distortion: { mode: 'none' },
  motion: 'pan',
  ...change,
});
/** A plate saw that the lens does not bend: nothing is left to it. */
const STRAIGHT: SolveSetup['distortion'] = { mode: 'held', model: 'radial', k: [0, 0, 0] };
/** The truth's camera to world: right, up, back. */
const truthOf = (c: ReturnType<typeof simulateShot>['cameras'][number]): Mat3 => {
  const [r, d, f] = [c.right, c.down, c.forward];
  return [r[0], -d[0], -f[0], r[1], -d[1], -f[1], r[2], -d[2], -f[2]];
};

test('a pan: turns to a few hundredths of a degree, the focal length within its sigma, directions and no depth', () => {
  const shot = simulateShot(scene());
  const r = solveTracks(shot.tracks, setup({ distortion: STRAIGHT }));
  expect(r).toMatchObject({ motion: 'pan', status: 'solved', reason: null, points: [], anchoring: { scale: null } });
  expect(r.frames).toHaveLength(40);
  expect(Math.abs(r.focalMm! - 24)).toBeLessThan(4 * r.sigmaFocalMm!);
  expect(r.sigmaFocalMm!).toBeLessThan(0.05);
  // what the noise alone leaves
  expect(r.rmsPx!).toBeGreaterThan(0.45);
  expect(r.rmsPx!).toBeLessThan(0.6);
  const first = [quatToMat(r.frames[0].rotation), truthOf(shot.cameras[0])];
  r.frames.forEach((f, i) => {
    const solved = mulMat3(transpose3(first[0]), quatToMat(f.rotation));
    const truth = mulMat3(transpose3(first[1]), truthOf(shot.cameras[i]));
    expect((rotationAngle(solved, truth) * 180) / Math.PI).toBeLessThan(0.04);
  });
  for (const d of r.directions!) expect(Math.hypot(...d.direction)).toBeCloseTo(1, 9);
  expect(r.directions!.length).toBeGreaterThan(60);
  // a shot of three unknowns a frame is judged by as many
  expect(r.noisePx!).toBeGreaterThan(0.37);
  expect(r.noisePx!).toBeLessThan(0.43);
});

test('asked for as a free move it is a part of what was asked: no parallax, and it says what is seen all the same', () => {
  const r = solveTracks(simulateShot(scene()).tracks, setup({ motion: 'free' }));
  expect(r).toMatchObject({ motion: 'pan', status: 'partial', reason: expect.stringMatching(/^no parallax: the camera turns but does not move/) });
  expect(r.warnings[0].words).toMatch(/turns but does not move.*no depth, no place, no scale/);
});

test('the focal length and its sigma: over many pans their errors are what is said of them; from the record three quarters or four thirds as long too', () => {
  let sum = 0;
  let worst = 0;
  const pans = draws(30, 12);
  for (let seed = 1; seed <= pans; seed += 1) {
    const shot = simulateShot(scene({ seed, points: around(140, seed), frames: 24 }));
    const start = [24, 18, 32][seed % 3];
    const r = solveTracks(shot.tracks, setup({ focal: { mode: 'free', mm: start }, distortion: STRAIGHT }));
    const z = (r.focalMm! - 24) / r.sigmaFocalMm!;
    sum += z * z;
    worst = Math.max(worst, Math.abs(z));
  }
  expect(sum / pans).toBeGreaterThan(0.5);
  expect(sum / pans).toBeLessThan(1.7);
  expect(worst).toBeLessThan(4);
});

test('a forgotten reducer is named by a pan alone, and a height is not judged', () => {
  const recorded = setup({ focal: { mode: 'free', mm: 32 }, anchors: { cameraHeights: [{ frame: 1, m: 1.4, sigmaM: 0.005 }], lengths: [{ a: 'm1', b: 'm2', m: 2, sigmaM: 0.003 }] } });
  const shot = simulateShot(scene({ focalMm: 22.72 }));
  const r = solveTracks(shot.tracks, recorded);
  const judged = reconcile(recorded, r);
  expect(judged.items[0]).toMatchObject({ quantity: 'focalLength', verdict: 'contradicts', causes: [expect.objectContaining({ cause: 'forgotten-reducer' }), ...judged.items[0].causes.slice(1)] });
  expect(judged.items.filter((i) => i.quantity !== 'focalLength').map((i) => i.verdict)).toEqual(['not observable', 'not observable']);
  expect(judged.items[1].sentence).toBe('The camera only turned: a turn tells no lengths.');
});

test('held, guided, through a lens that bends, and with things that move', () => {
  const walkers = around(12, 9).map((p, i) => ({ ...p, id: `w${i}`, drift: [0.02, 0, 0] as const }));
  const shot = simulateShot(scene({ k: [-0.12, 0.02, 0], points: [...around(140, 3), ...walkers] }));
  const lens = { mode: 'held' as const, model: 'radial', k: [-0.12, 0.02, 0], p: [0, 0], focalMm: 24 };
  const free = solveTracks(shot.tracks, setup({ distortion: lens }));
  expect(free.rmsPx!).toBeLessThan(0.6);
  const left = new Set(free.trimmed.map((t) => t.track));
  expect(walkers.filter((w) => shot.tracks.filter((t) => t.track === w.id).length > 10 && !left.has(w.id))).toEqual([]);
  expect(around(140, 3).filter((p) => left.has(p.id)).length).toBeLessThan(4);
  const held = solveTracks(shot.tracks, setup({ distortion: lens, focal: { mode: 'held', mm: 24 } }));
  expect([held.focalMm, held.sigmaFocalMm]).toEqual([24, 0]);
  const guided = solveTracks(shot.tracks, setup({ distortion: lens, focal: { mode: 'guided', mm: 24.4, sigmaMm: 0.3 } }));
  expect(Math.abs(guided.focalMm! - 24)).toBeLessThan(4 * guided.sigmaFocalMm!);
  // taken as straight, the bend is seen and named
  const straight = solveTracks(shot.tracks, setup());
  expect(straight.rmsPx!).toBeGreaterThan(2 * free.rmsPx!);
  expect(straight.bending?.k1 ?? 0).toBeLessThan(-0.05);
});

test('what is up comes from tilt and roll as they were recorded; without them from the camera', () => {
  const shot = simulateShot(scene());
  const { forward, right } = shot.cameras[0];
  const tilt = Math.asin(forward[1]);
  const anchors = {
    cameraAngles: [
      { frame: 1, of: 'tilt' as const, rad: tilt },
      { frame: 1, of: 'roll' as const, rad: 0 },
    ],
  };
  const r = solveTracks(shot.tracks, setup({ anchors }));
  expect(Math.abs(right[1])).toBeLessThan(1e-9);
  r.frames.forEach((f, i) => {
    const m = quatToMat(f.rotation);
    // the view's tilt, and the horizon
    expect(Math.abs(Math.asin(-m[5]) - Math.asin(shot.cameras[i].forward[1]))).toBeLessThan(0.001);
    expect(Math.abs(m[3])).toBeLessThan(0.001);
  });
  expect(r.anchoring.datum[0]).toBe('up by the tilt and roll recorded at frame 1');
  expect(solveTracks(shot.tracks, setup()).anchoring.datum[0]).toMatch(/mean up/);
});

test('a slight turn hardly shows the focal length, and says so', () => {
  const slight = scene({ aim: (t) => [5 * Math.sin(0.003 * t), 1.3, -5 * Math.cos(0.003 * t)] });
  const r = solveTracks(simulateShot(slight).tracks, setup());
  expect(r.sigmaFocalMm!).toBeGreaterThan(0.5);
  expect(Math.abs(r.focalMm! - 24)).toBeLessThan(4 * r.sigmaFocalMm!);
  expect(wordsOf(r.warnings).join(' ')).toMatch(/hardly seen/);
});

test('a full turn: frames that never see each other are joined by those between', () => {
  const u = uniform(4);
  const ring = Array.from({ length: 260 }, (_, i) => {
    const [turn, far] = [2 * Math.PI * u(), 3 + 4 * u()];
    return { id: `r${i}`, at: [far * Math.sin(turn), 0.3 + 2.2 * u(), -far * Math.cos(turn)] as const };
  });
  const r = solveTracks(simulateShot(scene({ points: ring, frames: 90, aim: (t) => [5 * Math.sin(5.5 * t), 1.4, -5 * Math.cos(5.5 * t)] })).tracks, setup());
  expect(r.status).toBe('solved');
  expect(r.frames).toHaveLength(90);
  expect(Math.abs(r.focalMm! - 24)).toBeLessThan(4 * r.sigmaFocalMm!);
  const [a, b] = [quatToMat(r.frames[0].rotation), quatToMat(r.frames[89].rotation)];
  expect(Math.abs((2 * Math.PI - 5.5 - rotationAngle(a, b)) * 180) / Math.PI).toBeLessThan(0.1);
});

/** A long lens that looks about: few tracks at a time, and so a move's unknowns take up much of the noise. */
const narrow = (i: number, travelM: number): ShotScene => {
  const u = uniform(30 + i);
  return scene({
    ...{ focalMm: 40, noisePx: 0.4, seed: 60 + i },
    points: Array.from({ length: 75 }, (_, k) => ({ id: `m${k}`, at: [-3 + 6 * u(), 2.4 * u(), -5.2 + 3 * u()] as const })),
    path: (t) => [travelM * Math.sin(5 * t), 1.4 + 0.5 * travelM * Math.cos(9 * t), 1.5],
    aim: (t) => [0.9 * Math.sin(3 * t), 0.8 + 0.5 * Math.sin(7 * t), -3.5],
  });
};
test('a turn that few tracks see is no move, and a move by a hand’s breadth is no turn', () => {
  const n = draws(150, 3);
  const kinds = (travelM: number) => Array.from({ length: n }, (_, i) => solveTracks(simulateShot(narrow(i, travelM)).tracks, setup({ motion: 'free', focal: { mode: 'free', mm: 40 } })).motion);
  expect(kinds(0).filter((m) => m !== 'pan')).toHaveLength(0);
  expect(kinds(0.05).filter((m) => m === 'pan')).toHaveLength(0);
});

/** Thirty tracks at a time, each for twelve frames, past a wall and a floor: a dolly, or a pan by the same lens. */
const thin = (seed: number, dolly: boolean): ShotScene => {
  const u = uniform(seed);
  const place = (i: number) => (i % 3 === 0 ? [-3 + 6 * u(), 0, -5 + 4 * u()] : i % 3 === 1 ? [-3 + 6 * u(), 2.4 * u(), -5.2] : [-2 + 4 * u(), 1.5 * u(), -4 + 2 * u()]) as [number, number, number];
  return scene({
    ...{ focalMm: 18, frames: 150, lifeFrames: 12, seed: 1 },
    points: Array.from({ length: 375 }, (_, i) => ({ id: `m${i}`, at: place(i) })),
    path: (t) => (dolly ? [-0.9 + 1.8 * t, 1.4 + 0.2 * t, 3 - 0.3 * t] : [0, 1.4, 3]),
    aim: (t) => (dolly ? [0.2 * t, 0.8, -3.5] : [-0.6 + 1.2 * t, 0.8 + 0.2 * t, -3.5]),
  });
};
test('a dolly of short tracks is no turn though no two frames show that it moved, and a pan of them is one', () => {
  for (const seed of Array.from({ length: draws(8, 1) }, (_, i) => i + 3)) {
    const [moved, panned] = [true, false].map((dolly) => solveTracks(simulateShot(thin(seed, dolly)).tracks, setup({ motion: 'free' })));
    expect([moved.motion, panned.motion]).toEqual([undefined, 'pan']);
    // as a turn it was one of 0.4 or of 70 mm by a camera that stands still
    expect(Math.abs(moved.focalMm! - 18)).toBeLessThan(3 * moved.sigmaFocalMm!);
    expect(Math.abs(panned.focalMm! - 18)).toBeLessThan(3 * panned.sigmaFocalMm!);
  }
});

describe('a turn by another lens than was given, which as a move fits to the last pixel', () => {
  const asked = setup({ motion: 'free', focal: { mode: 'free', mm: 25 } });
  const seeds = Array.from({ length: draws(10, 1) }, (_, i) => 20 + i);

  test('of a lens that bends is told as a turn, by a lens that bends, and nothing is judged by it', () => {
    for (const seed of seeds) {
      const r = solveTracks(simulateShot(scene({ seed, k: [-0.09, 0.008, 0] })).tracks, asked);
      expect(r).toMatchObject({ motion: 'pan', status: 'partial' });
      // as a move it is "solved" at 27 to 29 mm, each track with a place of its own
      expect(r.bending!.k1).toBeLessThan(-0.04);
      expect(r.warnings.map((w) => w.code)).toEqual(expect.arrayContaining(['CAMERA_TURNS', 'LENS_BENDS']));
      expect(reconcile(asked, r)).toMatchObject({ verdict: 'not observable', items: [{ causes: [{ cause: 'distortion-not-used' }] }, ...reconcile(asked, r).items.slice(1)] });
      // with its distortion asked for, the lens is the one it was
      const freed = solveTracks(simulateShot(scene({ seed, k: [-0.09, 0.008, 0] })).tracks, { ...asked, distortion: { mode: 'free' } });
      expect(freed.motion).toBe('pan');
      expect(Math.abs(freed.focalMm! - 24)).toBeLessThan(4 * freed.sigmaFocalMm!);
    }
  });

  test('of a lens that sits off the middle is told as a turn with its centre, and its focal length holds', () => {
    for (const seed of seeds) {
      const r = solveTracks(simulateShot(scene({ seed, center: [26, -17] })).tracks, asked);
      expect(r).toMatchObject({ motion: 'pan', status: 'partial' });
      expect(Math.abs(r.focalMm! - 24)).toBeLessThan(4 * r.sigmaFocalMm!);
      const { x, y, sigmaX, sigmaY } = r.found!.principalPx!;
      expect(Math.abs(x - W / 2 - 26)).toBeLessThan(4 * sigmaX!);
      expect(Math.abs(y - H / 2 + 17)).toBeLessThan(4 * sigmaY!);
    }
  });

  test('of a zoom that bends too; a zoom that moves by a hand’s breadth stays a move', () => {
    const zoom = setup({ motion: 'free', focal: { mode: 'zoom', mm: 24, endMm: 31 } });
    const zoomed = (seed: number, more: Partial<ShotScene>) => solveTracks(simulateShot(scene({ seed, noisePx: 0.3, focalMm: (t) => 24 * (1 + 0.3 * t * t * (3 - 2 * t)), ...more })).tracks, zoom);
    for (const seed of seeds.slice(0, draws(6, 1))) {
      const r = zoomed(seed, { k: [0.04, 0, 0] });
      expect(r).toMatchObject({ motion: 'pan', status: 'partial' });
      expect(r.warnings.map((w) => w.code)).toContain('LENS_BENDS');
      const moved = zoomed(seed, { k: [-0.045, 0, 0], path: (t) => [-0.04 + 0.08 * t, 1.4, 0] });
      expect([moved.status, moved.motion]).toEqual(['solved', undefined]);
    }
  });

  test('a move stays one, however small, by whatever lens', () => {
    const ways: Partial<ShotScene>[] = [{}, { k: [-0.05, 0, 0] }, { center: [20, 10] }];
    for (const seed of seeds)
      for (const way of ways) {
        const r = solveTracks(simulateShot(scene({ ...way, seed, path: (t) => [-0.04 + 0.08 * t, 1.4, 0] })).tracks, asked);
        expect([r.status, r.motion]).toEqual(['solved', undefined]);
      }
  });
});
