import { draws, normals, uniform } from '@mesure/synthetic';
import { applySimilarity, distance, umeyama, type Vec3 } from '../math';
import type { TrackPoint } from '../track/track-point';
import { solveStills, type StillView } from './solve-stills';
import type { SolveSetup } from './setup';

const WIDTH = 1600;
const HEIGHT = 1066;
const NOISE_PX = 0.3;

interface Walk {
  centers: Vec3[];
  tracks: TrackPoint[];
  views: StillView[];
}

interface Drawn {
  seed: number;
  stills?: number;
  /** of the first lens and of every third still, px */
  focalPx?: number;
  otherPx?: number | null;
  /** every camera stands here, turned */
  onTheSpot?: boolean;
  /** a place is in no more stills than this */
  mostViews?: number;
}

/** Stills round a heap of places, by hand: none stands or looks quite as the next. */
function drawWalk({ seed, stills = 12, focalPx = 1300, otherPx = 1000, onTheSpot = false, mostViews = 99 }: Drawn): Walk {
  const random = uniform(seed);
  const noise = normals(seed + 500);
  const points = Array.from({ length: 420 }, (): Vec3 => [5 * random() - 2.5, 2.4 * random(), 3 * random() - 1.5]);
  const lensOf = (i: number) => (otherPx && i % 3 === 1 ? otherPx : focalPx);
  const centers = Array.from({ length: stills }, (_, i): Vec3 => {
    const a = -0.9 + (1.8 * i) / (stills - 1);
    return onTheSpot ? [0, 1.4, 4.6] : [4.6 * Math.sin(a) + 0.2 * noise(), 1.4 + 0.15 * noise(), 4.6 * Math.cos(a) + 0.2 * noise()];
  });
  const tracks: TrackPoint[] = [];
  const times = new Map<number, number>();
  centers.forEach((c, frame) => {
    const aim: Vec3 = onTheSpot ? [2.2 * Math.sin(frame) + 0.3 * noise(), 1.2 + 0.4 * Math.cos(2 * frame), 0] : [0.3 * noise(), 1.2 + 0.2 * noise(), 0.3 * noise()];
    const f = unit([aim[0] - c[0], aim[1] - c[1], aim[2] - c[2]]);
    const roll = 0.04 * noise();
    const right0 = unit([-f[2], 0, f[0]]);
    const up0 = cross(right0, f);
    const right = right0.map((v, k) => v * Math.cos(roll) + up0[k] * Math.sin(roll)) as unknown as Vec3;
    const up = cross(right, f);
    points.forEach((p, k) => {
      const d: Vec3 = [p[0] - c[0], p[1] - c[1], p[2] - c[2]];
      const z = dot(d, f);
      const x = WIDTH / 2 + (lensOf(frame) * dot(d, right)) / z;
      const y = HEIGHT / 2 - (lensOf(frame) * dot(d, up)) / z;
      if (z < 0.3 || x < 0 || y < 0 || x > WIDTH || y > HEIGHT || random() < 0.45 || (times.get(k) ?? 0) >= mostViews) return;
      times.set(k, (times.get(k) ?? 0) + 1);
      // one in fifteen is another thing that looks alike
      const wild = random() < 1 / 15;
      tracks.push({ track: `w${k}`, frame, x: x + (wild ? 60 * noise() : NOISE_PX * noise()), y: y + (wild ? 60 * noise() : NOISE_PX * noise()) });
    });
  });
  return { centers, tracks, views: centers.map((_, frame) => ({ frame, lens: lensOf(frame) === focalPx ? 'one' : 'other', focalShare: lensOf(frame) / focalPx })) };
}
const dot = (a: readonly number[], b: readonly number[]) => a[0] * b[0] + a[1] * b[1] + a[2] * b[2];
const cross = (a: Vec3, b: Vec3): Vec3 => [a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]];
const unit = (a: Vec3): Vec3 => {
  const n = Math.hypot(...a);
  return [a[0] / n, a[1] / n, a[2] / n];
};
const setupOf = (mm: number): SolveSetup => ({
  image: { width: WIDTH, height: HEIGHT },
  sensor: { widthMm: WIDTH / 50, heightMm: HEIGHT / 50 },
  focal: { mode: 'guided', mm: mm / 50, sigmaMm: (0.3 * mm) / 50 },
});

const meanSquare = (list: readonly number[]) => list.reduce((t, v) => t + v * v, 0) / list.length;

test('two lenses and every place by the pictures alone, with sigmas that hold, from a focal length that is a tenth off', () => {
  const z = { one: [] as number[], other: [] as number[] };
  const seeds = draws(40, 2);
  for (let seed = 1; seed <= seeds; seed += 1) {
    const walk = drawWalk({ seed });
    const s = solveStills(walk.tracks, walk.views, setupOf(1300 * (seed % 2 ? 1.1 : 0.93)));
    expect(s.status).toBe('solved');
    expect(Math.abs(s.noisePx! / NOISE_PX - 1)).toBeLessThan(0.05);
    const [one, other] = [s.frames[0], s.frames[1]];
    z.one.push((one.focalMm - 26) / one.sigmaFocalMm!);
    z.other.push((other.focalMm - 20) / other.sigmaFocalMm!);
    const onTruth = umeyama(
      s.frames.map((f) => f.position),
      s.frames.map((f) => walk.centers[f.frame]),
    );
    for (const f of s.frames) expect(distance(applySimilarity(onTruth, f.position), walk.centers[f.frame])).toBeLessThan(0.005);
  }
  // of so few draws chance alone gives up to six
  const most = seeds < 10 ? 6 : 1.6;
  expect(meanSquare(z.one)).toBeLessThan(most);
  expect(meanSquare(z.other)).toBeLessThan(most);
  if (seeds >= 10) for (const list of [z.one, z.other]) expect(meanSquare(list)).toBeGreaterThan(0.5);
});

test('a lens of two stills is as long against the first as it was recorded: nothing is found of it', () => {
  const walk = drawWalk({ seed: 2, stills: 6 });
  expect(walk.views.filter((v) => v.lens === 'other')).toHaveLength(2);
  const s = solveStills(walk.tracks, walk.views, setupOf(1300));
  expect(s.frames[0].sigmaFocalMm).toBeUndefined();
  expect(s.frames[1].focalMm / s.frames[0].focalMm).toBeCloseTo(1000 / 1300, 6);
});

test('stills that turn on one spot are a turn: lenses and directions, and no place', () => {
  const walk = drawWalk({ seed: 3, onTheSpot: true, otherPx: null });
  const s = solveStills(walk.tracks, walk.views, setupOf(1300));
  expect(s.motion).toBe('pan');
  expect(Math.abs(s.focalMm! - 26)).toBeLessThan(4 * s.sigmaFocalMm!);
});

test('places that are in two stills only carry no distance from one still to the next: the others have no place, and it is said', () => {
  const walk = drawWalk({ seed: 4, mostViews: 2 });
  const s = solveStills(walk.tracks, walk.views, setupOf(1300));
  expect(s.status).toBe('partial');
  expect(s.frames.length).toBeLessThan(walk.centers.length);
});

test('what cannot begin says why', () => {
  const walk = drawWalk({ seed: 5 });
  const one = walk.tracks.filter((t) => t.frame === 0);
  expect(solveStills(one, walk.views, setupOf(1300))).toMatchObject({ status: 'failed', reason: expect.stringContaining('too few pictures') });
  const few = walk.tracks.filter((t) => Number(t.track.slice(1)) < 12);
  expect(solveStills(few, walk.views, setupOf(1300))).toMatchObject({ status: 'failed', reason: expect.stringContaining('in common') });
});

/** Round a small thing before walls that most of what is seen lies on, a step of 22.5 degrees each: what is hardest of the walks that are planned. */
function drawRound(seed: number, places: number): Walk {
  const random = uniform(seed);
  const noise = normals(seed + 900);
  const walls = Array.from({ length: places }, (): Vec3 => {
    const along = 7 * random() - 3.5;
    const up = 2.8 * random();
    return [
      [along, up, -3.3],
      [3.7, up, along],
      [along, up, 3.3],
      [-3.7, up, along],
    ][Math.floor(4 * random())] as unknown as Vec3;
  });
  const thing = Array.from({ length: Math.round(places / 5) }, (): Vec3 => [1.3 * random() - 0.65, 0.9 * random(), 0.4 * random() - 0.2]);
  const centers = Array.from({ length: 8 }, (_, i): Vec3 => {
    const a = (i * Math.PI) / 8;
    return [1.9 * Math.sin(a) + 0.03 * noise(), 1.05 + 0.03 * noise(), 1.9 * Math.cos(a) + 0.03 * noise()];
  });
  const tracks: TrackPoint[] = [];
  centers.forEach((c, frame) => {
    const f = unit([0.05 * noise() - c[0], 0.4 - c[1], 0.05 * noise() - c[2]]);
    const right = unit([-f[2], 0, f[0]]);
    const up = cross(right, f);
    [...walls, ...thing].forEach((p, k) => {
      const d: Vec3 = [p[0] - c[0], p[1] - c[1], p[2] - c[2]];
      const z = dot(d, f);
      const [x, y] = [WIDTH / 2 + (1090 * dot(d, right)) / z, HEIGHT / 2 - (1090 * dot(d, up)) / z];
      if (z < 0.3 || x < 0 || y < 0 || x > WIDTH || y > HEIGHT || random() < 0.5) return;
      const wild = random() < 0.03;
      tracks.push({ track: `w${k}`, frame, x: x + (wild ? 60 : NOISE_PX) * noise(), y: y + (wild ? 60 : NOISE_PX) * noise() });
    });
  });
  return { centers, tracks, views: centers.map((_, frame) => ({ frame, lens: 'one', focalShare: 1 })) };
}

test('walls and little else, and large steps: the world is right, or it is none', () => {
  const seeds = draws(60, 5);
  let right = 0;
  for (let seed = 1; seed <= seeds; seed += 1) {
    const walk = drawRound(seed, [260, 180, 130, 70][seed % 4]);
    const s = solveStills(walk.tracks, walk.views, setupOf(1090 * (seed % 3 ? 1.05 : 1)));
    if (s.status === 'failed' || s.frames.length < 4) continue;
    const onTruth = umeyama(
      s.frames.map((f) => f.position),
      s.frames.map((f) => walk.centers[f.frame]),
    );
    const worst = Math.max(...s.frames.map((f) => distance(applySimilarity(onTruth, f.position), walk.centers[f.frame])));
    expect(worst).toBeLessThan(0.15);
    if (s.status === 'solved') right += 1;
  }
  expect(right).toBeGreaterThanOrEqual(0.5 * seeds);
});
