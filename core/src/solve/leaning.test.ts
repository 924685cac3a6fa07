import { simulateShot, uniform } from '@mesure/synthetic';
import { solveTracks, type SolveSetup } from '.';

const [W, H] = [960, 540];
const setup: SolveSetup = { image: { width: W, height: H }, sensor: { widthMm: 24, heightMm: 13.5 }, focal: { mode: 'free', mm: 21.6 }, distortion: { mode: 'held', model: 'radial', k: [0, 0, 0] } };

/** Thirty centimetres past a wall and a few near things; of `crossing` a track goes with the edge of one of them and with a line of the wall at once. */
function shot(seed: number, crossing: boolean) {
  const u = uniform(seed);
  const wall = Array.from({ length: 60 }, (_, i) => ({ id: `w${i}`, at: [-2.4 + 4.6 * u(), 0.2 + 2.4 * u(), -3 - 0.4 * u()] as const }));
  const near = Array.from({ length: 7 }, (_, i) => ({ id: `n${i}`, at: [-0.5 + 1.4 * u(), 0.7 + 1.2 * u(), -0.6 - 0.8 * u()] as const }));
  const edge = { id: 'edge', at: [0.3, 1.26, -0.7] as const };
  const line = { id: 'line', at: [0.55, 1.07, -3] as const };
  const { tracks } = simulateShot({
    widthPx: W,
    heightPx: H,
    focalMm: 21.6,
    sensorWidthMm: 24,
    sensorHeightMm: 13.5,
    frames: 30,
    noisePx: 0.1,
    seed,
    points: [...wall, ...near, edge, line],
    path: (t) => [-0.2 + 0.32 * t, 1.5, 2.2 - 0.12 * t],
    aim: (t) => [-0.3 + 0.4 * t, 1.2, -3],
  });
  const lineAt = new Map(tracks.filter((t) => t.track === 'line').map((t) => [t.frame, t.y]));
  return tracks.filter((t) => t.track !== 'line').map((t) => (crossing && t.track === 'edge' ? { ...t, y: lineAt.get(t.frame)! } : t));
}

test('a track where an edge crosses a line far behind it does not say the focal length, and says so', () => {
  // with it they are 24.5 ± 2.5 and 19.1 ± 3.7 mm
  for (const seed of [1, 4]) {
    const r = solveTracks(shot(seed, true), setup);
    expect(r.trimmed.filter((t) => t.frame === null).map((t) => t.track)).toEqual(['edge']);
    expect(r.warnings.map((w) => w.code)).toContain('TRACKS_MOVE');
    expect(r.sigmaFocalMm!).toBeLessThan(1);
    expect(Math.abs(r.focalMm! - 21.6)).toBeLessThan(2 * r.sigmaFocalMm!);
  }
});

test('where every track stands still none is left out, however much it says', () => {
  for (let seed = 1; seed <= 6; seed += 1) expect(solveTracks(shot(seed, false), setup).trimmed).toEqual([]);
});
