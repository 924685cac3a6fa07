import { draws, simulateShot, uniform } from '@mesure/synthetic';
import { reconcile } from '../reconcile';
import { wordsOf } from '../warnings';
import { solveTracks, type SolveResult, type SolveSetup } from '.';
import { sigmaByTracks } from './unmeasured-lens';

type Point = readonly [number, number, number];
const u = uniform(3);
const POINTS = Array.from({ length: 60 }, (_, i) => ({ id: `m${i}`, at: [-2.5 + 5 * u(), i % 2 ? 2.4 * u() : 0, -5 + 3.4 * u()] as Point }));
/** A pass of 30 cm that looks about. */
const pass = (seed: number, k1: number) =>
  simulateShot({
    ...{ widthPx: 1920, heightPx: 1080, sensorWidthMm: 24, sensorHeightMm: 13.5, focalMm: 24, frames: 40, points: POINTS, noisePx: 0.3, seed },
    ...(k1 === 0 ? {} : { k: [k1, 0, 0] as const }),
    path: (t) => [-0.15 + 0.3 * t, 1.4, 1.2],
    aim: (t) => [-0.5 + t, 0.8, -3],
  }).tracks;
const SETUP: SolveSetup = { image: { width: 1920, height: 1080 }, sensor: { widthMm: 24, heightMm: 13.5 }, focal: { mode: 'free', mm: 26 }, distortion: { mode: 'none' } };
const offSigmas = (s: SolveResult, sigmaMm = s.sigmaFocalMm!) => Math.abs(s.focalMm! - 24) / sigmaMm;

test('a small move takes up the bend of its lens: that it would change the answer is said, and nothing is judged by it; of a straight lens no word', () => {
  for (let seed = 1; seed <= draws(12, 1); seed += 1) {
    const bent = solveTracks(pass(seed, -0.06), SETUP);
    // nothing goes along the tracks, and the focal length is off by many of the sigmas that they alone would say
    expect(bent.driftFactor).toBeLessThan(1.5);
    expect(offSigmas(bent, sigmaByTracks(bent)!)).toBeGreaterThan(5);
    expect(offSigmas(bent)).toBeLessThan(3);
    expect(bent.bending!.movesFocal).toBeGreaterThan(2);
    expect(wordsOf(bent.warnings).join()).toMatch(/The lens bends, and this solve took it as straight: cameras and places took it up/);
    expect(reconcile(SETUP, bent)).toMatchObject({ verdict: 'not observable' });
    const straight = solveTracks(pass(seed, 0), SETUP);
    expect(straight.bending).toBeNull();
    expect(offSigmas(straight, sigmaByTracks(straight)!)).toBeLessThan(4);
  }
});
