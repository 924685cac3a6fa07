import { draws, normals, simulateShot, uniform, type ShotScene, type SimulatedShot } from '@mesure/synthetic';
import { buildObservations, readSolveSetup, solveTracks, type SolveResult, type SolveSetup } from '.';
import { partsOf } from './parts';

type P3 = readonly [number, number, number];
const [W, H] = [2048, 1080];
const SENSOR = { widthMm: 24, heightMm: 12.66 };
const FRAMES = 70;
/** Frames in which nothing can be followed, of 70. */
const BLUR = [31, 38] as const;

/** Things all round the room, and marks between the two sides that both can see. */
function room(seed: number): { id: string; at: P3 }[] {
  const u = uniform(seed);
  const side = (x: number, name: string) =>
    Array.from({ length: 45 }, (_, i) => ({ id: `${name}${i}`, at: (i % 3 === 0 ? [x - 2 + 4 * u(), 0, -4 + 2 * u()] : [x - 2 + 4 * u(), 2.4 * u(), -5.2 + 2.2 * u()]) as P3 }));
  const marks = [[-0.5, 0.4, -4.5], [0.6, 1.9, -4.9], [0.1, 1.2, -3.4], [-0.2, 2.1, -4.1], [0.4, 0.2, -3.8]].map((at, i) => ({ id: `M${i + 1}`, at: at as unknown as P3 })); // prettier-ignore
  return [...side(-3, 'a'), ...side(3, 'b'), ...marks];
}

/** It moves looking to the left, whips round, and moves on looking to the right: the wall of one side is not seen from the other. */
function whip(seed: number, marks: number, change: Partial<ShotScene> = {}): SimulatedShot {
  const simulated = simulateShot({
    widthPx: W,
    heightPx: H,
    focalMm: 24,
    sensorWidthMm: SENSOR.widthMm,
    sensorHeightMm: SENSOR.heightMm,
    frames: FRAMES,
    noisePx: 0.3,
    seed,
    points: room(seed),
    path: (t) => [-0.9 + 1.8 * t, 1.4 + 0.3 * Math.sin(5 * t), 1.2 - 0.6 * t],
    aim: (t) => [t < 0.5 ? -1.9 + 0.4 * t : 1.5 + 0.4 * t, 1, -4],
    ...change,
  });
  const seen = new Set(Array.from({ length: marks }, (_, i) => `M${i + 1}`));
  const tracks = simulated.tracks.flatMap((t) => {
    if (t.frame >= BLUR[0] && t.frame <= BLUR[1]) return [];
    if (seen.has(t.track)) return [t];
    // whatever else is seen again has another name: nobody knows that it is the same
    return [{ ...t, track: `${t.frame < BLUR[0] ? 'before' : 'after'} ${t.track}` }];
  });
  return { tracks, cameras: simulated.cameras };
}
const setup = (change: Partial<SolveSetup> = {}): SolveSetup => ({ image: { width: W, height: H }, sensor: SENSOR, focal: { mode: 'held', mm: 24 }, distortion: { mode: 'none' }, ...change });

/** Surveyed places of a side, some of those that are followed in most of its frames. */
function survey(shot: SimulatedShot, seed: number, sides: readonly ('before' | 'after')[], each = 5, sigmaM = 0.003) {
  const g = normals(seed + 500);
  const read = (v: number) => v + sigmaM * g();
  const seen = new Map<string, number>();
  for (const { track } of shot.tracks) seen.set(track, (seen.get(track) ?? 0) + 1);
  return sides.flatMap((side) =>
    room(seed)
      .map(({ id, at }) => ({ track: `${side} ${id}`, x: read(at[0]), y: read(at[1]), z: read(at[2]), sigmaM }))
      .filter((p) => (seen.get(p.track) ?? 0) > 20)
      .slice(0, each),
  );
}

/** How far the ways between two frames are off, and by how much they turned, against their own sigmas. */
function misses(r: SolveResult, shot: SimulatedShot): { m: number; sigmas: number }[] {
  return r.frames.map((f) => {
    const truth = shot.cameras.find((c) => c.frame === f.frame)!.position;
    const m = Math.hypot(...f.position.map((v, i) => v - truth[i]));
    return { m, sigmas: m / (Math.sqrt(3) * (f.sigmaPositionM ?? NaN)) };
  });
}

describe('a shot that is parted', () => {
  test('by marks that both sides see: one world, whatever side it begins with', () => {
    const shot = whip(4, 5);
    const r = solveTracks(shot.tracks, setup({ anchors: { points: survey(shot, 4, ['before']) } }));
    expect(r.parts).toMatchObject([
      { holds: 'first', frames: r.parts![0].frames },
      { holds: 'tracks', by: ['M1', 'M2', 'M3', 'M4', 'M5'] },
    ]);
    expect(r.status).toBe('solved');
    expect(r.frames).toHaveLength(FRAMES - (BLUR[1] - BLUR[0] + 1));
    // the survey is on the left only: what is right hangs on the five marks, and knows how well
    const off = misses(r, shot);
    expect(Math.max(...off.map((o) => o.m))).toBeLessThan(0.05);
    expect(off.filter((o) => o.sigmas > 3)).toEqual([]);
    expect(r.noisePx).toBeCloseTo(0.3, 1);
  });

  test('with fewer than three it is not joined, and says what would', () => {
    const r = solveTracks(whip(4, 2).tracks, setup());
    expect(r.status).toBe('partial');
    expect(r.parts!.map((p) => p.holds)).toEqual(['first', 'nothing']);
    expect(r.frames).toHaveLength(r.parts![0].frames);
    expect(r.warnings.map((w) => w.code)).toContain('PART_APART');
    expect(r.reason).toMatch(/could not be placed/);
    // what it says by itself is kept
    expect(r.parts![1].alone!.noisePx).toBeCloseTo(0.3, 1);
  });

  test('a mark that was followed under a wrong name is left out; where too few remain nothing is joined', () => {
    const swap = (names: readonly string[]) => (t: { track: string; frame: number; x: number; y: number }) => {
      const at = names.indexOf(t.track);
      return at >= 0 && t.frame > BLUR[1] ? { ...t, track: names[(at + 1) % names.length] } : t;
    };
    const shot = whip(4, 5);
    const anchors = { points: survey(shot, 4, ['before']) };
    const two = solveTracks(shot.tracks.map(swap(['M1', 'M2'])), setup({ anchors }));
    expect(two.parts![1]).toMatchObject({ holds: 'tracks', by: ['M3', 'M4', 'M5'] });
    expect(two.trimmed.map((t) => t.track).sort()).toEqual(['M1', 'M2']);
    expect(Math.max(...misses(two, shot).map((o) => o.m))).toBeLessThan(0.08);
    const three = solveTracks(whip(4, 3).tracks.map(swap(['M1', 'M2', 'M3'])), setup({ anchors }));
    expect(three.parts!.map((p) => p.holds)).toEqual(['first', 'nothing']);
    expect(three.status).toBe('partial');
  });

  test('by surveyed places of each side where no mark is seen by both', () => {
    const shot = whip(4, 0);
    const anchors = { points: survey(shot, 4, ['before', 'after']), cameraHeights: [{ frame: 1, m: 1.4 }, { frame: 'last' as const, m: shot.cameras[FRAMES - 1].position[1] }] }; // prettier-ignore
    const r = solveTracks(shot.tracks, setup({ anchors }));
    expect(r.parts!.map((p) => p.holds)).toEqual(['first', 'surveyed']);
    expect(r.status).toBe('solved');
    expect(r.warnings.map((w) => w.code)).not.toContain('PART_APART');
    expect(r.warnings.map((w) => w.code)).not.toContain('MARK_NOT_SOLVED');
    const off = misses(r, shot);
    expect(Math.max(...off.map((o) => o.m))).toBeLessThan(0.03);
    expect(off.filter((o) => o.sigmas > 3)).toEqual([]);
    // height at the last frame belongs to the other side, and is judged there
    expect(r.anchoring.residuals.filter((f) => f.kind === 'cameraHeight').map((f) => f.about)).toEqual(expect.arrayContaining(['frame 1', expect.stringMatching(/last frame|frame 70/)]));
    // two places are too few, and so are three on a line
    expect(solveTracks(shot.tracks, setup({ anchors: { points: [...survey(shot, 4, ['before']), ...survey(shot, 4, ['after'], 2)] } })).parts![1].holds).toBe('nothing');
  });

  test('surveyed places of the far side that are all 20 cm off put two marks at two places: nothing is joined by them, and it says so', () => {
    const shot = whip(4, 2);
    const [near, far] = [survey(shot, 4, ['before']), survey(shot, 4, ['after'])];
    expect(solveTracks(shot.tracks, setup({ anchors: { points: [...near, ...far] } })).parts!.map((p) => p.holds)).toEqual(['first', 'surveyed']);
    const wrong = solveTracks(shot.tracks, setup({ anchors: { points: [...near, ...far.map((p) => ({ ...p, x: p.x + 0.2 }))] } }));
    expect(wrong.parts!.map((p) => p.holds)).toEqual(['first', 'nothing']);
    expect(wrong.warnings.find((w) => w.code === 'PARTS_CONTRADICT')!.words).toMatch(/M1, M2 would lie at two places/);
    expect(wrong.status).toBe('partial');
  });

  test('where the camera only turned on the far side, four known points say where it stood', () => {
    const still: Partial<ShotScene> = { path: (t) => (t < 0.5 ? [-0.9 + 1.8 * t, 1.4 + 0.3 * Math.sin(5 * t), 1.2 - 0.6 * t] : [0.3, 1.5, 0.9]) };
    const shot = whip(6, 5, still);
    const r = solveTracks(shot.tracks, setup({ anchors: { points: survey(shot, 6, ['before']) } }));
    expect(r.parts![1]).toMatchObject({ holds: 'tracks' });
    const off = misses(r, shot).slice(-20);
    expect(Math.max(...off.map((o) => o.m))).toBeLessThan(0.08);
    expect(off.filter((o) => o.sigmas > 3)).toEqual([]);
    expect(solveTracks(whip(6, 3, still).tracks, setup()).parts![1].holds).toBe('nothing');
  });

  test('a turn on its tripod is joined by two directions', () => {
    const pan: Partial<ShotScene> = { path: () => [0, 1.4, 1], aim: (t) => [t < 0.5 ? -2.2 + 0.8 * t : 1.4 + 0.8 * t, 1, -4] };
    const shot = whip(8, 2, pan);
    const r = solveTracks(shot.tracks, setup());
    expect(r.motion).toBe('pan');
    expect(r.parts!.map((p) => p.holds)).toEqual(['first', 'tracks']);
    expect(r.frames).toHaveLength(FRAMES - 8);
    const forward = (q: readonly number[]): P3 => [-2 * (q[0] * q[2] + q[3] * q[1]), -2 * (q[1] * q[2] - q[3] * q[0]), -(1 - 2 * (q[0] ** 2 + q[1] ** 2))];
    const between = (a: P3, b: P3) => Math.acos(Math.min(1, a[0] * b[0] + a[1] * b[1] + a[2] * b[2]));
    const [first, last] = [r.frames[0], r.frames[r.frames.length - 1]];
    const told = between(forward(first.rotation), forward(last.rotation));
    const true_ = between(shot.cameras[0].forward, shot.cameras[FRAMES - 1].forward);
    expect(Math.abs(told - true_)).toBeLessThan(0.002);
    expect(solveTracks(whip(8, 1, pan).tracks, setup()).parts!.map((p) => p.holds)).toEqual(['first', 'nothing']);
  });

  test('a lens that was set otherwise during the whip is no one focal length', () => {
    const shot = whip(4, 5, { focalMm: (t) => (t < 0.5 ? 24 : 28) });
    const r = solveTracks(shot.tracks, setup({ focal: { mode: 'free', mm: 24 } }));
    expect(r.status).toBe('partial');
    expect(r.reason).toMatch(/focal length/);
  });

  test('what comes back to where it was is one piece, and what lies between is another', () => {
    const { tracks } = whip(3, 5, { aim: (t) => [t < 0.3 || t > 0.7 ? -1.9 : 3.6, 1, -4] });
    // features keep their names, so that those of the first side are known again
    const named = tracks.map((t) => ({ ...t, track: t.track.replace(/^(before|after) /, '') }));
    const pieces = partsOf(buildObservations(named, readSolveSetup(setup()).map)).map((list) => list.length);
    expect(pieces).toHaveLength(2);
    expect(Math.max(...pieces)).toBeGreaterThan(FRAMES / 2);
  });
});

/** Sigmas of the far side, which hangs on a few marks, over many shots. */
test('what hangs on few marks knows how well', () => {
  const runs = draws(60, 3);
  let [inOne, inTwo, all, z2] = [0, 0, 0, 0];
  for (let n = 0; n < runs; n += 1) {
    const seed = 100 + n;
    const shot = whip(seed, 4);
    const r = solveTracks(shot.tracks, setup({ anchors: { points: survey(shot, seed, ['before']) } }));
    expect(r.parts![1].holds).toBe('tracks');
    // one frame of the far side, far from the other: those beside each other are hardly two
    const last = r.frames[r.frames.length - 1];
    const truth = shot.cameras[FRAMES - 1].position;
    last.position.forEach((v, i) => {
      const sigma = Math.sqrt(last.covarianceM2![[0, 3, 5][i]]);
      const z = Math.abs(v - truth[i]) / sigma;
      all += 1;
      z2 += z * z;
      if (z < 1) inOne += 1;
      if (z < 2) inTwo += 1;
    });
  }
  console.log(`far side: z² ${(z2 / all).toFixed(2)}, ${inOne} and ${inTwo} of ${all} inside one and two sigma`);
  expect(z2 / all).toBeGreaterThan(runs > 20 ? 0.7 : 0.2);
  expect(z2 / all).toBeLessThan(runs > 20 ? 1.4 : 3);
});
