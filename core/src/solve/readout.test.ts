import { draws, simulateShot, some, uniform, type ShotScene, type SimulatedShot } from '@mesure/synthetic';
import { CancelledError } from '../errors';
import { reconcile } from '../reconcile';
import { solveTracks, type SolveProgress, type SolveSetup } from '.';
import { atMiddleRow, readoutShare } from './readout';
import { readoutWords, type ReadoutSeen } from './readout-asked';

type P3 = readonly [number, number, number];
const [W, H, FPS] = [2048, 1080, 24];
const SENSOR = { widthMm: 24, heightMm: 12.66 };
/** 16 ms of a frame at 24 a second */
const SHARE = 0.384;

function scatter(count: number, seed: number) {
  const u = uniform(seed);
  return Array.from({ length: count }, (_, i) => {
    const at: P3 = i % 3 === 0 ? [-3 + 6 * u(), 0, -5 + 4 * u()] : i % 3 === 1 ? [-3 + 6 * u(), 2.4 * u(), -5.2] : [-2 + 4 * u(), 1.5 * u(), -4 + 2 * u()];
    return { id: `m${i}`, at };
  });
}
/** By hand: it goes on, and looks about. */
const shot = (change: Partial<ShotScene>): SimulatedShot =>
  simulateShot({
    ...{ widthPx: W, heightPx: H, focalMm: 24, sensorWidthMm: SENSOR.widthMm, sensorHeightMm: SENSOR.heightMm, frames: 40, noisePx: 0.3, seed: 5, points: scatter(60, 3) },
    path: (t) => [-1 + 2 * t, 1.4 + 0.2 * Math.sin(6 * t), 1.5 - 0.3 * t],
    aim: (t) => [1.2 * Math.sin(7 * t), 0.8 + 0.3 * Math.sin(15 * t), -3.5],
    ...change,
  });
const onTheSpot = { path: (): P3 => [0, 1.4, 1.5] };
/** Hardly moved: so little that a turn of late rows might look like it. */
const swaying = { path: (t: number): P3 => [0.03 * Math.sin(9 * t), 1.4 + 0.02 * Math.sin(14 * t), 1.5] };
const setup = (change: Partial<SolveSetup> = {}): SolveSetup => ({
  image: { width: W, height: H },
  sensor: SENSOR,
  focal: { mode: 'free', mm: 24 },
  fps: FPS,
  distortion: { mode: 'none' },
  ...change,
});
const taken = { readout: { ms: 16 } };

describe('tracks at the moment of the middle row', () => {
  const still = shot({ noisePx: 0 });
  const truth = new Map(still.tracks.map((t) => [`${t.track} ${t.frame}`, t]));
  test.each([
    [SHARE, 'from the top'],
    [-SHARE, 'from the bottom'],
  ])('rows that were read over %p of a frame, %s, are taken back to where everything was at once', (share) => {
    const skewed = shot({ noisePx: 0, readoutShare: share });
    const off = (tracks: SimulatedShot['tracks']) =>
      tracks.flatMap((t) => {
        const was = truth.get(`${t.track} ${t.frame}`);
        // the ends of a track go on along its curve, which is no better than that
        return was && t.frame > 3 && t.frame < 38 ? [Math.hypot(t.x - was.x, t.y - was.y)] : [];
      });
    expect(Math.max(...off(skewed.tracks))).toBeGreaterThan(8);
    const { tracks, alone } = atMiddleRow(skewed.tracks, share, H);
    expect(alone).toBeLessThan(10);
    expect(off(tracks).length).toBeGreaterThan(1200);
    expect(off(tracks).sort((a, b) => a - b)[Math.floor(0.95 * off(tracks).length)]).toBeLessThan(0.02);
  });
  test('a place without a neighbour is left out, and one beyond an end weighs what it is worth', () => {
    const at = (track: string, frame: number) => ({ track, frame, x: 10 * frame, y: 0, weight: 2 });
    const { tracks, alone } = atMiddleRow([at('a', 1), at('a', 2), at('b', 1)], 0.5, H);
    expect(alone).toBe(1);
    // the first row is a quarter of a frame early: what is wanted lies a quarter of a frame later
    expect(tracks[0]).toMatchObject({ frame: 1, x: expect.closeTo(12.5, 6), weight: 2 });
    expect(tracks[1]).toMatchObject({ frame: 2, x: expect.closeTo(22.5, 6), weight: expect.closeTo(2 / (1.25 ** 2 + 0.25 ** 2), 6) });
  });
  test('a time that no frame has, none, and one without a frame rate are refused', () => {
    expect(() => readoutShare(45, 24)).toThrow(/longer than a frame at 24 a second \(41\.7 ms\)/);
    expect(() => readoutShare(0, 24)).toThrow(/must be above 0/);
    expect(() => readoutShare(NaN, 24)).toThrow(/must be above 0/);
    expect(() => solveTracks(still.tracks, setup({ ...taken, fps: undefined }))).toThrow(/needs the frame rate/);
    expect(readoutShare(41.7, 24)).toBeCloseTo(1.0008, 4);
  });
});

describe('a solve of rows that were read one after the other', () => {
  test('with the readout it is the solve of a picture that is read at once, and its sigmas hold', () => {
    const n = draws(200, 2);
    let z2 = 0;
    for (let i = 0; i < n; i += 1) {
      const solved = solveTracks(shot({ readoutShare: SHARE, seed: 100 + i, points: scatter(60, 30 + i) }).tracks, setup(taken));
      expect(solved.status).toBe('solved');
      expect(solved.readoutSeen).toBeUndefined();
      expect(solved.noisePx!).toBeLessThan(0.33);
      z2 += ((solved.focalMm! - 24) / solved.sigmaFocalMm!) ** 2;
    }
    z2 /= n;
    console.info(`readout taken out: z² of the focal length ${z2.toFixed(2)} over ${n} solves`);
    expect(z2).toBeGreaterThan(n > 100 ? 0.8 : 0.1);
    expect(z2).toBeLessThan(n > 100 ? 1.25 : 2.6);
  });
  test('a turn stays a turn with it; without it is taken for a move, and that is said', () => {
    const { tracks } = shot({ ...onTheSpot, readoutShare: SHARE });
    expect(solveTracks(tracks, setup(taken))).toMatchObject({ motion: 'pan', focalMm: expect.closeTo(24, 1) });
    const heard: SolveProgress[] = [];
    const without = solveTracks(tracks, setup(), { onProgress: (p) => heard.push(p) });
    expect(without.status).toBe('partial');
    // whoever waits is told that other readouts are tried, with what fits so far and without a sigma, and can stop it there
    const tried = heard.filter((p) => p.stage === 'other readouts');
    expect(tried[0].coarse).toMatchObject({ sigmaFocalMm: null, noisePx: expect.any(Number) });
    expect(tried.slice(1).filter((p) => p.coarse)).toEqual([]);
    expect(tried.every((p) => p.done <= p.total)).toBe(true);
    const stop = () =>
      solveTracks(tracks, setup(), {
        onProgress({ stage, done }) {
          if (stage === 'other readouts' && done >= 2) throw new CancelledError();
        },
      });
    expect(stop).toThrow(CancelledError);
    expect(without.motion).toBeUndefined();
    expect(without.readoutSeen).toMatchObject({ ms: expect.closeTo(16, 0), turned: true });
    expect(without.reason).toMatch(/were taken as read at once: a readout of 1[56]\.\d ± 0\.\d ms fits; with it the camera only turned/);
    const judged = reconcile(setup(), without);
    expect(judged.verdict).toBe('not observable');
    expect(judged.items[0].causes[0]).toMatchObject({ cause: 'readout-not-used', correction: { field: 'readoutMs', value: expect.closeTo(16, 0) } });
  });
  const said = (share: number, ms: number) => {
    const s = setup({ readout: { ms } });
    const solved = solveTracks(shot({ readoutShare: share, frames: 30, points: scatter(45, 3) }).tracks, s);
    return { seen: solved.readoutSeen!, cause: reconcile(s, solved).items[0].causes[0] };
  };
  test.each(
    some<[string, number, number, number, object]>(
      [
        ['another time than was written down', SHARE, 26, 16, { cause: 'other-readout', correction: { value: expect.closeTo(16, 0) } }],
        ['none at all', 0, 16, 0, { cause: 'no-readout-skew', correction: { value: null } }],
        ['rows from the bottom', -SHARE, 16, -16, { evidence: expect.stringMatching(/from the last row to the first fits \(the camera hung upside down/) }],
      ],
      2,
    ),
  )('%s is told apart', (_what, share, notedMs, ms, cause) => {
    const { seen, cause: found } = said(share, notedMs);
    expect(Math.abs(seen.ms! - ms)).toBeLessThan(0.5);
    expect(found).toMatchObject(cause);
    if (ms < 0) expect(found.correction).toBeUndefined();
  });
  test('a slow turn whose rows make a move that fits perfectly is found out too', () => {
    const slow = shot({ ...onTheSpot, frames: 90, aim: (t) => [-2 + 4 * t, 0.8 + 0.1 * Math.sin(30 * t), -3.5], readoutShare: SHARE });
    const solved = solveTracks(slow.tracks, setup());
    // nothing in its own errors says so
    expect(solved).toMatchObject({ driftFactor: 1, noisePx: expect.closeTo(0.3, 1) });
    expect(Math.abs(solved.rowsLean!.share)).toBeLessThan(4 * solved.rowsLean!.sigma);
    expect(solved.readoutSeen).toMatchObject({ turned: true });
    expect(Math.abs(solved.readoutSeen!.ms! - 16)).toBeLessThan(3 * solved.readoutSeen!.sigmaMs!);
  });
  test('without a frame rate it is told as a share of a frame, and nothing is judged', () => {
    const unrated = setup({ fps: undefined });
    const solved = solveTracks(shot({ ...onTheSpot, readoutShare: SHARE }).tracks, unrated);
    expect(solved.readoutSeen).toMatchObject({ ms: null, sigmaMs: null, usedMs: 0, turned: true });
    expect(Math.abs(solved.readoutSeen!.share - SHARE)).toBeLessThan(Math.max(0.005, 4 * solved.readoutSeen!.sigmaShare));
    expect(solved.reason).toMatch(/a readout of 3[89] ± 1 % of a frame \(nobody gave the frame rate\) fits; with it the camera only turned/);
    const judged = reconcile(unrated, solved);
    expect(judged).toMatchObject({ verdict: 'not observable', sentence: expect.stringMatching(/Give the frame rate and the readout time, and solve again/) });
    expect(judged.items[0].causes[0].correction).toBeUndefined();
    // one that an earlier version kept knows its milliseconds alone
    const { share: _share, sigmaShare: _sigma, ...kept } = { ...solved.readoutSeen!, ms: -16, sigmaMs: 0.2 };
    expect(readoutWords(kept as ReadoutSeen)).toMatch(/a readout of 16\.0 ± 0\.2 ms from the last row to the first fits/);
  });
  test('how long it was is found with a sigma that holds', () => {
    const n = draws(60, 2);
    const found = Array.from({ length: n }, (_, i) => {
      const ms = 8 + (20 * i) / n;
      const solved = solveTracks(shot({ readoutShare: (ms / 1000) * FPS, seed: 300 + i, frames: 24, points: scatter(36, 90 + i) }).tracks, setup());
      return { ms, solved, seen: solved.readoutSeen };
    });
    const z = found.flatMap(({ ms, seen }) => (seen ? [(seen.ms! - ms) / seen.sigmaMs!] : []));
    const z2 = z.reduce((sum, v) => sum + v * v, 0) / z.length;
    console.info(`readout that nobody noted: found in ${z.length} of ${n} shots, z² ${z2.toFixed(2)}`);
    expect(z2).toBeLessThan(n > 30 ? 1.6 : 4);
    expect(z.length).toBeGreaterThanOrEqual(0.9 * n);
  });
  test('where rows are read at once nobody hears of it', () => {
    const n = draws(200, 2);
    const heard = Array.from({ length: n }, (_, i) =>
      solveTracks(shot({ seed: 500 + i, points: scatter(50, 200 + i), noisePx: 0.2 + 0.1 * (i % 5), ...[{}, swaying, onTheSpot][i % 3] }).tracks, setup()),
    );
    expect(heard.filter((s) => s.readoutSeen)).toHaveLength(0);
  });
});
