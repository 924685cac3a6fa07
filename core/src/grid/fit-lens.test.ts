import { normals, uniform } from '@mesure/synthetic';
import { fitLens } from './fit-lens';
import type { GridObservation } from './observation';

const [W, H, F] = [640, 360, 800];
const frame = { widthPx: W, heightPx: H, fxPx: F, fyPx: F };

describe('a tilted plate', () => {
  /** Corners of a tilted plate by the projection of a plane, apart from the fit. */
  function tilted(dx: number, dy: number, error: () => [number, number]): GridObservation[] {
    const [a, b] = [0.2, -0.12];
    const corners: GridObservation[] = [];
    for (let row = -16; row <= 16; row += 1) {
      for (let col = -26; col <= 26; col += 1) {
        const [x, y] = [((col + dx) * 16) / F, ((row + dy) * 16) / F];
        const z = 1 + Math.sin(a) * x + Math.sin(b) * Math.cos(a) * y;
        const [px, py] = [W / 2 + (F * (Math.cos(a) * x - Math.sin(a) * Math.sin(b) * y)) / z, H / 2 + (F * Math.cos(b) * y) / z];
        const room = Math.min(px, py, W - px, H - py);
        if (room < 5) continue;
        const [ex, ey] = error();
        corners.push({ plate: 0, row, col, x: px + ex * Math.sign(px - W / 2), y: py + ey * Math.sign(py - H / 2) });
      }
    }
    return corners;
  }

  test('the errors of the fit keep to its standard deviations', () => {
    const u = uniform(9);
    const g = normals(31);
    const squares: number[] = [];
    for (let draw = 0; draw < 60; draw += 1) {
      const corners = tilted(u(), u(), () => [0.02 * g(), 0.02 * g()]);
      const fit = fitLens(corners, frame, { terms: ['k2', 'focalRatio'] });
      squares.push(((fit.focalRatio - 1) / fit.sigma.rho) ** 2);
      expect(fit.sigmaPx).toBeGreaterThan(0.0175);
      expect(fit.sigmaPx).toBeLessThan(0.0225);
    }
    const rms = Math.sqrt(squares.reduce((s, v) => s + v, 0) / squares.length);
    expect(rms).toBeGreaterThan(0.75);
    expect(rms).toBeLessThan(1.2);
  });
});
