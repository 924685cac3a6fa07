import { draws, simulateShot, uniform } from '@mesure/synthetic';
import { coefficientsOf } from '../lens';
import { shotCamera, solveTracks, type SolveSetup } from '.';
import { CancelledError } from '../errors';
import { reconcile } from '../reconcile';

type Point = readonly [number, number, number];
const u = uniform(9);
const POINTS = Array.from({ length: 100 }, (_, i) => ({ id: `m${i}`, at: [-3.6 + 7.2 * u(), i % 2 ? 2.9 * u() : 0, -5 + 4 * u()] as Point }));
const TRUE_MM = 22;
interface Film {
  center?: readonly [number, number];
  ratio?: number;
  k?: readonly [number, number, number];
  roll?: number;
  seed?: number;
}
/** A pass that rolls: a hand-held camera does by itself. */
const film = ({ center, ratio, k, roll = 0.35, seed = 1 }: Film) =>
  simulateShot({
    ...{ widthPx: 1920, heightPx: 1080, sensorWidthMm: 24, sensorHeightMm: 13.5, focalMm: TRUE_MM, frames: 36, points: POINTS, noisePx: 0.3, seed },
    ...(center ? { center } : {}),
    ...(ratio ? { ratio } : {}),
    ...(k ? { k } : {}),
    path: (t) => [-0.9 + 1.8 * t, 1.2 + 0.5 * t, 1.1 - 0.4 * t],
    aim: (t) => [0.6 - 1.2 * t, 1, -3],
    rollRad: (t) => roll * Math.sin(5 * t),
  });
const setup = (change: Partial<SolveSetup> = {}): SolveSetup => ({
  image: { width: 1920, height: 1080 },
  sensor: { widthMm: 24, heightMm: 13.5 },
  focal: { mode: 'free', mm: 23 },
  distortion: { mode: 'none' },
  ...change,
});

test('a principal point off the middle comes out with the focal length, each within its sigma; the camera that leaves has it', () => {
  const runs = draws(6, 2);
  let [zx, zy, zf] = [0, 0, 0];
  for (let seed = 1; seed <= runs; seed += 1) {
    const { tracks } = film({ center: [26, -17], seed });
    const s = solveTracks(tracks, setup({ principalPoint: { mode: 'free' } }));
    expect(s.status).toBe('solved');
    const at = s.found!.principalPx!;
    expect(at.told).toBe(true);
    expect(s.noisePx).toBeLessThan(0.33);
    zx += ((at.x - 986) / at.sigmaX!) ** 2 / runs;
    zy += ((at.y - 523) / at.sigmaY!) ** 2 / runs;
    zf += ((s.focalMm! - TRUE_MM) / s.sigmaFocalMm!) ** 2 / runs;
    expect(at.sigmaX).toBeLessThan(8);
    if (seed > 1) continue;
    // held, the same tracks are explained worse
    expect(solveTracks(tracks, setup()).noisePx!).toBeGreaterThan(1.1 * s.noisePx!);
    expect(shotCamera(setup({ principalPoint: { mode: 'free' } }), s).principalPx).toEqual([at.x, at.y]);
  }
  for (const z of [zx, zy, zf]) expect(z).toBeLessThan(3);
});

test('a squeeze that is not the one on the barrel comes out, and the picture is as wide in the camera that leaves', () => {
  // 3 % fewer pixels a degree across than was recorded: a true squeeze of 1 / 0.97
  const s0 = setup({ squeeze: 1, squeezeFit: { mode: 'free' } });
  const s = solveTracks(film({ ratio: 0.97 }).tracks, s0);
  const { squeeze } = s.found!;
  expect(squeeze!.told).toBe(true);
  expect(Math.abs(squeeze!.value - 1 / 0.97)).toBeLessThan(4 * squeeze!.sigma!);
  expect(squeeze!.sigma!).toBeLessThan(0.005);
  const camera = shotCamera(s0, s);
  expect(camera.pxPerMm[0] / camera.pxPerMm[1]).toBeCloseTo(1 / squeeze!.value, 9);
});

test('a squeeze that nobody noted is asked for by other lenses, which is told and can be stopped; where a bend explains all none is asked for', () => {
  const heard = (tracks: Parameters<typeof solveTracks>[0], stopAt = Infinity) => {
    const lenses: number[] = [];
    const solve = () =>
      solveTracks(tracks, setup(), {
        onProgress({ stage, done, total }) {
          if (stage !== 'other lenses') return;
          lenses.push(done / total);
          if (lenses.length > stopAt) throw new CancelledError();
        },
      });
    return { solve, lenses };
  };
  const bent = heard(film({ k: [-0.05, 0, 0] }).tracks);
  // about: the focal length of the solve, by which it is counted, is bent too
  expect(bent.solve()).toMatchObject({ bending: { k1: expect.closeTo(-0.055, 2) }, squeezed: null });
  expect(bent.lenses).toEqual([]);
  const anamorphic = film({ ratio: 1 / 1.33 }).tracks.filter(({ track, frame }) => Number(track.slice(1)) < 50 && frame % 2 === 0);
  const squeezed = heard(anamorphic);
  expect(squeezed.solve()).toMatchObject({ status: 'partial', squeezed: { value: expect.closeTo(1.33, 2) } });
  expect(squeezed.lenses.length).toBeGreaterThan(1);
  expect(Math.max(...squeezed.lenses)).toBeLessThanOrEqual(1);
  expect([...squeezed.lenses].sort((a, b) => a - b)).toEqual(squeezed.lenses);
  // between two of its rounds, not only before the first
  expect(heard(anamorphic, 3).solve).toThrow(CancelledError);
});

test('what a pass does not tell stays as it was known, and that is said', () => {
  const s = solveTracks(film({ roll: 0 }).tracks, setup({ focal: { mode: 'free', mm: TRUE_MM }, principalPoint: { mode: 'guided', sigmaPx: 1.5 } }));
  const at = s.found!.principalPx!;
  expect(at.sigmaX!).toBeLessThan(2);
  expect(Math.abs(at.x - 960)).toBeLessThan(4);
  const held = solveTracks(film({}).tracks, setup({ principalPoint: { mode: 'guided', sigmaPx: 0.01 } }));
  expect(held.found!.principalPx!.told).toBe(false);
  expect(held.warnings.map((w) => w.code)).toContain('CENTRE_NOT_TOLD');
  expect(held.found!.principalPx!.x).toBeCloseTo(960, 1);
});

test('a guided distortion lies between what was known and what the tracks say, each by its sigma', () => {
  const { tracks } = film({ k: [-0.1, 0, 0] });
  const over = (TRUE_MM / 22) ** 2;
  const guided = (k1: number, sigma: number) => solveTracks(tracks, setup({ focal: { mode: 'free', mm: 22 }, distortion: { mode: 'guided', k: [k1, 0, 0], sigmaK: [sigma] } }));
  const wide = guided(-0.07, 0.05);
  expect(wide.distortion.mode).toBe('guided');
  expect(Math.abs(coefficientsOf(wide.distortion)[0] + 0.1 * over)).toBeLessThan(4 * wide.distortion.sigma!.k1);
  const narrow = guided(-0.07, 1e-5);
  expect(coefficientsOf(narrow.distortion)[0]).toBeCloseTo(-0.07, 3);
  expect(narrow.noisePx!).toBeGreaterThan(1.05 * wide.noisePx!);
  expect(coefficientsOf(shotCamera(setup(), wide).lens.distortion)[0]).toBe(coefficientsOf(wide.distortion)[0]);
});

test.each([
  ['a way that there is not', { principalPoint: { mode: 'sideways' } }, 'principalPoint.mode'],
  ['guided without a sigma', { principalPoint: { mode: 'guided' } }, 'principalPoint.sigmaPx'],
  ['a squeeze guided by nothing', { squeezeFit: { mode: 'guided', sigma: 0 } }, 'squeezeFit.sigma'],
  ['coefficients guided by nothing', { distortion: { mode: 'guided', k: [-0.1] } }, 'distortion.sigmaK'],
])('%s is refused with its field', (_, change, field) => {
  expect(() => solveTracks(film({}).tracks, setup(change as never))).toThrow(expect.objectContaining({ field }));
});

describe('against the record', () => {
  const off = [26, -17] as const;
  const center: [number, number] = [986, 523];
  const plate = { mode: 'held' as const, model: 'radial', k: [0, 0, 0], p: [0, 0], center };
  const itemsOf = (change: Partial<SolveSetup>, made: Film) => {
    const s0 = setup(change);
    return new Map(reconcile(s0, solveTracks(film(made).tracks, s0)).items.map((i) => [i.quantity, i]));
  };

  test('a principal point that a plate told agrees with the take, and one that was moved contradicts it', () => {
    const right = itemsOf({ distortion: plate, principalPoint: { mode: 'free' } }, { center: off });
    expect([right.get('principalX')!.verdict, right.get('principalY')!.verdict]).toEqual(['agrees', 'agrees']);
    // guided by the plate, the plate's own word is taken out before it is compared
    const guided = itemsOf({ distortion: plate, principalPoint: { mode: 'guided', sigmaPx: 3 } }, { center: off });
    expect(Math.abs(guided.get('principalX')!.solved! - right.get('principalX')!.solved!)).toBeLessThan(1);
    expect(guided.get('principalX')!.sigma! / right.get('principalX')!.sigma!).toBeCloseTo(1, 1);
    const moved = itemsOf({ distortion: plate, principalPoint: { mode: 'free' } }, { center: [60, -17] });
    expect(moved.get('principalX')!.verdict).toBe('contradicts');
  });

  test('nobody records the middle of a picture: without a plate there is nothing to compare', () => {
    expect(itemsOf({ principalPoint: { mode: 'free' } }, { center: [26, -17] }).has('principalX')).toBe(false);
  });

  test('a squeeze as marked agrees; another one contradicts, with the one that was on', () => {
    const one = itemsOf({ squeezeFit: { mode: 'free' } }, {});
    expect(one.get('squeeze')!.verdict).toBe('agrees');
    // 1.5 was on, 1.8 was written down
    const wrong = itemsOf({ squeeze: 1.8, squeezeFit: { mode: 'free' } }, { ratio: 1 / 1.5 });
    const item = wrong.get('squeeze')!;
    expect(item.verdict).toBe('contradicts');
    expect(item.solved!).toBeCloseTo(1.5, 1);
    expect(item.causes[0]).toMatchObject({ cause: 'other-squeeze', correction: { field: 'squeeze', value: 1.5 } });
  });
});
