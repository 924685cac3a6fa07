import { draws, driftTrial, normals } from '@mesure/synthetic';
import { solveTracks } from '.';
import { trackDrift, type TrackRun } from './track-drift';

/** Runs of white and drifting errors of known share, without mean and slope, which a fit takes out. */
function runs(count: number, length: number, white: number, drift: number, rho: number): TrackRun[] {
  const g = normals(4);
  const one = () => {
    let d = drift * g();
    const e = Array.from({ length }, () => {
      d = rho * d + drift * Math.sqrt(1 - rho * rho) * g();
      return d + white * g();
    });
    const mean = e.reduce((s, v) => s + v, 0) / length;
    const at = (i: number) => i - (length - 1) / 2;
    const slope = e.reduce((s, v, i) => s + v * at(i), 0) / e.reduce((s, _, i) => s + at(i) ** 2, 0);
    return e.map((v, i) => v - mean - slope * at(i));
  };
  return Array.from({ length: count }, () => ({ u: one(), v: one() }));
}

test('white noise has no drift, whatever its size and however few the runs', () => {
  for (const [count, white] of [
    [400, 1],
    [40, 0.01],
    [6, 3],
  ])
    expect(trackDrift(runs(count, 40, white, 0, 0)).factor).toBeLessThan(1.3);
  expect(trackDrift([])).toEqual({ correlation: 0, factor: 1 });
  expect(trackDrift([{ u: [1, 2, 3], v: [1, 2, 3] }]).factor).toBe(1);
});

test('a drift beside white noise is found with its share', () => {
  const { correlation, factor } = trackDrift(runs(400, 200, 0.1, 0.15, 0.9));
  expect(correlation).toBeGreaterThan(0.85);
  expect(correlation).toBeLessThan(0.95);
  // 1 + 2 · 0.69 · Σ (1 − k/200) 0.9ᵏ = 13
  expect(factor).toBeGreaterThan(9);
  expect(factor).toBeLessThan(19);
});

/** Focal lengths of many shots over their sigmas. */
const errors = (seeds: number, white: number, drift: number, rho: number, mode: 'free' | 'guided') =>
  Array.from({ length: seeds }, (_, k) => {
    const { tracks, setup, focalMm } = driftTrial(k + 1, white, drift, rho, mode);
    const r = solveTracks(tracks, setup);
    return (r.focalMm! - focalMm) / r.sigmaFocalMm!;
  });
const z2 = (z: readonly number[]) => z.reduce((s, v) => s + v * v, 0) / z.length;

test('tracks that drift widen the sigma of the focal length to what it really is off', () => {
  // as white noise they would be 17 of its variances off
  const z = z2(errors(draws(6, 3), 0.05, 0.2, 0.97, 'free'));
  expect(z).toBeGreaterThan(0.1);
  expect(z).toBeLessThan(3);
});

test('a recorded focal length does not outweigh tracks that know better', () => {
  // tracks of a thousandth of a pixel: the record, 0.2 mm off, must not be felt (it was, by 84 sigmas)
  expect(z2(errors(draws(4, 1), 0.001, 0, 0, 'guided'))).toBeLessThan(3);
});
