import { compareWithTruth, renderChequer, uniform, type CornerFinder, type PlateChange, some } from '@mesure/synthetic';
import { analysePlate } from '.';
import { stepAt, bellAt } from '../charts/edge';

const find: CornerFinder = ({ widthPx, heightPx, gray }, fPx, chart) => analysePlate({ widthPx, heightPx, data: new Float32Array(gray) }, { widthPx, heightPx, fxPx: fPx, fyPx: fPx }, { chart }).nodes;

// the point to which the gradients are orthogonal scattered 2.0 to 3.2 times as much, and by 13 on a tilted ruled chart in falling light
describe('corners are within 1.3 of an estimator that starts at the truth', () => {
  test.each(
    some<[string, PlateChange]>(
      [
        ['noisy', { cellPx: 30, noise: 6 }],
        ['tilted by 30 degrees', { cellPx: 30, tiltXRad: 0.5, tiltYRad: 0.2 }],
        ['ruled, tilted, dark corners', { cellPx: 40, ruled: { widthCells: 0.08 }, tiltXRad: 0.4, vignette: 0.4 }],
      ],
      2,
    ),
  )('%s', (_name, change) => {
    const { ours, best, corners } = compareWithTruth(find, change, 40);
    expect(corners).toBeGreaterThan(30);
    expect(best).toBeLessThan(0.05);
    expect(ours / best).toBeLessThan(1.3);
  });
});

test('a corner six pixels from the border is as good as one in the middle', () => {
  const [W, H, f] = [640, 360, 800];
  const u = uniform(4);
  const near: number[] = [];
  const far: number[] = [];
  for (let i = 0; i < 8; i += 1) {
    const lens = { fxPx: f, fyPx: f, cx: W / 2, cy: H / 2, k1: -0.08, k2: 0, k3: 0, p1: 0, p2: 0 };
    const plate = renderChequer({
      widthPx: W,
      heightPx: H,
      lens,
      cellSlope: (16 + 24 * u()) / f,
      blurPx: 1,
      noise: 2,
      offsetCells: [u(), u()],
      tiltXRad: 0.2,
      tiltYRad: -0.12,
      rollRad: u(),
      seed: i + 1,
    });
    const found = analysePlate({ widthPx: W, heightPx: H, data: new Float32Array(plate.gray) }, { widthPx: W, heightPx: H, fxPx: f, fyPx: f });
    for (const q of found.nodes) {
      const square = Math.min(...plate.corners.map((c) => (c.x - q.x) ** 2 + (c.y - q.y) ** 2));
      (Math.min(q.x, q.y, W - q.x, H - q.y) < 12 ? near : far).push(square);
    }
  }
  const rms = (squares: number[]) => Math.sqrt(squares.reduce((s, v) => s + v, 0) / squares.length);
  expect(near.length).toBeGreaterThan(80);
  expect(rms(far)).toBeLessThan(0.009);
  expect(rms(near) / rms(far)).toBeLessThan(1.3);
});

test('a blurred edge is the integral of its bell', () => {
  expect(stepAt(-9)).toBe(-1);
  expect(stepAt(0)).toBeCloseTo(0, 6);
  expect(stepAt(9)).toBeCloseTo(1, 4);
  expect(stepAt(1)).toBeCloseTo(0.682689492, 5);
  expect(stepAt(-2)).toBeCloseTo(-0.954499736, 5);
  expect(bellAt(1)).toBeCloseTo(0.241970725, 5);
});
