import { driftTrial } from '@mesure/synthetic';
import { solveTracks } from '.';

test.each([
  ['white', 0.4, 0, 0],
  ['tiny', 0.001, 0, 0],
  ['slow drift', 0.05, 0.2, 0.97],
  ['quick drift', 0.1, 0.15, 0.9],
])('focal lengths of 40 shots with %s noise, free and guided, are off by what their sigmas say', (name, white, drift, rho) => {
  for (const mode of ['free', 'guided'] as const) {
    const z = Array.from({ length: 40 }, (_, k) => {
      const { tracks, setup, focalMm } = driftTrial(k + 1, white, drift, rho, mode);
      const r = solveTracks(tracks, setup);
      return (r.focalMm! - focalMm) / r.sigmaFocalMm!;
    });
    const z2 = z.reduce((s, v) => s + v * v, 0) / z.length;
    const inTwo = z.filter((v) => Math.abs(v) < 2).length / z.length;
    process.stdout.write(`${name}, ${mode}: z² ${z2.toFixed(2)}, within two ${(100 * inTwo).toFixed(0)} %\n`);
    expect(z2).toBeGreaterThan(0.5);
    expect(z2).toBeLessThan(2);
    expect(inTwo).toBeGreaterThan(0.82);
  }
});
