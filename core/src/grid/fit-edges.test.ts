import { anamorphicLens, bend, divisionLens, normals, type Lens } from '@mesure/synthetic';
import { distort } from '../lens';
import { fitEdges, type EdgePoint } from '.';
import { wordsOf } from '../warnings';

const W = 1920,
  H = 1080;
const SETUP = { image: { width: W, height: H }, sensor: { widthMm: 24, heightMm: 13.5 }, focal: { mm: 20 } };
const lens = (change: Partial<Lens>): Lens => ({ fxPx: 1600, fyPx: 1600, cx: W / 2, cy: H / 2, k1: 0, k2: 0, k3: 0, p1: 0, p2: 0, ...change });

/** Marks along lines between places on the undistorted plane (px about the middle), through a true lens, with a hand's noise. */
function marks(l: Lens, lines: [number, number, number, number][], noisePx = 0.3, count = 9): EdgePoint[] {
  const g = normals(5);
  return lines.flatMap(([x0, y0, x1, y1], e) =>
    Array.from({ length: count }, (_, i) => {
      const t = i / (count - 1);
      const [xd, yd] = bend(l, (x0 + t * (x1 - x0)) / 1600, (y0 + t * (y1 - y0)) / 1600);
      return { edge: `e${e}`, x: l.cx + 1600 * xd + noisePx * g(), y: l.cy + 1600 * yd + noisePx * g() };
    }),
  );
}
/** Door frames, a floor line, shelves: near the border, some across. */
const ROOM: [number, number, number, number][] = [
  [-950, -480, 950, -500],
  [-930, 470, 960, 500],
  [-900, -520, -880, 520],
  [900, -500, 870, 530],
  [-950, 300, 200, 520],
  [400, -520, 930, -100],
];

test.each<[string, Lens, 'radial' | 'division', (x: number, y: number) => [number, number]]>([
  ['barrel', lens({ k1: -0.15 }), 'radial', (x, y) => bend(lens({ k1: -0.15 }), x, y)],
  ['pincushion', lens({ k1: 0.1 }), 'radial', (x, y) => bend(lens({ k1: 0.1 }), x, y)],
  ['division', lens({ forward: divisionLens(-0.3) }), 'division', divisionLens(-0.3)],
])('%s: the lens comes out of straight edges, within its own standard deviations', (_name, l, model, truth) => {
  const r = fitEdges(marks(l, ROOM), SETUP, model);
  expect(r.status).toBe('usable');
  expect(r.rmsPx).toBeLessThan(0.4);
  const d = r.distortion;
  const [value, sigma, expected] = d.model === 'division' ? [d.lambda, d.sigma.lambda as number, -0.3] : [(d as { k: readonly number[] }).k[0], (d.sigma.k as number[])[0], l.k1];
  expect(Math.abs(value - expected)).toBeLessThan(4 * sigma);
  // at the corner, against the true lens, in px
  const out = new Float64Array(2);
  distort(d, 0.58, 0.32, out);
  const [tx, ty] = truth(0.58, 0.32);
  expect(Math.hypot(out[0] - tx, out[1] - ty) * 1600).toBeLessThan(1);
  for (const e of r.edges) expect(e.bowAfterPx).toBeLessThan(2.5);
  expect(Math.max(...r.edges.map((e) => e.bowBeforePx))).toBeGreaterThan(5);
});

test('noise-free marks give the lens exactly', () => {
  const r = fitEdges(marks(lens({ k1: -0.12 }), ROOM, 0), SETUP);
  expect((r.distortion as unknown as { k: number[] }).k[0]).toBeCloseTo(-0.12, 4);
  expect(r.rmsPx).toBeLessThan(0.01);
});

test('an anamorphic lens bends its axes differently', () => {
  const l = lens({ forward: anamorphicLens([-0.08, -0.02, 0, 0, 0], [0.03, -0.2, 0, 0, 0]) });
  const r = fitEdges(marks(l, [...ROOM, [-600, -500, -620, 500], [-900, -200, 900, -220], [100, -520, 120, 500]], 0.1, 15), SETUP, 'anamorphic');
  expect(r.rmsPx).toBeLessThan(0.2);
  expect(Math.max(...r.edges.map((e) => e.bowAfterPx))).toBeLessThan(1);
});

test('marks that slipped are left out and counted', () => {
  const list = marks(lens({ k1: -0.15 }), ROOM);
  list[4] = { ...list[4], y: list[4].y + 30 };
  list[30] = { ...list[30], x: list[30].x - 25 };
  const r = fitEdges(list, SETUP);
  expect(wordsOf(r.warnings).join(' ')).toMatch(/^.*2 of 54 marks lie off their edges/);
  expect(Math.abs((r.distortion as unknown as { k: number[] }).k[0] + 0.15)).toBeLessThan(0.01);
});

test('edges through the middle tell nothing, and that is said', () => {
  const r = fitEdges(
    marks(lens({ k1: -0.15 }), [
      [-500, 0, 500, 0],
      [0, -400, 0, 400],
      [-400, -300, 400, 300],
    ]),
    SETUP,
  );
  expect(r).toMatchObject({ status: 'unusable', reason: 'not-determined' });
  expect(r.sentence).toMatch(/^Mark other edges/);
  expect(wordsOf(r.warnings).join(' ')).toMatch(/reach only \d+ % of the way to the corner/);
});

test('edges that are not straight are not taken for a lens', () => {
  const round = marks(lens({ k1: -0.1 }), ROOM).map((p, i) => ({ ...p, y: p.y + (i % 2 === 0 ? 14 : -14) }));
  const r = fitEdges(round, SETUP);
  expect(r).toMatchObject({ status: 'unusable', reason: 'crooked' });
  expect(r.sentence).toMatch(/^Look at the marks again: they lie \d+\.\d px off/);
});

test('too little is refused with what is needed', () => {
  const all = marks(lens({ k1: -0.1 }), ROOM);
  expect(() =>
    fitEdges(
      all.filter((p) => p.edge === 'e0'),
      SETUP,
    ),
  ).toThrow(expect.objectContaining({ code: 'TOO_FEW_OBSERVATIONS' }));
  expect(() =>
    fitEdges(
      all.filter((_, i) => i % 9 < 2),
      SETUP,
    ),
  ).toThrow(/three marks each/);
  expect(() => fitEdges([...all, { edge: 'x', x: Number.NaN, y: 1 }], SETUP)).toThrow(expect.objectContaining({ code: 'NON_FINITE_INPUT' }));
});

test('an anamorphic lens with two edges of five marks says how many more it needs', () => {
  const few = marks(lens({ k1: -0.1 }), ROOM.slice(0, 2), 0.3, 5);
  expect(() => fitEdges(few, { ...SETUP, squeeze: 2 }, 'anamorphic')).toThrow(/2 edges with 10 marks|more marks are needed/);
  expect(() => fitEdges(few, { ...SETUP, squeeze: 2 }, 'anamorphic')).toThrow(expect.objectContaining({ code: 'TOO_FEW_OBSERVATIONS' }));
});
