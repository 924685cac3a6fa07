import { CHARTS } from '../charts';
import { renderChequer } from '@mesure/synthetic';
import type { GrayImage } from '../picture';
import { detectChart } from './analyse-plate';
import { searchFromAfar, searchLattice } from './search-lattice';

const [W, H] = [2600, 1400];
const F = 1.2 * W;
const frame = { widthPx: W, heightPx: H, fxPx: F, fyPx: F };
function board(cellPx: number, halfCells?: [number, number]) {
  const lens = { fxPx: F, fyPx: F, cx: W / 2, cy: H / 2, k1: -0.12, k2: 0, k3: 0, p1: 0, p2: 0 };
  const plate = renderChequer({ widthPx: W, heightPx: H, lens, cellSlope: cellPx / F, blurPx: 1, noise: 2, boardHalfCells: halfCells, tiltXRad: 0.06, offsetCells: [0.3, 0.2] });
  return { image: { widthPx: W, heightPx: H, data: new Float32Array(plate.gray) } as GrayImage, corners: plate.corners };
}

describe('a chart seen from afar', () => {
  test('large cells are found in the reduced picture, and measured as well as from the whole', () => {
    const { image, corners } = board(90);
    const afar = searchFromAfar(image)!;
    const near = searchLattice([image], CHARTS.chequer, 0)!;
    expect(afar.nodes.length).toBeGreaterThan(0.8 * near.nodes.length);
    const found = detectChart(image, frame);
    const inside = corners.filter((c) => c.x > 6 && c.y > 6 && c.x < W - 6 && c.y < H - 6);
    expect(found.nodes.length).toBeGreaterThanOrEqual(0.98 * inside.length);
    const misses = found.nodes.map((n) => Math.min(...corners.map((c) => Math.hypot(c.x - n.x, c.y - n.y))));
    expect(Math.sqrt(misses.reduce((s, m) => s + m * m, 0) / misses.length)).toBeLessThan(0.03);
    expect(Math.max(...misses)).toBeLessThan(0.3);
  });
  test('small cells and small charts are left to the search of the whole picture, which finds them', () => {
    const small = board(15, [40, 30]);
    expect(searchFromAfar(small.image)).toBeNull();
    expect(detectChart(small.image, frame).nodes.length).toBeGreaterThan(0.95 * small.corners.length);
    const far = board(60, [6, 5]);
    expect(searchFromAfar(far.image)).toBeNull();
    expect(detectChart(far.image, frame)).toMatchObject({ status: 'found', rows: 9, cols: 11 });
  });
  test('cells that are large from furthest away are found there, between its pixels', () => {
    const { image, corners } = board(160);
    const afar = searchFromAfar(image)!;
    expect(afar.nodes.length).toBeGreaterThan(60);
    for (const n of afar.nodes) expect(Math.min(...corners.map((c) => Math.hypot(c.x - n.x, c.y - n.y)))).toBeLessThan(4);
    expect(detectChart(image, frame).nodes.length).toBeGreaterThanOrEqual(0.98 * corners.filter((c) => c.x > 6 && c.y > 6 && c.x < W - 6 && c.y < H - 6).length);
  });
  test('a small picture is not reduced so far that its cells are lost', () => {
    const { image } = board(90);
    const cut = { widthPx: 700, heightPx: 600, data: Float32Array.from({ length: 700 * 600 }, (_, i) => image.data[(300 + Math.floor(i / 700)) * W + 900 + (i % 700)]) };
    expect(searchFromAfar(cut)).toBeNull();
    expect(detectChart(cut, { ...frame, widthPx: 700, heightPx: 600 })).toMatchObject({ status: 'found' });
  });
  test('bytes and floats show the same chart', () => {
    for (const cellPx of [30, 120]) {
      const { image } = board(cellPx);
      const [floats, bytes] = [detectChart(image, frame), detectChart({ ...image, data: Uint8Array.from(image.data) }, frame)];
      expect(bytes).toEqual(floats);
    }
  });
});
