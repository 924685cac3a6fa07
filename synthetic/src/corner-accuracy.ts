import { cornerFromTruth } from './corner-from-truth';
import { clearOf } from './plate-trials';
import { renderChequer, type ChequerScene, type RenderedPlate } from './render-chequer';

const W = 1000,
  H = 560;
/** What is different from a plate of 30 px cells, a mild barrel and a little noise. */
export type PlateChange = Partial<Omit<ChequerScene, 'lens'>> & { cellPx?: number; k1?: number };

/** The finder under test: the corners that it sees in a rendered plate. */
export type CornerFinder = (plate: RenderedPlate, fPx: number, kind: 'chequer' | 'ruled') => readonly { x: number; y: number }[];

/** RMS in px of the finder, and of an estimator that starts at the truth, over the same corners of one plate. */
export function compareWithTruth(find: CornerFinder, { cellPx = 30, k1 = -0.08, ...change }: PlateChange, most: number): { ours: number; best: number; corners: number } {
  const f = 1100;
  const scene: ChequerScene = {
    widthPx: W,
    heightPx: H,
    lens: { fxPx: f, fyPx: f, cx: W / 2, cy: H / 2, k1, k2: 0, k3: 0, p1: 0, p2: 0 },
    cellSlope: cellPx / f,
    blurPx: 1,
    noise: 2,
    offsetCells: [0.3, 0.2],
    ...change,
  };
  const plate = renderChequer(scene);
  const kind = scene.ruled ? 'ruled' : 'chequer';
  const found = find(plate, f, kind);
  const byPlace = new Map(plate.corners.map((c) => [`${c.row},${c.col}`, c]));
  let ours = 0,
    best = 0,
    corners = 0;
  const asked = plate.corners.filter((c) => clearOf(scene, c, 20));
  const stride = Math.max(1, Math.floor(asked.length / most));
  for (const c of asked.filter((_, i) => i % stride === 0)) {
    const [r, b] = [byPlace.get(`${c.row},${c.col + 1}`), byPlace.get(`${c.row + 1},${c.col}`)];
    const n = found.find((q) => Math.hypot(q.x - c.x, q.y - c.y) < 2);
    if (!r || !b || !n) continue;
    const [u, v] = [
      [r.x - c.x, r.y - c.y],
      [b.x - c.x, b.y - c.y],
    ] as const;
    const width = Math.abs(u[0] * v[1] - u[1] * v[0]) / Math.max(Math.hypot(...u), Math.hypot(...v));
    // as far as it may reach before the next edge's blur begins
    const reach = Math.min(16, width - 2.2 * scene.blurPx! - (scene.ruled ? (scene.ruled.widthCells * width) / 2 : 0));
    const truth = cornerFromTruth(plate, c, u, v, reach, kind, scene.ruled?.widthCells);
    if (!truth) continue;
    corners += 1;
    ours += (n.x - c.x) ** 2 + (n.y - c.y) ** 2;
    best += (truth.x - c.x) ** 2 + (truth.y - c.y) ** 2;
  }
  return { ours: Math.sqrt(ours / corners), best: Math.sqrt(best / corners), corners };
}
