import { clearOf, cornerFromTruth, renderChequer, type ChequerScene } from '@mesure/synthetic';
import { analysePlate } from '.';

const W = 1000,
  H = 560;
type Change = Partial<Omit<ChequerScene, 'lens'>> & { cellPx?: number; k1?: number };

const KINDS: [string, Change][] = [
  ['clean, 40 px', { cellPx: 40 }],
  ['clean, 20 px', { cellPx: 20 }],
  ['clean, 12 px', { cellPx: 12 }],
  ['large cells, 90 px', { cellPx: 90 }],
  ['noisy, 30 px', { cellPx: 30, noise: 6 }],
  ['soft, 30 px', { cellPx: 30, blurPx: 2.2 }],
  ['soft and noisy, 16 px', { cellPx: 16, blurPx: 1.6, noise: 4 }],
  ['turned by 40 degrees', { cellPx: 30, rollRad: 0.7 }],
  ['tilted by 30 degrees', { cellPx: 30, tiltXRad: 0.5, tiltYRad: 0.2 }],
  ['strong barrel, dark corners', { cellPx: 30, k1: -0.25, vignette: 0.4 }],
  ['faint', { cellPx: 30, dark: 100, bright: 130 }],
  ['ruled, 40 px, line 3 px', { cellPx: 40, ruled: { widthCells: 0.075 } }],
  ['ruled, 30 px, line 2.4 px, noisy', { cellPx: 30, ruled: { widthCells: 0.08 }, noise: 4 }],
  ['ruled, 60 px, line 5 px, soft', { cellPx: 60, ruled: { widthCells: 0.083 }, blurPx: 1.8 }],
  ['ruled light on dark, turned', { cellPx: 40, ruled: { widthCells: 0.08, light: true }, rollRad: 0.5 }],
  ['ruled, tilted, dark corners', { cellPx: 40, ruled: { widthCells: 0.08 }, tiltXRad: 0.4, vignette: 0.4 }],
];

/** RMS in px of both estimators over the same corners of one plate. */
function compare({ cellPx = 30, k1 = -0.08, ...change }: Change): { ours: number; best: number; corners: number } {
  const f = 1100;
  const scene: ChequerScene = { widthPx: W, heightPx: H, lens: { fxPx: f, fyPx: f, cx: W / 2, cy: H / 2, k1, k2: 0, k3: 0, p1: 0, p2: 0 }, cellSlope: cellPx / f, blurPx: 1, noise: 2, offsetCells: [0.3, 0.2], ...change };
  const plate = renderChequer(scene);
  const kind = scene.ruled ? 'ruled' : 'chequer';
  const found = analysePlate({ widthPx: W, heightPx: H, data: new Float32Array(plate.gray) }, { widthPx: W, heightPx: H, fxPx: f, fyPx: f }, { chart: kind });
  const byPlace = new Map(plate.corners.map((c) => [`${c.row},${c.col}`, c]));
  let ours = 0,
    best = 0,
    corners = 0;
  const asked = plate.corners.filter((c) => clearOf(scene, c, 20));
  const stride = Math.max(1, Math.floor(asked.length / 220));
  for (const c of asked.filter((_, i) => i % stride === 0)) {
    const [r, b] = [byPlace.get(`${c.row},${c.col + 1}`), byPlace.get(`${c.row + 1},${c.col}`)];
    const n = found.nodes.find((q) => Math.hypot(q.x - c.x, q.y - c.y) < 2);
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

test.each(KINDS)('%s: within 1.3 of an estimator that starts at the truth', (name, change) => {
  const { ours, best, corners } = compare(change);
  process.stdout.write(`${name.padEnd(34)} ${String(corners).padStart(5)} corners  ours ${ours.toFixed(4)} px  from the truth ${best.toFixed(4)} px  ratio ${(ours / best).toFixed(2)}\n`);
  expect(ours / best).toBeLessThan(1.3);
});
