import { CoreError } from '../errors';
import { computeOptics } from './compute-optics';

const setup = (change: object = {}) => ({ image: { width: 3600, height: 2400 }, sensor: { widthMm: 36, heightMm: 24 }, focal: { mm: 18 }, ...change });

describe('computeOptics', () => {
  test('a lens of half the sensor width sees 90 degrees', () => {
    // 2 atan(36 / (2·18)) = 2 atan 1 = 90°; vertical 2 atan(2/3) = 67.380135°; diagonal 2 atan(√(1 + 4/9)) = 100.47995°
    const o = computeOptics(setup());
    expect(o.fovHorizontalDeg).toBeCloseTo(90, 10);
    expect(o.fovVerticalDeg).toBeCloseTo(67.380135, 6);
    expect(o.fovDiagonalDeg).toBeCloseTo((2 * Math.atan(Math.sqrt(13) / 3) * 180) / Math.PI, 10);
    expect(o.cropFactor).toBeCloseTo(1, 12);
    expect(o.pitchXUm).toBeCloseTo(10, 12);
    expect(o.fxPx).toBeCloseTo(1800, 10);
  });

  test('an adapter multiplies the focal length first', () => {
    const o = computeOptics(setup({ focal: { mm: 32 }, adapterFactor: 0.71, sensor: { widthMm: 24, heightMm: 12.66 }, image: { width: 4096, height: 2160 } }));
    expect(o.effectiveFocalMm).toBeCloseTo(22.72, 12);
    expect(o.fxPx).toBeCloseTo((22.72 * 4096) / 24, 8);
    expect(o.cropFactor).toBeCloseTo(Math.sqrt(36 ** 2 + 24 ** 2) / Math.sqrt(24 ** 2 + 12.66 ** 2), 12);
  });

  test('a squeeze widens the field and halves the horizontal focal length in pixels', () => {
    const o = computeOptics(setup({ squeeze: 2, focal: { mm: 36 } }));
    expect(o.fovHorizontalDeg).toBeCloseTo(90, 10);
    expect(o.fxPx * 2).toBeCloseTo(o.fyPx, 10);
    expect(o.desqueezedAspect).toBeCloseTo(3, 12);
  });

  test.each([
    [{ image: { width: 0, height: 2400 } }, 'image.width'],
    [{ sensor: { widthMm: 36, heightMm: -1 } }, 'sensor.heightMm'],
    [{ focal: { mm: Number.NaN } }, 'focal.mm'],
    [{ adapterFactor: 0 }, 'adapterFactor'],
    [{ squeeze: 9 }, 'squeeze'],
  ])('names the field at fault: %j', (change, field) => {
    expect(() => computeOptics(setup(change))).toThrow(CoreError);
    expect(() => computeOptics(setup(change))).toThrow(expect.objectContaining({ field }));
  });
});
