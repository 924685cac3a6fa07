import { renderStill, seenAt, type Panel, type StillCamera } from '.';

const camera: StillCamera = { at: [0, 0, 0], headingRad: 0, tiltRad: 0, widthPx: 80, heightPx: 20, focalPx: 70 };
const behind: Panel = { corner: [-9, -9, -6], along: [18, 0, 0], up: [0, 18, 0], pattern: null, gray: 0.2 };
const linear = (gray: number): number => (gray <= 0.04045 ? gray / 12.92 : ((gray + 0.055) / 1.055) ** 2.4);

/** Where an edge from dark to light lies along a row, px, by the light that is missing left of it. */
function edgeOf(gray: Uint8Array, dark: number, light: number): number {
  const row = Array.from(gray.subarray(10 * 80, 11 * 80), (g) => linear(g / 255));
  return row.reduce((s, l) => s + (light - l) / (light - dark), 0);
}

test('an edge lies where it is seen, to a few hundredths of a pixel, wherever in its pixel', () => {
  for (let k = 0; k < 23; k += 1) {
    const x = -0.4 + 0.0137 * k;
    const before: Panel = { corner: [x, -9, -3], along: [9, 0, 0], up: [0, 18, 0], pattern: null, gray: 0.9 };
    const { gray } = renderStill([behind, before], camera);
    expect(Math.abs(edgeOf(gray, linear(51 / 255), linear(230 / 255)) - seenAt(camera, [x, 0, -3])!.xPx)).toBeLessThan(0.04);
  }
});

test('so do the edges of what is on a panel: two cameras a third of a pixel apart see them a third of a pixel apart', () => {
  const wall: Panel = { corner: [-3, -3, -4], along: [6, 0, 0], up: [0, 6, 0], pattern: 7 };
  // sideways by a third of a pixel at four metres
  const shifted = { ...camera, at: [(4 / 70) * (1 / 3), 0, 0] as const };
  const light = (c: StillCamera) => Array.from(renderStill([wall], c, { blurPx: [1, 1] }).gray, (g) => linear(g / 255));
  const [a, b] = [light(camera), light(shifted)];
  let [along, square] = [0, 0];
  for (let y = 1; y < 19; y += 1)
    for (let x = 1; x < 79; x += 1) {
      const i = y * 80 + x;
      const slope = (a[i + 1] - a[i - 1] + b[i + 1] - b[i - 1]) / 4;
      along += slope * (b[i] - a[i]);
      square += slope * slope;
    }
  expect(along / square).toBeGreaterThan(0.31);
  expect(along / square).toBeLessThan(0.36);
});

test('noise and exposure are what they are said to be', () => {
  const { gray } = renderStill([behind], camera, { noise: 3, seed: 5, stops: -1 });
  const mean = gray.reduce((s, g) => s + g, 0) / gray.length;
  const spread = Math.sqrt(gray.reduce((s, g) => s + (g - mean) ** 2, 0) / gray.length);
  expect(linear(mean / 255) / linear(0.2)).toBeCloseTo(0.5, 1);
  expect(spread).toBeGreaterThan(2.7);
  expect(spread).toBeLessThan(3.3);
});
