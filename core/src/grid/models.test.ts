import { anamorphicLens, bend, divisionLens, fisheyeLens, normals, renderChequer, type Lens } from '@mesure/synthetic';
import { distort, type DistortionModel } from '../lens';
import { homography } from '../math';
import { analysePlate, gridReport, selectModel, type GridFrame, type GridObservation, type LensFit } from '.';
import { wordsOf } from '../warnings';

const W = 2048,
  H = 1080;
const lens = (change: Partial<Lens> = {}): Lens => ({ fxPx: 1500, fyPx: 1500, cx: W / 2, cy: H / 2, k1: 0, k2: 0, k3: 0, p1: 0, p2: 0, ...change });
const TRUE: Record<DistortionModel, Lens> = {
  radial: lens({ k1: -0.14, k2: 0.03, cx: 1030, cy: 533 }),
  division: lens({ forward: divisionLens(-0.3) }),
  fisheye: lens({ fxPx: 1000, fyPx: 1000, forward: fisheyeLens([-0.03, 0.004]) }),
  anamorphic: lens({ fxPx: 1400, fyPx: 2800, forward: anamorphicLens([-0.06, -0.1, 0.01, 0, 0.02], [0.02, -0.2, 0, 0.01, 0.1], 0.02) }),
};
const FRAME = (l: Lens): GridFrame => ({ widthPx: W, heightPx: H, fxPx: l.fxPx, fyPx: l.fyPx });

/** Corners of a chart, slightly tilted, through a true lens, with noise. */
function corners(l: Lens, noisePx = 0.03, tilt = 0.05): GridObservation[] {
  const g = normals(6);
  const step = 60 / l.fyPx;
  const list: GridObservation[] = [];
  for (let row = -60; row <= 60; row += 1) {
    for (let col = -60; col <= 60; col += 1) {
      const z = 1 + Math.sin(tilt) * col * step;
      const x = (Math.cos(tilt) * col * step) / z,
        y = (row * step) / z;
      if (Math.hypot(x, y) > 1.6) continue;
      const [xd, yd] = bend(l, x, y);
      const px = l.cx + l.fxPx * xd,
        py = l.cy + l.fyPx * yd;
      if (px > 0 && py > 0 && px < W && py < H) list.push({ plate: 0, row, col, x: px + noisePx * g(), y: py + noisePx * g() });
    }
  }
  return list;
}

/** RMS over the frame between the fitted and the true lens after the best homography of the undistorted plane, px. */
function frameErrorPx(fit: LensFit, frame: GridFrame, l: Lens): number {
  const out = new Float64Array(2);
  const fitted = (x: number, y: number): [number, number] => {
    distort(fit.distortion, x, y, out);
    return [fit.center[0] + fit.aspect * frame.fxPx * out[0], fit.center[1] + frame.fyPx * out[1]];
  };
  // true rays on a raster over the frame, and where the fit's own undistorted plane has the same pixel (by a few Newton steps on differences)
  const pairs: { true: [number, number]; px: [number, number]; fit: [number, number] }[] = [];
  const reachX = (W / 2 / l.fxPx) * 1.5,
    reachY = (H / 2 / l.fyPx) * 1.5;
  for (let i = -12; i <= 12; i += 1) {
    for (let j = -8; j <= 8; j += 1) {
      const x = (i / 12) * reachX,
        y = (j / 8) * reachY;
      const [xd, yd] = bend(l, x, y);
      const px: [number, number] = [l.cx + l.fxPx * xd, l.cy + l.fyPx * yd];
      if (px[0] < 0 || px[1] < 0 || px[0] > W || px[1] > H) continue;
      let [u, v] = [x, y];
      for (let k = 0; k < 30; k += 1) {
        const h = 1e-6;
        const f0 = fitted(u, v),
          fx = fitted(u + h, v),
          fy = fitted(u, v + h);
        const a = (fx[0] - f0[0]) / h,
          b = (fy[0] - f0[0]) / h,
          c = (fx[1] - f0[1]) / h,
          d = (fy[1] - f0[1]) / h;
        const ex = px[0] - f0[0],
          ey = px[1] - f0[1];
        const det = a * d - b * c;
        u += (d * ex - b * ey) / det;
        v += (a * ey - c * ex) / det;
        if (Math.abs(ex) + Math.abs(ey) < 1e-9) break;
      }
      pairs.push({ true: [x, y], px, fit: [u, v] });
    }
  }
  const m = homography(pairs.map((p) => ({ from: p.true, to: p.fit })));
  let sum = 0;
  for (const p of pairs) {
    const w = m[6] * p.true[0] + m[7] * p.true[1] + m[8];
    const [ex, ey] = fitted((m[0] * p.true[0] + m[1] * p.true[1] + m[2]) / w, (m[3] * p.true[0] + m[4] * p.true[1] + m[5]) / w);
    sum += (ex - p.px[0]) ** 2 + (ey - p.px[1]) ** 2;
  }
  return Math.sqrt(sum / pairs.length);
}

describe.each(Object.entries(TRUE) as [DistortionModel, Lens][])('a %s lens', (model, l) => {
  const frame = FRAME(l);
  const observations = corners(l);
  test('is fitted over the whole frame by its own model', () => {
    const { fit } = selectModel(observations, frame, model);
    // noise of 0.03 px an axis is 0.042 px in two dimensions
    expect(fit.rmsPx).toBeLessThan(0.05);
    expect(frameErrorPx(fit, frame, l)).toBeLessThan(model === 'radial' || model === 'division' ? 0.05 : 0.1);
    for (const sd of Object.values(fit.sigma)) expect(sd).toBeGreaterThan(0);
  });
  test('auto finds a model that predicts what it has not seen as well as that', () => {
    const { fit, candidates, why } = selectModel(observations, frame, 'auto');
    expect(candidates.map((c) => c.model).sort()).toEqual(['anamorphic', 'division', 'fisheye', 'radial']);
    const own = candidates.find((c) => c.model === model)!;
    const chosen = candidates.find((c) => c.model === fit.model)!;
    expect(chosen.rmsOutPx!).toBeLessThan(1.04 * own.rmsOutPx!);
    expect(chosen.folds).toBe(false);
    expect(why).toContain(`${fit.model} predicts unseen parts`);
    expect(frameErrorPx(fit, frame, l)).toBeLessThan(0.1);
  });
});

test('a stronger model is not taken for nothing: a radial lens stays radial', () => {
  const { fit } = selectModel(corners(lens({ k1: -0.1 })), FRAME(lens()), 'auto');
  expect(['radial', 'division']).toContain(fit.model);
  expect(Object.keys(fit.sigma).length).toBeLessThanOrEqual(2);
});

test('the true squeeze comes out of the cells, with its standard deviation', () => {
  // recorded 2, true 1.985: the picture is wider by 2 / 1.985 than the record says
  const recorded = { image: { width: W, height: H }, sensor: { widthMm: 24, heightMm: 12.65625 }, squeeze: 2, focal: { mm: 65.625 } };
  const fy = 65.625 / (12.65625 / H);
  const l = lens({ fxPx: fy / 1.985, fyPx: fy, forward: anamorphicLens([-0.04, -0.05, 0, 0, 0], [0.01, -0.1, 0, 0, 0]) });
  const nodes = corners(l).map((o) => ({ ...o, contrast: 80 }));
  const frame = { widthPx: W, heightPx: H, fxPx: fy / 2, fyPx: fy };
  const choice = selectModel(nodes, frame, 'anamorphic');
  const lattice = { status: 'found' as const, nodes, rows: 10, cols: 10, coverage: 0.98, blurPx: 1, sharpness: 1, cellPx: 60, zones: [], uncertain: 0 };
  const report = gridReport([lattice], ['plate'], recorded, { choice });
  expect(Math.abs(report.squeeze!.value - 1.985)).toBeLessThan(4 * report.squeeze!.sigma);
  expect(report.squeeze!.sigma).toBeLessThan(0.001);
  expect(wordsOf(report.warnings).join(' ')).toMatch(/squeeze of 1\.98\d ± 0\.00\d, recorded is 2/);
});

test.each<[DistortionModel, number]>([
  ['division', 40],
  ['fisheye', 64],
  ['anamorphic', 60],
])('a rendered plate of a %s lens is found whole and fitted', (model, cellPx) => {
  const l = TRUE[model];
  const plate = renderChequer({ widthPx: W, heightPx: H, lens: l, cellSlope: cellPx / l.fyPx, blurPx: 1, noise: 2, offsetCells: [0.3, 0.2] });
  const frame = FRAME(l);
  const found = analysePlate({ widthPx: W, heightPx: H, data: new Float32Array(plate.gray) }, frame, { model });
  expect(found.status).toBe('found');
  const visible = plate.corners.filter((c) => c.x > 6 && c.y > 6 && c.x < W - 6 && c.y < H - 6);
  expect(found.nodes.length / visible.length).toBeGreaterThan(0.97);
  const near = (x: number, y: number) => plate.corners.reduce((m, c) => Math.min(m, (c.x - x) ** 2 + (c.y - y) ** 2), Infinity);
  expect(Math.sqrt(found.nodes.reduce((s, n) => s + near(n.x, n.y), 0) / found.nodes.length)).toBeLessThan(0.08);
  expect(frameErrorPx(found.fit!, frame, l)).toBeLessThan(model === 'division' ? 0.05 : 0.1);
});

test('an unknown that the data do not tell from none is not reported as if they did', () => {
  const fitted = (k1: number) => {
    const l = lens({ fxPx: 1600, fyPx: 1600, k1 });
    const nodes = corners(l).map((o) => ({ ...o, contrast: 80 }));
    const choice = selectModel(nodes, { widthPx: W, heightPx: H, fxPx: 1600, fyPx: 1600 }, 'auto');
    return choice.candidates.map((c) => ({ model: c.model, unknowns: c.fitted }));
  };
  const straight = fitted(0).find((c) => c.model === 'radial')!.unknowns;
  expect(straight.find((u) => u.name === 'k1')).toMatchObject({ determined: false });
  const bent = fitted(-0.1);
  const k1 = bent.find((c) => c.model === 'radial')!.unknowns.find((u) => u.name === 'k1')!;
  expect(k1.determined).toBe(true);
  expect(Math.abs(k1.value + 0.1)).toBeLessThan(4 * k1.sigma + 0.002);
  for (const c of bent) expect(c.unknowns.every((u) => Number.isFinite(u.value) && u.sigma >= 0)).toBe(true);
});
