import { renderChequer, uniform, type ChequerScene, type RenderedPlate, some } from '@mesure/synthetic';
import type { RadialDistortion } from '../lens';
import { analysePlate, gridReport, type LensFit, type PlateAnalysis } from '.';
import { wordsOf } from '../warnings';

const W = 1600,
  H = 844;
type Change = Partial<Omit<ChequerScene, 'lens'>> & { fPx?: number; recordedPx?: number; cellPx?: number; k1?: number; k2?: number; width?: number; height?: number };

/** Renders a plate by the formulas of the synthetic room and analyses it as a person's would be. */
function shoot(change: Change = {}): { plate: RenderedPlate; found: PlateAnalysis; frame: { widthPx: number; heightPx: number; fxPx: number; fyPx: number } } {
  const { fPx = 2000, cellPx = 40, k1 = 0, k2 = 0, width = W, height = H, recordedPx, ...scene } = change;
  const plate = renderChequer({
    widthPx: width,
    heightPx: height,
    lens: { fxPx: fPx, fyPx: fPx, cx: width / 2, cy: height / 2, k1, k2, k3: 0, p1: 0, p2: 0 },
    cellSlope: cellPx / fPx,
    blurPx: 1,
    noise: 2,
    offsetCells: [0.3, 0.2],
    ...scene,
  });
  const frame = { widthPx: width, heightPx: height, fxPx: recordedPx ?? fPx, fyPx: recordedPx ?? fPx };
  return { plate, frame, found: analysePlate({ widthPx: width, heightPx: height, data: new Float32Array(plate.gray) }, frame) };
}

const radial = (fit: LensFit) => fit.distortion as RadialDistortion;

/** Found corners against true ones by nearest neighbour; none may be invented. */
function compare(plate: RenderedPlate, found: PlateAnalysis) {
  // a corner needs a few pixels round it to be measured at all
  const visible = plate.corners.filter((c) => c.x > 5 && c.y > 5 && c.x < plate.widthPx - 5 && c.y < plate.heightPx - 5);
  const near = (x: number, y: number) => plate.corners.reduce((m, c) => Math.min(m, (c.x - x) ** 2 + (c.y - y) ** 2), Infinity);
  const squares = found.nodes.map((n) => near(n.x, n.y));
  return { share: found.nodes.length / visible.length, rmsPx: Math.sqrt(squares.reduce((a, b) => a + b, 0) / squares.length), worstPx: Math.sqrt(Math.max(...squares)) };
}

describe('analysePlate on rendered plates', () => {
  test.each(
    some<[string, Change]>(
      [
        ['mild barrel', { k1: -0.05, k2: 0.01 }],
        ['strong barrel', { k1: -0.25, k2: 0.03, fPx: 1300 }],
        ['pincushion', { k1: 0.15, fPx: 1600 }],
        ['small cells', { cellPx: 14, k1: -0.03 }],
        ['turned, tilted, dim corners', { rollRad: 0.4, tiltXRad: 0.12, tiltYRad: -0.08, vignette: 0.4, k1: -0.08 }],
        ['a tenth hidden', { k1: -0.1, hidden: [[600, 260, 420, 330]] }],
        ['chart smaller than the frame', { boardHalfCells: [12, 8] }],
        ['large cells', { cellPx: 110, k1: -0.1, rollRad: 0.7 }],
      ],
      3,
    ),
  )('%s', (_name, change) => {
    const { plate, found } = shoot(change);
    expect(found.status).toBe('found');
    const c = compare(plate, found);
    expect(c.rmsPx).toBeLessThan(0.08);
    expect(c.share).toBeGreaterThanOrEqual(0.97);
    expect(c.worstPx).toBeLessThan(0.4); // an invented corner would be off by cells
  });

  test.each(
    some<[string, Change]>(
      [
        ['large cells', { cellPx: 40, width: 1200, height: 640 }],
        ['small cells', { cellPx: 14, width: 1200, height: 640 }],
        ['cells of 11 px', { cellPx: 11, width: 800, height: 420 }],
      ],
      2,
    ),
  )('clean, %s: below 0.03 px and at least 98 %%', (_name, change) => {
    const { plate, found } = shoot({ k1: -0.1, ...change });
    const c = compare(plate, found);
    expect(c.rmsPx).toBeLessThan(0.03);
    expect(c.share).toBeGreaterThanOrEqual(0.98);
  });

  // two blurs of 1.9 px together leave little of an 11 px cell
  test.each<[string, Change, number]>([
    ['cells of 20 px', { cellPx: 20 }, 0.08],
    ['cells of 11 px', { cellPx: 11 }, 0.08],
  ])('hard (soft, noisy, dark corners, partly hidden), %s: at least 95 %%', (_name, change, limitPx) => {
    const { plate, found } = shoot({ k1: -0.1, blurPx: 1.5, noise: 4, vignette: 0.4, hidden: [[230, 230, 330, 310]], ...change });
    const c = compare(plate, found);
    expect(c.rmsPx).toBeLessThan(limitPx);
    expect(c.share).toBeGreaterThanOrEqual(0.95);
    expect(c.worstPx).toBeLessThan(0.6);
  });

  test('the fitted distortion is the true one within its own standard deviations', () => {
    const { found } = shoot({ k1: -0.12, k2: 0.02, fPx: 1400 });
    const fit = found.fit!;
    expect(Math.abs(radial(fit).k[0] + 0.12)).toBeLessThan(4 * fit.sigma.k1);
    expect(Math.abs(radial(fit).k[1] - 0.02)).toBeLessThan(4 * fit.sigma.k2);
    expect(fit.sigma.k1).toBeLessThan(1e-3);
    expect(fit.terms).toContain('k2');
    expect(fit.terms).not.toContain('focalRatio');
  });

  test('a tilted plate gives away a wrong recorded focal length', () => {
    const { found, frame } = shoot({ fPx: 1420, recordedPx: 2000, tiltXRad: 0.15, tiltYRad: 0.1, k1: -0.05 });
    expect(found.fit!.terms).toContain('focalRatio');
    expect(Math.abs(found.fit!.focalRatio - 0.71)).toBeLessThan(4 * found.fit!.sigma.rho);
    const setup = { image: { width: W, height: H }, sensor: { widthMm: 16, heightMm: 8.44 }, focal: { mm: (16 * frame.fxPx) / W } };
    const report = gridReport([found], ['plate'], setup, { choice: found.choice });
    expect(wordsOf(report.warnings).join(' ')).toMatch(/14\.2\d? ± 0\.\d\d? mm, not the recorded 20\.0 mm/);
  });

  test('a chart of known cells at a known distance measures the focal length', () => {
    // recorded 20 mm on 16 mm; shot with 14.2 mm: cells of 40 px at 1420 px of focal length are 40 mm at 1.42 m
    const { found } = shoot({ fPx: 1420, recordedPx: 2000, k1: -0.05 });
    const setup = { image: { width: W, height: H }, sensor: { widthMm: 16, heightMm: 8.44 }, focal: { mm: 20 } };
    const measured = { cellM: 0.04, distanceM: 1.42, sigmaDistanceM: 0.0025 };
    const report = gridReport([found], ['plate'], setup, { choice: found.choice, measured });
    expect(report.focalFromDistance!.mm).toBeCloseTo(14.2, 1);
    expect(report.focalFromDistance!.sigmaMm).toBeCloseTo((14.2 * 0.0025) / 1.42, 3);
    expect(wordsOf(report.warnings).join(' ')).toMatch(/The chart at 1\.42 m measures 14\.2\d ± 0\.0\d mm, recorded is 20\.00 mm/);
    expect(() => gridReport([found], ['plate'], setup, { choice: found.choice, measured: { ...measured, distanceM: 0 } })).toThrow(expect.objectContaining({ field: 'distanceM' }));
    const tilted = shoot({ tiltXRad: 0.15 }).found;
    expect(gridReport([tilted], ['plate'], setup, { choice: tilted.choice, measured }).focalFromDistance).toBeNull();
  });

  test('says how much of the frame is covered and whether that will do', () => {
    const setup = { image: { width: W, height: H }, sensor: { widthMm: 16, heightMm: 8.44 }, focal: { mm: 20 } };
    const full = shoot({ k1: -0.05 });
    const good = gridReport([full.found], ['a'], setup, { choice: full.found.choice });
    expect(good.status).toBe('usable');
    expect(good.sentence).toMatch(/^Good to use: 0\.0\d px/);
    expect(good.overscan!.width).toBeGreaterThan(W);
    expect(good.cornerDisplacementPct).toBeLessThan(0);
    // a smaller chart shot in two places covers what both cover
    const halves = [-600, 600].map((shiftPx) => shoot({ boardHalfCells: [16, 12], offsetCells: [-shiftPx / 40 + 0.3, 0.2], k1: -0.05 }).found);
    const each = halves.map((h) => gridReport([h], ['h'], setup, { choice: h.choice }));
    const both = gridReport(halves, ['left', 'right'], setup);
    expect(both.coverage!).toBeGreaterThan(0.9);
    for (const one of each) expect(one.coverage!).toBeLessThan(0.75);
    expect(each.map((r) => /, ([a-z ]+) empty/.exec(r.sentence)?.[1]).sort()).toEqual(['left side', 'right side']);
    expect(both.sentence).toMatch(/^Good to use/);
    const small = shoot({ boardHalfCells: [7, 5] });
    const poor = gridReport([small.found], ['b'], setup, { choice: small.found.choice });
    expect(poor.status).toBe('unusable');
    expect(poor.sentence).toMatch(/^Shoot again/);
  });
});

describe('refusals', () => {
  const image = (paint: (x: number, y: number) => number) => {
    const data = new Float32Array(W * H);
    for (let y = 0; y < H; y += 1) for (let x = 0; x < W; x += 1) data[y * W + x] = paint(x, y);
    return analysePlate({ widthPx: W, heightPx: H, data }, { widthPx: W, heightPx: H, fxPx: 2000, fyPx: 2000 });
  };
  test.each<[string, (x: number, y: number) => number]>([
    ['flat grey', () => 120],
    [
      'noise',
      (() => {
        const u = uniform(2);
        return () => 255 * u();
      })(),
    ],
    ['stripes', (x) => (Math.floor(x / 30) % 2 ? 200 : 40)],
    ['discs', (x, y) => (((x % 90) - 45) ** 2 + ((y % 90) - 45) ** 2 < 900 ? 40 : 200)],
  ])('%s is no chart', (_name, paint) => {
    const found = image(paint);
    expect(found.status).toBe('refused');
    expect(found.reason).toBe('no-chart');
    expect(found.message).toMatch(/^No chart/);
  });

  test('a blurred chart is called blurred, with how much', () => {
    const { found } = shoot({ blurPx: 8, cellPx: 60 });
    expect(found.reason).toBe('blurred');
    expect(found.message).toMatch(/^Blurred: edges are spread over \d+ px/);
    expect(found.fit).toBeNull();
  });

  test('stops when asked to, from inside', () => {
    const stop = new Error('stop');
    const plate = renderChequer({ widthPx: 400, heightPx: 300, lens: { fxPx: 500, fyPx: 500, cx: 200, cy: 150, k1: 0, k2: 0, k3: 0, p1: 0, p2: 0 }, cellSlope: 0.05 });
    expect(() =>
      analysePlate(
        { widthPx: 400, heightPx: 300, data: new Float32Array(plate.gray) },
        { widthPx: 400, heightPx: 300, fxPx: 500, fyPx: 500 },
        {
          onProgress: () => {
            throw stop;
          },
        },
      ),
    ).toThrow(stop);
  });
});
