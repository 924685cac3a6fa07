import { FOCUS_INFINITY_M } from '../units';
import { compareFrames, computeOptics, depthOfField, modeRemarks, subjectScale } from '.';

const setup = (change: object = {}) => ({ image: { width: 4096, height: 2160 }, sensor: { widthMm: 24, heightMm: 12.65625 }, focal: { mm: 32 }, ...change });

describe('depth of field', () => {
  test('50 mm, f/2.8, 0.025 mm: H = 2500/0.07 mm + 50 mm = 35.764 m', () => {
    const d = depthOfField({ focalMm: 50, stop: 2.8, focusM: 3, cocMm: 0.025 });
    expect(d.hyperfocalM).toBeCloseTo(35.7642857, 6);
    // near = 3·35.7142857/(35.7642857 + 3 − 0.1), far = 3·35.7142857/(35.7642857 − 3), in whole fractions
    expect(d.nearM).toBeCloseTo(107.1428571 / 38.6642857, 6);
    expect(d.farM).toBeCloseTo(107.1428571 / 32.7642857, 6);
  });
  test('the limits are where a point makes a disc of just that size, by the thin lens itself', () => {
    const [f, N, s, c] = [0.035, 4, 2.5, 0.00003];
    const { nearM, farM } = depthOfField({ focalMm: 35, stop: 4, focusM: 2.5, cocMm: 0.03 });
    const imageOf = (distance: number) => 1 / (1 / f - 1 / distance);
    for (const limit of [nearM, farM]) expect((Math.abs(imageOf(limit) - imageOf(s)) / imageOf(limit)) * (f / N)).toBeCloseTo(c, 9);
  });
  test('focused at the hyperfocal distance all is sharp from half of it to infinity', () => {
    const h = depthOfField({ focalMm: 25, stop: 8, focusM: 1, cocMm: 0.02 }).hyperfocalM;
    const d = depthOfField({ focalMm: 25, stop: 8, focusM: h, cocMm: 0.02 });
    expect(d.farM).toBe(Infinity);
    expect(d.nearM).toBeCloseTo(h / 2, 6);
  });
  test('of a lens at its stop all is sharp from the hyperfocal distance on, as measured from the lens', () => {
    const d = depthOfField({ focalMm: 50, stop: 2.8, focusM: FOCUS_INFINITY_M, cocMm: 0.025 });
    expect([d.nearM, d.farM]).toEqual([expect.closeTo(35.7142857, 6), Infinity]);
  });
  test.each([
    [{ stop: 0 }, 'stop'],
    [{ focusM: 0.02 }, 'focusM'],
    [{ cocMm: Number.NaN }, 'cocMm'],
    [{ focalMm: -1 }, 'focalMm'],
  ])('%j is refused by its field', (change, field) => {
    expect(() => depthOfField({ focalMm: 32, stop: 4, focusM: 2, cocMm: 0.02, ...change })).toThrow(expect.objectContaining({ field }));
  });
});

test('the field grows with distance by sensor over focal length; a squeeze widens it', () => {
  const s = subjectScale(setup(), 4);
  expect(s.fieldWidthM).toBeCloseTo((4 * 24) / 32, 10);
  expect(s.fieldHeightM).toBeCloseTo((4 * 12.65625) / 32, 10);
  expect(s.pixelWidthMm).toBeCloseTo(3000 / 4096, 10);
  expect(subjectScale(setup({ squeeze: 2 }), 4).fieldWidthM).toBeCloseTo(6, 10);
});

describe('two packages', () => {
  test('against 36 × 24: a 32 mm looks like a 48 mm', () => {
    const full = { image: { width: 6000, height: 4000 }, sensor: { widthMm: 36, heightMm: 24 }, focal: { mm: 50 } };
    const c = compareFrames(setup(), full);
    expect(c.matchingFocalMm).toBeCloseTo(48, 10);
    expect(c.cropAgainst).toBeCloseTo(computeOptics(setup()).cropFactor, 10);
    // 24/32 = 0.75 of the distance against 36/50 = 0.72
    expect(c.widthShare).toBeCloseTo(0.75 / 0.72, 10);
  });
  test('an adapter on the other package is counted, a squeeze too', () => {
    expect(compareFrames(setup(), setup({ adapterFactor: 0.71 })).matchingFocalMm).toBeCloseTo(32 / 0.71, 10);
    expect(compareFrames(setup(), setup({ squeeze: 2 })).matchingFocalMm).toBeCloseTo(64, 10);
  });
  test('the matching focal length really sees as wide', () => {
    const there = { image: { width: 3840, height: 2160 }, sensor: { widthMm: 17.3, heightMm: 9.73 }, adapterFactor: 1.4, focal: { mm: 1 } };
    const { matchingFocalMm } = compareFrames(setup(), there);
    expect(computeOptics({ ...there, focal: { mm: matchingFocalMm } }).fovHorizontalDeg).toBeCloseTo(computeOptics(setup()).fovHorizontalDeg, 10);
  });
});

describe('a recording mode', () => {
  const mode = { widthPx: 4096, heightPx: 2160, sensorWidthMm: 24, sensorHeightMm: 12.65625 };
  test('that can be has no remarks', () => {
    expect(modeRemarks(mode)).toEqual([]);
    // scaled in the camera: the pitch is that of the photosites, the shape that of the pixels
    expect(modeRemarks({ ...mode, widthPx: mode.widthPx / 4, heightPx: mode.heightPx / 4, photositesX: mode.widthPx, photositesY: mode.heightPx })).toEqual([]);
    expect(modeRemarks({ ...mode, photositesX: 900, photositesY: 500 })[0].text).toMatch(/pixel pitch would be \d\d\.\d\d µm/);
    expect(modeRemarks(mode, { widthMm: 24, heightMm: 16 })).toEqual([]);
  });
  test.each([
    [{ sensorWidthMm: 240 }, 'sensorWidthMm', /58\.59 µm/],
    [{ widthPx: 40_960, heightPx: 21_600 }, 'sensorWidthMm', /0\.59 µm/],
    // 24/4096 against 12/2160: 5.859 to 5.556 µm
    [{ sensorHeightMm: 12 }, 'sensorHeightMm', /1\.055 times as wide as high; with square ones the height is 12\.66 mm/],
  ])('%j is remarked at its field', (change, field, text) => {
    const remarks = modeRemarks({ ...mode, ...change });
    expect(remarks[0].field).toBe(field);
    expect(remarks[0].text).toMatch(text);
  });
  test('that sees more than the chip is remarked', () => {
    expect(modeRemarks(mode, { widthMm: 23.5, heightMm: 12 }).map((r) => r.text)).toEqual(['the chip is only 23.5 mm wide', 'the chip is only 12 mm high']);
  });
});
