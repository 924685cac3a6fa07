import { normals } from '@mesure/synthetic';
import { distort, type Distortion } from '../lens';
import { bookField, bookPlate, lensAt, nextPlate, openBook, pupilFromDistances, type BookPlate } from '.';
import type { GridReport } from '../grid';

const W = 4096,
  H = 2160;
const setup = (mm: number) => ({ image: { width: W, height: H }, sensor: { widthMm: 24, heightMm: 12.66 }, focal: { mm } });

/**
 * An invented zoom, by formulas of this file: barrel at the short end that turns to pincushion, more of both at near focus, a centre that
 * wanders a little. The displacement of a place r mm from the centre is A(f, s) r³ + B r⁵.
 */
const A = (f: number, s: number) => (-0.9e-4 * (28 / f) ** 1.6 + 0.25e-4) * (1 + 0.12 / s);
const B = (f: number) => 2.5e-8 * (28 / f) ** 2;
const centre = (f: number): [number, number] => [0.03 + 0.0004 * f, -0.02];
function truthMm(f: number, s: number, x: number, y: number): [number, number] {
  const [cx, cy] = centre(f);
  const [dx, dy] = [x - cx, y - cy];
  const r2 = dx * dx + dy * dy;
  const m = A(f, s) * r2 + B(f) * r2 * r2;
  return [dx * m, dy * m];
}
/** The same lens as a plate reports it: k1 = A f², k2 = B f⁴. */
function plateAt(f: number, s: number, change: Partial<BookPlate> = {}): BookPlate {
  const distortion: Distortion = { model: 'radial', k: [A(f, s) * f * f, B(f) * f ** 4, 0], p: [0, 0] };
  return { id: `${f}@${s}`, focalMm: f, focusM: s, distortion, fxMm: f, fyMm: f, centerMm: centre(f), halfWidthMm: 12, halfHeightMm: 6.33, rmsPx: 0.02, focalRatio: null, ...change };
}
/** What an estimate misses over the frame, px. */
function errorPx(est: ReturnType<typeof lensAt>, f: number, s: number): number {
  const out = new Float64Array(2);
  const px = W / 24;
  let sum = 0,
    count = 0;
  for (let x = -12; x <= 12; x += 2)
    for (let y = -6; y <= 6; y += 2) {
      const [cx, cy] = [(est.distortion.center[0] - W / 2) / px, (est.distortion.center[1] - H / 2) / (H / 12.66)];
      distort(est.distortion, (x - cx) / f, (y - cy) / f, out);
      const [tx, ty] = truthMm(f, s, x, y);
      sum += ((cx + out[0] * f - x - tx) * px) ** 2 + ((cy + out[1] * f - y - ty) * px) ** 2;
      count += 1;
    }
  return Math.sqrt(sum / count);
}
const ZOOM = [28, 35, 50, 70].flatMap((f) => [0.8, 2, 10].map((s) => plateAt(f, s)));

describe('between the plates', () => {
  test('at a plate the book says what the plate says', () => {
    const book = openBook(ZOOM, setup(28));
    const est = lensAt(book, { focalMm: 35, focusM: 2 });
    expect(est.where).toBe('at a plate');
    expect(errorPx(est, 35, 2)).toBeLessThan(0.05);
    expect(est.sentence).toBe('35 mm at 2 m: measured.');
    expect(est.weights.reduce((sum, w) => sum + w.weight, 0)).toBeCloseTo(1, 9);
  });

  test.each([
    [31, 2],
    [42, 1.2],
    [60, 5],
    [45, 0.8],
  ])('%d mm at %d m: interpolated within what it promises, far better than the nearest plate', (f, s) => {
    const book = openBook(ZOOM, setup(28));
    const est = lensAt(book, { focalMm: f, focusM: s });
    expect(est.where).toBe('between');
    const error = errorPx(est, f, s);
    expect(error).toBeLessThan(0.6);
    expect(error).toBeLessThan(3 * est.sigmaPx!);
    // the nearest plate's displacements, taken as they are
    const nearest = [...ZOOM].sort((a, b) => Math.abs(Math.log(a.focalMm / f)) + Math.abs(1 / a.focusM! - 1 / s) - Math.abs(Math.log(b.focalMm / f)) - Math.abs(1 / b.focusM! - 1 / s))[0];
    const single = lensAt(openBook([nearest], setup(28)), { focalMm: f, focusM: s });
    expect(error).toBeLessThan(0.35 * errorPx(single, f, s));
    expect(est.modelRmsPx).toBeLessThan(0.1);
  });

  test('beyond the data it says so, in what, and promises less', () => {
    const book = openBook(ZOOM, setup(28));
    const short = lensAt(book, { focalMm: 20, focusM: 2 });
    expect(short).toMatchObject({ where: 'beyond', beyond: 'shorter than the shortest plate (28 mm)' });
    expect(short.sentence).toMatch(/so it is extrapolated: ± \d/);
    expect(short.sigmaPx!).toBeGreaterThan(5 * lensAt(book, { focalMm: 31, focusM: 2 }).sigmaPx!);
    expect(lensAt(book, { focalMm: 90, focusM: 2 }).beyond).toBe('longer than the longest plate (70 mm)');
    expect(lensAt(book, { focalMm: 35, focusM: 0.4 }).beyond).toBe('nearer than the nearest plate (0.8 m)');
    expect(lensAt(book, { focalMm: 35, focusM: Infinity }).beyond).toBe('further than the furthest plate (10 m)');
  });

  test('one plate alone promises nothing between; two tell the way', () => {
    const one = openBook([plateAt(50, 2)], setup(50));
    expect(lensAt(one, { focalMm: 50, focusM: 2 }).sentence).toBe('50 mm at 2 m: measured.');
    expect(lensAt(one, { focalMm: 50, focusM: 1.5 })).toMatchObject({ sigmaPx: null, where: 'beyond' });
    expect(one.leftOut).toEqual([]);
    const two = openBook([plateAt(50, 0.8), plateAt(50, 8)], setup(50));
    const est = lensAt(two, { focalMm: 50, focusM: 1.6 });
    expect(est.where).toBe('between');
    expect(errorPx(est, 50, 1.6)).toBeLessThan(0.3);
    expect(() => openBook([], setup(50))).toThrow(/no usable plate/);
  });

  test('each plate is predicted by the others; a wrong one stands out', () => {
    const good = openBook(ZOOM, setup(28));
    expect(Math.max(...good.leftOut.filter((l) => !l.beyond).map((l) => l.rmsPx))).toBeLessThan(1);
    // closed form against leaving it out in earnest
    const left = ZOOM.filter((p) => p.id !== '50@2');
    const again = openBook(left, setup(28));
    const est = lensAt({ ...again, kriging: again.kriging }, { focalMm: 50, focusM: 2 });
    expect(errorPx(est, 50, 2)).toBeLessThan(2 * good.leftOut.find((l) => l.id === '50@2')!.rmsPx + 0.2);
    // a plate that was really shot at 28 and noted as 50
    const mixed = openBook([...left, { ...plateAt(28, 2), id: 'wrong', focalMm: 50, fxMm: 28, fyMm: 28 }], setup(28));
    const sorted = [...mixed.leftOut].sort((a, b) => b.rmsPx - a.rmsPx);
    expect(sorted[0].id).toBe('wrong');
    expect(sorted[0].rmsPx).toBeGreaterThan(5);
  });

  test('a mode that sees less of the sensor is served by the same book', () => {
    const windowed = { image: { width: 2048, height: 1080 }, sensor: { widthMm: 12, heightMm: 6.33 }, focal: { mm: 35 } };
    const est = lensAt(openBook(ZOOM, windowed), { focalMm: 35, focusM: 2 });
    const px = 2048 / 12;
    const out = new Float64Array(2);
    const [cx, cy] = [(est.distortion.center[0] - 1024) / px, (est.distortion.center[1] - 540) / px];
    distort(est.distortion, (5.5 - cx) / 35, (2.8 - cy) / 35, out);
    expect((cx + out[0] * 35 - 5.5 - truthMm(35, 2, 5.5, 2.8)[0]) * px).toBeCloseTo(0, 1);
  });

  test('the measured focal length runs between the plates, with its uncertainty', () => {
    const ratio = (f: number, s: number) => 0.985 - 0.01 / s + 0.0001 * f;
    const book = openBook(
      ZOOM.map((p) => ({ ...p, focalRatio: { value: ratio(p.focalMm, p.focusM!), sigma: 0.001 } })),
      setup(28),
    );
    const { focalRatio } = lensAt(book, { focalMm: 42, focusM: 1.2 });
    expect(Math.abs(focalRatio!.value - ratio(42, 1.2))).toBeLessThan(3 * focalRatio!.sigma);
    expect(focalRatio!.sigma).toBeLessThan(0.005);
    expect(lensAt(openBook(ZOOM, setup(28)), { focalMm: 42, focusM: 1.2 }).focalRatio).toBeNull();
  });
});

test('an anamorphic and a fisheye lens come out of the book as what they are', () => {
  const bent = (f: number): Distortion => ({ model: 'anamorphic', a: [-0.02 * (f / 50), -0.05, 0, 0, 0], b: [0.01, -0.1 * (f / 50), 0, 0, 0], rotation: 0 });
  const plates = [40, 50, 75].map((f) => ({ ...plateAt(f, 2), distortion: bent(f), fxMm: f / 2, fyMm: f }));
  const est = lensAt(openBook(plates, { ...setup(50), squeeze: 2 }), { focalMm: 50, focusM: 2 });
  expect(est.distortion.model).toBe('anamorphic');
  expect((est.distortion as { b: readonly number[] }).b[1]).toBeCloseTo(-0.1, 3);
  expect(est.distortion.aspect).toBeCloseTo(1, 6);
  const round = [8, 10].map((f) => ({ ...plateAt(f, 2), centerMm: [0, 0] as [number, number], distortion: { model: 'fisheye', k: [0.02, -0.01, 0, 0] } as Distortion, fxMm: f, fyMm: f }));
  const wide = lensAt(openBook(round, setup(8)), { focalMm: 8, focusM: 2 });
  expect(wide.distortion.model).toBe('fisheye');
  expect((wide.distortion as { k: readonly number[] }).k[0]).toBeCloseTo(0.02, 2);
});

describe('the next plate', () => {
  const range = { minFocalMm: 28, maxFocalMm: 70, closeFocusM: 0.6, focusMatters: true };

  test('plates shot as proposed cover the zoom, each better than the last, and then it is enough', () => {
    const plates: BookPlate[] = [];
    const worst: number[] = [];
    for (let i = 0; i < 25; i += 1) {
      const next = nextPlate(plates.length > 0 ? openBook(plates, setup(28)) : null, range);
      if (!next) break;
      expect(next.focalMm).toBeGreaterThanOrEqual(28);
      expect(next.focalMm).toBeLessThanOrEqual(70);
      expect(next.openAfter).toBeLessThanOrEqual(next.openBefore + 1e-9);
      expect(plates.some((p) => p.focalMm === next.focalMm && p.focusM === next.focusM)).toBe(false);
      plates.push(plateAt(next.focalMm, next.focusM));
      worst.push(errorPx(lensAt(openBook(plates, setup(28)), { focalMm: 31, focusM: 0.7 }), 31, 0.7));
    }
    expect(plates.length).toBeGreaterThan(5);
    expect(plates.length).toBeLessThan(25);
    expect(nextPlate(openBook(plates, setup(28)), range)).toBeNull();
    expect(worst.at(-1)!).toBeLessThan(0.1 * worst[0]);
  });

  test('a prime that does not breathe needs one plate; one that does, near and far', () => {
    const prime = { minFocalMm: 32, maxFocalMm: 32, closeFocusM: 0.5, focusMatters: false };
    const first = nextPlate(null, prime)!;
    expect(first).toMatchObject({ focalMm: 32, focusM: 3 });
    expect(nextPlate(openBook([plateAt(32, 3)], setup(32)), prime)).toBeNull();
    const breathing = { ...prime, focusMatters: true };
    const next = nextPlate(openBook([plateAt(32, 0.5)], setup(32)), breathing)!;
    expect(next.focusM).toBeGreaterThan(0.9);
  });

  test('the field is open far from the plates and closed at them', () => {
    const { cells, across, down } = bookField(openBook([plateAt(28, 0.6), plateAt(28, 15)], setup(28)), range);
    expect(cells).toHaveLength(across * down);
    const at = (f: number, far: boolean) => cells.filter((c) => Math.abs(c.focalMm - f) < 0.5 && (far ? c.focusM > 14 : c.focusM < 0.7))[0].openShare;
    expect(at(28, true)).toBeLessThan(0.05);
    expect(at(70, true)).toBeGreaterThan(5 * at(28, true));
    expect(bookField(null, range).cells.every((c) => c.openShare === 1 && c.sigmaPx === null)).toBe(true);
  });
});

describe('entrance pupil', () => {
  // a true lens of 31.4 mm, its pupil 86 mm before the mark, recorded as 32; the recorded focal length sees D = (m − p) · 32 / 31.4
  const chart = (measuredM: number, noise = 0) => ({ distanceCells: ((measuredM - 0.086) * (32 / 31.4)) / 0.04, cellM: 0.04, measuredM: measuredM + noise, sigmaM: 0.002 });

  test('two distances give focal length and pupil', () => {
    const e = pupilFromDistances([chart(1.2), chart(4)], 32);
    expect(e.focalMm).toBeCloseTo(31.4, 6);
    expect(e.pupilMm).toBeCloseTo(86, 6);
    expect(e.rmsMm).toBeNull();
  });

  test('its standard deviations are those of repeated tapes', () => {
    const g = normals(9);
    const runs = Array.from({ length: 400 }, () => pupilFromDistances([chart(1.2, 0.002 * g()), chart(2.5, 0.002 * g()), chart(4, 0.002 * g())], 32));
    const sd = (pick: (r: (typeof runs)[0]) => number, truth: number) => Math.sqrt(runs.reduce((sum, r) => sum + (pick(r) - truth) ** 2, 0) / runs.length);
    expect(sd((r) => r.focalMm, 31.4) / runs[0].sigmaFocalMm).toBeCloseTo(1, 0.8);
    expect(sd((r) => r.pupilMm, 86) / runs[0].sigmaPupilMm).toBeCloseTo(1, 0.8);
    expect(runs[0].rmsMm).toBeGreaterThan(0);
  });

  test('one distance, or two that are nearly one, are refused', () => {
    expect(() => pupilFromDistances([chart(2)], 32)).toThrow(/two distances/);
    expect(() => pupilFromDistances([chart(2), chart(2.05)], 32)).toThrow(/a tenth further/);
    expect(() => pupilFromDistances([chart(2), { ...chart(4), cellM: 0 }], 32)).toThrow(expect.objectContaining({ field: 'charts[1].cellM' }));
  });
});

test('a report becomes a plate of the book; an unusable one does not', () => {
  const report = {
    status: 'usable',
    distortion: { model: 'radial', k: [-0.1, 0, 0], p: [0, 0], center: [2058, 1070], aspect: 1.01, focalMm: 22.72, sigma: {}, terms: [] },
    focalFromDistance: { mm: 22.4, sigmaMm: 0.05 },
    focalFromTilt: null,
    rmsPx: 0.02,
  } as unknown as GridReport;
  const p = bookPlate('a', { focalMm: 32, focusM: 2 }, report, { ...setup(32), adapterFactor: 0.71 })!;
  expect(p.fyMm).toBeCloseTo(22.72, 9);
  expect(p.fxMm).toBeCloseTo(22.72 * 1.01, 9);
  expect(p.centerMm[0]).toBeCloseTo((10 * 24) / W, 9);
  expect(p.focalRatio!.value).toBeCloseTo(22.4 / 22.72, 9);
  expect(bookPlate('a', { focalMm: 32, focusM: 2 }, { ...report, status: 'unusable' }, setup(32))).toBeNull();
});
