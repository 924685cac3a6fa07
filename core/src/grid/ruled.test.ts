import { renderChequer, uniform, type ChequerScene, some } from '@mesure/synthetic';
import { analysePlate } from '.';

const W = 1600,
  H = 900;
type Change = Partial<ChequerScene> & { cellPx?: number; k1?: number };
function shoot({ cellPx = 50, k1 = -0.08, ...scene }: Change) {
  const f = 1600;
  const plate = renderChequer({
    widthPx: W,
    heightPx: H,
    lens: { fxPx: f, fyPx: f, cx: W / 2, cy: H / 2, k1, k2: 0, k3: 0, p1: 0, p2: 0 },
    cellSlope: cellPx / f,
    blurPx: 1,
    noise: 2,
    offsetCells: [0.3, 0.2],
    ruled: { widthCells: 3 / cellPx },
    ...scene,
  });
  const found = analysePlate({ widthPx: W, heightPx: H, data: new Float32Array(plate.gray) }, { widthPx: W, heightPx: H, fxPx: f, fyPx: f }, { chart: 'ruled' });
  const visible = plate.corners.filter((c) => c.x > 8 && c.y > 8 && c.x < W - 8 && c.y < H - 8);
  const squares = found.nodes.map((n) => plate.corners.reduce((m, c) => Math.min(m, (c.x - n.x) ** 2 + (c.y - n.y) ** 2), Infinity));
  return { found, share: found.nodes.length / visible.length, rmsPx: Math.sqrt(squares.reduce((a, b) => a + b, 0) / squares.length), worstPx: Math.sqrt(Math.max(...squares)) };
}

test.each(
  some<[string, Change]>(
    [
      ['dark on light', {}],
      ['light on dark', { ruled: { widthCells: 0.06, light: true } }],
      ['thin lines', { ruled: { widthCells: 1.6 / 50 } }],
      ['thick lines', { cellPx: 90, ruled: { widthCells: 9 / 90 } }],
      ['small cells', { cellPx: 24, ruled: { widthCells: 2 / 24 } }],
      ['turned and tilted, dim corners', { rollRad: 0.5, tiltXRad: 0.15, tiltYRad: -0.1, vignette: 0.4 }],
      ['upside down', { rollRad: Math.PI }],
      ['a tenth hidden', { hidden: [[600, 300, 420, 340]] }],
      ['smaller than the frame', { boardHalfCells: [10, 6] }],
    ],
    3,
  ),
)('a ruled chart, %s', (_name, change) => {
  const { found, share, rmsPx, worstPx } = shoot(change);
  expect(found.status).toBe('found');
  expect(rmsPx).toBeLessThan(0.08);
  expect(share).toBeGreaterThanOrEqual(0.95);
  expect(worstPx).toBeLessThan(0.5);
  expect(Math.abs((found.fit!.distortion as unknown as { k: number[] }).k[0] + 0.08)).toBeLessThan(0.005);
});

test.each(
  some<[string, (x: number, y: number) => number]>(
    [
      ['lines one way', (x) => (x % 40 < 3 ? 60 : 200)],
      ['flat grey', () => 130],
      [
        'noise',
        (() => {
          const u = uniform(4);
          return () => 255 * u();
        })(),
      ],
      ['a chequer', (x, y) => ((Math.floor(x / 45) + Math.floor(y / 45)) % 2 ? 200 : 40)],
    ],
    2,
  ),
)('%s is no ruled chart', (_name, paint) => {
  const data = Float32Array.from({ length: W * H }, (_, i) => paint(i % W, Math.floor(i / W)));
  const found = analysePlate({ widthPx: W, heightPx: H, data }, { widthPx: W, heightPx: H, fxPx: 1600, fyPx: 1600 }, { chart: 'ruled' });
  expect(found.status).toBe('refused');
  expect(found.message).toMatch(/^No chart: the picture holds no ruled lines/);
});

test.each([false, true])('lines wider than the smallest ring (light: %s) are found from further away and stay', (light) => {
  const { found, share, worstPx } = shoot({ cellPx: 110, ruled: { widthCells: 0.15, light } });
  expect(found.status).toBe('found');
  expect(share).toBeGreaterThan(0.75);
  expect(worstPx).toBeLessThan(0.5);
});
