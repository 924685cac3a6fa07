import { uniform } from '@mesure/synthetic';
import { isInside, paintedOutlines, type Corner2 } from '.';

const covered = (outlines: readonly (readonly Corner2[])[], x: number, y: number): boolean => outlines.some((o) => isInside(o, x, y));
/** From a place to the nearest of a stroke, by walking along it: this test's own way. */
const away = (strokes: readonly (readonly Corner2[])[], x: number, y: number): number =>
  Math.min(...strokes.flatMap((s) => s.flatMap((q, i) => Array.from({ length: 40 }, (_, k) => { const n = s[Math.min(s.length - 1, i + 1)]; return Math.hypot(q[0] + ((n[0] - q[0]) * k) / 40 - x, q[1] + ((n[1] - q[1]) * k) / 40 - y); })))); // prettier-ignore

test('what lies plainly under the brush is masked and what lies plainly beside it is not, whatever was painted', () => {
  const u = uniform(5);
  let judged = 0;
  for (let n = 0; n < 40; n += 1) {
    const strokes = Array.from({ length: 1 + Math.floor(3 * u()) }, () => {
      let [x, y] = [400 * u(), 300 * u()];
      return Array.from({ length: 1 + Math.floor(40 * u()) }, (): Corner2 => [(x += 24 * (u() - 0.5)), (y += 24 * (u() - 0.5))]);
    });
    const r = 8 + 20 * u();
    const outlines = paintedOutlines(strokes, r);
    for (const o of outlines) expect(o.length).toBeLessThanOrEqual(48);
    for (let k = 0; k < 60; k += 1) {
      const [x, y] = [460 * u() - 30, 360 * u() - 30];
      const d = away(strokes, x, y);
      // holes smaller than a quarter of the tip are filled: a place beside the brush is judged only where there is room for none
      if (Math.abs(d - r) < 0.25 * r || (d > r && d < 1.6 * r)) continue;
      judged += 1;
      expect([n, k, covered(outlines, x, y)]).toEqual([n, k, d < r]);
    }
  }
  expect(judged).toBeGreaterThan(1000);
});

test('a ring leaves its middle free, a tap is a round, strokes that touch are one', () => {
  const ring = Array.from({ length: 41 }, (_, i): Corner2 => [200 + 80 * Math.cos((2 * Math.PI * i) / 40), 150 + 80 * Math.sin((2 * Math.PI * i) / 40)]);
  const outlines = paintedOutlines([ring], 15);
  expect(outlines.length).toBe(2);
  expect([covered(outlines, 200, 150), covered(outlines, 280, 150), covered(outlines, 200, 71)]).toEqual([false, true, true]);
  expect(paintedOutlines([[[50, 50]]], 10)).toHaveLength(1);
  expect(paintedOutlines([[[0, 0], [50, 0]], [[25, -30], [25, 30]]], 10)).toHaveLength(1); // prettier-ignore
  expect(paintedOutlines([[[0, 0]], [[100, 0]]], 10)).toHaveLength(2);
  expect(paintedOutlines([], 10)).toEqual([]);
  expect(() => paintedOutlines([[[0, 0]]], 0)).toThrow(/radius above 0/);
});
