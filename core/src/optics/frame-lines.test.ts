import { frameLines } from './frame-lines';

const image = { width: 4096, height: 2160 };
test('a wider aspect takes the whole width, a narrower one the whole height, centred', () => {
  // 4096 / 2.39 = 1713.8 rows; 2160 · 1.33 = 2872.8 columns
  const wide = frameLines({ image }, 2.39);
  expect(wide.widthPx).toBe(4096);
  expect(wide.heightPx).toBeCloseTo(1713.8, 1);
  expect(wide.yPx).toBeCloseTo((2160 - 1713.8) / 2, 1);
  const tall = frameLines({ image }, 1.33);
  expect(tall).toMatchObject({ heightPx: 2160, yPx: 0 });
  expect(tall.widthPx).toBeCloseTo(2872.8, 9);
  expect(tall.xPx).toBeCloseTo((4096 - 2872.8) / 2, 9);
  expect(frameLines({ image }, 4096 / 2160)).toEqual({ xPx: 0, yPx: 0, widthPx: 4096, heightPx: 2160 });
});
test('of a squeezed picture the lines are those of the desqueezed one', () => {
  // 2880 × 2160 squeezed by two is 2.667 to 1: 2.39 leaves 2160 · 2.39 / 2 = 2581.2 recorded columns
  const lines = frameLines({ image: { width: 2880, height: 2160 }, squeeze: 2 }, 2.39);
  expect(lines.heightPx).toBeCloseTo(2160, 9);
  expect(lines.widthPx).toBeCloseTo(2581.2, 9);
});
test.each([0, 0.3, 4.1, Number.NaN])('%s to 1 is no picture', (aspect) => expect(() => frameLines({ image }, aspect)).toThrow(/to 1 is none/));
