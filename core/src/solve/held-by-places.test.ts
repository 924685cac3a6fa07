import { draws, normals, simulateShot, uniform } from '@mesure/synthetic';
import { solveTracks, type SolveSetup } from '.';

const TRUE_MM = 27;
const SIGMA_M = 0.005;
const image = { width: 2048, height: 1080 };
const sensor = { widthMm: 24, heightMm: 12.66 };

/** A camera that slides past a set; by how far it swings round it the focal length shows in the tracks. */
function pass(seed: number, swingM: number, k1 = 0, focalMm: number | ((t: number) => number) = TRUE_MM) {
  const u = uniform(seed);
  const points = Array.from({ length: 60 }, (_, i) => ({ id: `m${i}`, at: [-3.5 + 7 * u(), i % 3 ? 2.6 * u() : 0, -6 + 3.6 * u()] as [number, number, number] }));
  const scene = { widthPx: image.width, heightPx: image.height, focalMm, sensorWidthMm: sensor.widthMm, sensorHeightMm: sensor.heightMm, frames: 24, noisePx: 0.4, seed, points };
  const shot = simulateShot({ ...scene, k: [k1, 0, 0], path: (t) => [swingM * (t - 0.5), 1.3, 1.5], aim: (t) => [0.8 * (t - 0.5), 1.1, -4] });
  const seen = new Map<string, number>();
  for (const { track } of shot.tracks) seen.set(track, (seen.get(track) ?? 0) + 1);
  return { ...shot, points: points.filter((p) => (seen.get(p.id) ?? 0) > 16) };
}

/** Eight of its points as an instrument measured them. */
function measured(points: ReturnType<typeof pass>['points'], seed: number, change = (at: [number, number, number], _index: number): [number, number, number] => at) {
  const n = normals(seed + 500);
  return points.slice(0, 8).map((p, i) => {
    const [x, y, z] = change(p.at, i).map((v) => v + SIGMA_M * n());
    return { track: p.id, x, y, z, sigmaM: SIGMA_M };
  });
}

const setup = (places: ReturnType<typeof measured>, mm = TRUE_MM): SolveSetup => ({ image, sensor, focal: { mode: 'free', mm }, distortion: { mode: 'none' }, anchors: { points: places } });
const codes = (s: { warnings: readonly { code: string }[] }) => s.warnings.map((w) => w.code);

describe('a focal length that the move hardly tells', () => {
  test('is held by surveyed places, with a sigma that holds, and the camera with it; what the tracks alone say is said', () => {
    const COUNT = draws(40, 2);
    let [z2, places2] = [0, 0];
    for (let seed = 1; seed <= COUNT; seed += 1) {
      const made = pass(seed, 1.8);
      const held = solveTracks(made.tracks, setup(measured(made.points, seed)));
      expect(codes(held)).toContain('PLACES_HOLD_FOCAL');
      expect(codes(held)).not.toContain('FOCAL_HARDLY_SEEN');
      // by how much depends on where the eight lie
      expect(held.sigmaFocalMm!).toBeLessThan(0.5);
      const z = (held.focalMm! - TRUE_MM) / held.sigmaFocalMm!;
      expect(Math.abs(z)).toBeLessThan(4);
      z2 += z ** 2 / COUNT;
      for (const f of [held.frames[0], held.frames[held.frames.length - 1]]) {
        const { position } = made.cameras.find((c) => c.frame === f.frame)!;
        for (const [axis, at] of [[0, 0], [1, 3], [2, 5]] as const) places2 += (f.position[axis] - position[axis]) ** 2 / f.covarianceM2![at] / (6 * COUNT); // prettier-ignore
      }
      if (seed > draws(8, 1)) continue;
      const alone = solveTracks(made.tracks, setup([]));
      expect(alone.sigmaFocalMm!).toBeGreaterThan(2 * held.sigmaFocalMm!);
      console.info(`tracks alone ${alone.focalMm!.toFixed(2)} ± ${alone.sigmaFocalMm!.toFixed(2)} mm, held ${held.focalMm!.toFixed(3)} ± ${held.sigmaFocalMm!.toFixed(3)} mm`);
    }
    console.info(`z² of the focal length ${z2.toFixed(2)}, of the camera's places ${places2.toFixed(2)}`);
    expect(z2).toBeLessThan(draws(1.7, 8));
    expect(places2).toBeLessThan(draws(1.7, 6));
  });

  test('whatever was noted, and with one place of them wrong', () => {
    const made = pass(5, 1.8);
    const places = measured(made.points, 5, (at, i) => (i === 2 ? [at[0], at[1], at[2] - 0.15] : at));
    const found = [0.8, 1.2, 1].slice(0, draws(3, 2)).map((by) => solveTracks(made.tracks, setup(places, by * TRUE_MM)));
    for (const s of found) {
      expect(codes(s)).toContain('PLACES_HOLD_FOCAL');
      expect(Math.abs(s.focalMm! - TRUE_MM)).toBeLessThan(4 * s.sigmaFocalMm!);
      expect(Math.abs(s.focalMm! - found[0].focalMm!)).toBeLessThan(0.1 * s.sigmaFocalMm!);
      expect([...new Set(s.anchoring.residuals.filter((f) => f.leftOut).map((f) => f.about.replace(/ [xyz]$/, '')))]).toEqual([places[2].track]);
    }
  });

  test('of a zoom as well: all its lengths together, each with a sigma that holds; where the places are of another set, the tracks keep theirs', () => {
    const zoom = (t: number) => 22 * 1.35 ** t;
    const focal = { mode: 'zoom' as const, mm: 25 };
    const COUNT = draws(20, 1);
    let z2 = 0;
    for (let seed = 1; seed <= COUNT; seed += 1) {
      const made = pass(seed, 1.8, 0, zoom);
      const held = solveTracks(made.tracks, { ...setup(measured(made.points, seed)), focal });
      expect(codes(held)).toContain('PLACES_HOLD_FOCAL');
      for (const f of held.frames) {
        const z = (f.focalMm - zoom((f.frame - 1) / 23)) / f.sigmaFocalMm!;
        expect(Math.abs(z)).toBeLessThan(4);
        z2 += z ** 2 / (COUNT * held.frames.length);
      }
      if (seed > 1) continue;
      const alone = solveTracks(made.tracks, { ...setup([]), focal });
      expect(alone.frames[12].sigmaFocalMm!).toBeGreaterThan(1.8 * held.frames[12].sigmaFocalMm!);
      const other = solveTracks(made.tracks, { ...setup(measured(made.points, seed, ([x, y, z]) => [x, y, 1.6 * z])), focal });
      expect(codes(other)).not.toContain('PLACES_HOLD_FOCAL');
      other.frames.forEach((f, i) => expect(f.focalMm).toBeCloseTo(alone.frames[i].focalMm, 6));
    }
    expect(z2).toBeLessThan(draws(1.7, 8));
  });

  test('is not held where the lens bends and was taken as straight', () => {
    const made = pass(2, 2.5, -0.15);
    const s = solveTracks(made.tracks, setup(measured(made.points, 2)));
    expect(codes(s)).toContain('LENS_BENDS');
    expect(codes(s)).not.toContain('PLACES_HOLD_FOCAL');
  });
});

describe('a focal length that the move tells', () => {
  test('is not held by places that are of another set: that is said, and the tracks have the word', () => {
    const made = pass(3, 5);
    // a plan whose depth was drawn at another scale: its places agree with each other, and with a longer lens
    const places = measured(made.points, 3, ([x, y, z]) => [x, y, 1.12 * z]);
    const alone = solveTracks(made.tracks, setup([]));
    const s = solveTracks(made.tracks, setup(places));
    expect(codes(s)).not.toContain('PLACES_HOLD_FOCAL');
    expect(s.focalMm!).toBeCloseTo(alone.focalMm!, 6);
    expect(Math.abs(s.focalMm! - TRUE_MM)).toBeLessThan(4 * s.sigmaFocalMm!);
  });

  test('three places, and places that are as rough as the move, change nothing', () => {
    const made = pass(4, 5);
    const alone = solveTracks(made.tracks, setup([]));
    for (const places of [measured(made.points, 4).slice(0, 3), measured(made.points, 4).map((p) => ({ ...p, sigmaM: 0.5 }))]) {
      const s = solveTracks(made.tracks, setup(places));
      expect(codes(s)).not.toContain('PLACES_HOLD_FOCAL');
      expect(s.focalMm!).toBe(alone.focalMm!);
    }
  });
});
