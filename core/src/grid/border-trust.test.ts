import { normals, uniform } from '@mesure/synthetic';
import { borderTrust } from './border-trust';
import { fitLens, type GridObservation } from './fit-lens';

const [W, H, F] = [640, 360, 800];
const frame = { widthPx: W, heightPx: H, fxPx: F, fyPx: F };

describe('corners at the picture’s border', () => {
  test('are worth less the nearer they are to it, on every side alike', () => {
    const at = (x: number, y: number) => borderTrust({ x, y }, frame);
    expect([at(320, 180), at(16, 180), at(320, H - 16)]).toEqual([1, 1, 1]);
    expect(at(8, 180)).toBeCloseTo(0.354, 3);
    for (const [x, y] of [
      [W - 8, 180],
      [320, 8],
      [320, H - 8],
      [8, 8],
    ])
      expect(at(x, y)).toBe(at(8, 180));
    expect([at(0, 180), at(-3, 180)]).toEqual([0.1, 0.1]);
  });

  /** Corners of a tilted plate by the projection of a plane, apart from the fit. */
  function tilted(dx: number, dy: number, error: (roomPx: number) => [number, number]): GridObservation[] {
    const [a, b] = [0.2, -0.12];
    const corners: GridObservation[] = [];
    for (let row = -16; row <= 16; row += 1) {
      for (let col = -26; col <= 26; col += 1) {
        const [x, y] = [((col + dx) * 16) / F, ((row + dy) * 16) / F];
        const z = 1 + Math.sin(a) * x + Math.sin(b) * Math.cos(a) * y;
        const [px, py] = [W / 2 + (F * (Math.cos(a) * x - Math.sin(a) * Math.sin(b) * y)) / z, H / 2 + (F * Math.cos(b) * y) / z];
        const room = Math.min(px, py, W - px, H - py);
        if (room < 5) continue;
        const [ex, ey] = error(room);
        corners.push({ plate: 0, row, col, x: px + ex * Math.sign(px - W / 2), y: py + ey * Math.sign(py - H / 2) });
      }
    }
    return corners;
  }

  test('what pushes those outwards hardly moves the focal length', () => {
    const focalRatio = (pushPx: number): number => {
      const g = normals(7);
      const corners = tilted(0.4, 0.3, (room) => {
        const push = room < 10 ? pushPx : 0;
        return [push + 0.02 * g(), push + 0.02 * g()];
      });
      return fitLens(corners, frame, { terms: ['focalRatio'], robustRounds: 0 }).focalRatio;
    };
    expect(Math.abs(focalRatio(0.04) - focalRatio(0))).toBeLessThan(1e-4);
  });

  test('the errors of a tilted plate’s fit keep to its standard deviations where those are as noisy as they were measured to be', () => {
    const u = uniform(9);
    const g = normals(31);
    const squares: number[] = [];
    for (let draw = 0; draw < 60; draw += 1) {
      const corners = tilted(u(), u(), (room) => {
        const sigma = 0.02 * (room < 8 ? 4 : room < 12 ? 2.5 : room < 16 ? 1.3 : 1);
        return [sigma * g(), sigma * g()];
      });
      const fit = fitLens(corners, frame, { terms: ['k2', 'focalRatio'] });
      squares.push(((fit.focalRatio - 1) / fit.sigma.rho) ** 2);
      // the scatter that is told is that of a corner free of the border
      expect(fit.sigmaPx).toBeGreaterThan(0.0175);
      expect(fit.sigmaPx).toBeLessThan(0.0225);
    }
    const rms = Math.sqrt(squares.reduce((s, v) => s + v, 0) / squares.length);
    expect(rms).toBeGreaterThan(0.75);
    expect(rms).toBeLessThan(1.2);
  });
});
