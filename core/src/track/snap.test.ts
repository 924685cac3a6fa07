import { seededNormal, seededRandom } from '../math';
import { snapToCentre } from './snap';

const S = 80;
/** A mark as a function of the place from its centre, px: 1 black, 0 white; eight by eight samples a pixel. */
const MARKS: Record<string, (x: number, y: number) => boolean> = {
  cross: (x, y) => Math.max(Math.abs(x), Math.abs(y)) < 9 && Math.min(Math.abs(x), Math.abs(y)) < 1.6,
  disc: (x, y) => Math.hypot(x, y) < 7,
  'quartered disc': (x, y) => Math.hypot(x, y) < 8 && x * y > 0,
  'turned cross': (x, y) => Math.max(Math.abs(x + y), Math.abs(x - y)) < 12 && Math.min(Math.abs(x + y), Math.abs(x - y)) < 2,
};
function draw(mark: (x: number, y: number) => boolean, cx: number, cy: number, seed: number) {
  const normal = seededNormal(seed);
  const data = new Float32Array(S * S);
  for (let j = 0; j < S; j += 1)
    for (let i = 0; i < S; i += 1) {
      let black = 0;
      for (let v = 0.5; v < 8; v += 1) for (let u = 0.5; u < 8; u += 1) if (mark(i + u / 8 - cx, j + v / 8 - cy)) black += 1;
      // light that falls off across the wall
      data[j * S + i] = 190 + 0.3 * i - (140 * black) / 64 + 2 * normal();
    }
  return { widthPx: S, heightPx: S, data };
}

test.each(Object.keys(MARKS))('a finger five pixels off a %s comes to its centre within a tenth of a pixel', (name) => {
  const random = seededRandom(7);
  for (let i = 0; i < 5; i += 1) {
    const [cx, cy] = [38 + 4 * random(), 38 + 4 * random()];
    const found = snapToCentre(draw(MARKS[name], cx, cy, i), cx + 8 * (random() - 0.5), cy + 8 * (random() - 0.5), 6, 12)!;
    expect(Math.hypot(found.xPx - cx, found.yPx - cy)).toBeLessThan(0.1);
  }
});

test('a plain wall, or one with grain, has no mark to come to', () => {
  const none = draw(() => false, 40, 40, 3);
  expect(snapToCentre(none, 40, 40, 6, 12)).toBeNull();
  const random = seededRandom(5);
  const grain = { ...none, data: none.data.map(() => 255 * random()) };
  expect(snapToCentre(grain, 40, 40, 6, 12)).toBeNull();
  expect(snapToCentre(none, 2, 2, 6, 12)).toBeNull();
});
