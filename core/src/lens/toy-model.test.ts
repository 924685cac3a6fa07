import { normals } from '@mesure/synthetic';
import { readdirSync, readFileSync } from 'node:fs';
import path from 'node:path';
import type { LensModel } from './models';

interface Toy {
  model: 'toy';
  bend: number;
}
/** A lens that bends by the sum of both coordinates: no other model says it without a rest. */
const mockToy: LensModel<Toy> = {
  coefficients: ['bend'],
  listed: (d) => [d.bend],
  made: (c) => ({ model: 'toy', bend: c[0] }),
  forward(p, x, y, out, j, c) {
    const r = Math.abs(x) + Math.abs(y);
    out[0] = x * (1 + p[0] * r);
    out[1] = y * (1 + p[0] * r);
    if (j) {
      j[0] = 1 + p[0] * (r + Math.abs(x));
      j[1] = x * p[0] * Math.sign(y);
      j[2] = y * p[0] * Math.sign(x);
      j[3] = 1 + p[0] * (r + Math.abs(y));
    }
    if (c) {
      c[0] = x * r;
      c[1] = y * r;
    }
  },
  inverse: (d) => (xd, yd, out) => {
    const rd = Math.abs(xd) + Math.abs(yd);
    const r = d.bend === 0 ? rd : (Math.sqrt(1 + 4 * d.bend * rd) - 1) / (2 * d.bend);
    if (!Number.isFinite(r)) return false;
    out[0] = rd > 0 ? (xd * r) / rd : 0;
    out[1] = rd > 0 ? (yd * r) / rd : 0;
    return true;
  },
  straight: (d) => d.bend === 0,
  renormalised: (d, ratio) => ({ ...d, bend: d.bend * ratio }),
  direction: 'undistorted to distorted',
  formula: ['r = abs(x) + abs(y)', 'xd = x*(1 + bend*r)', 'yd = y*(1 + bend*r)'],
  terms: { '': ['bend'] },
  candidates: [[], ['center']],
  foretells: null,
  unblended: [],
  between: 'all',
  forSqueezed: false,
};
jest.mock('./models', () => {
  const real = jest.requireActual<typeof import('./models')>('./models');
  (real.LENS_MODELS as Record<string, unknown>).toy = mockToy;
  return real;
});
// after the mock: what is listed once is listed with it
const core = require('..') as typeof import('..');

const toy = { model: 'toy', bend: -0.12 } as never;
const frame = { widthPx: 1920, heightPx: 1080, fxPx: 1500, fyPx: 1500 };

test('a sixth model is one object and one line: listed, bent, undone, described, and carried to another focal length', () => {
  expect(core.DISTORTION_MODELS).toContain('toy');
  const out = new Float64Array(2);
  core.distort(toy, 0.3, -0.2, out);
  const r = 0.3 + 0.2;
  expect(out[0]).toBeCloseTo(0.3 * (1 - 0.12 * r), 12);
  expect(core.undistorter(toy)(out[0], out[1], out)).toBe(true);
  expect([...out].map((v) => Number(v.toFixed(9)))).toEqual([0.3, -0.2]);
  expect(core.renormalise(toy, 2)).toEqual({ model: 'toy', bend: -0.24 });
  const described = core.describeLens({ ...frame, center: [960, 540], distortion: toy });
  expect(described).toMatchObject({ model: 'toy', coefficients: { bend: -0.12 }, formula: ['r = abs(x) + abs(y)', 'xd = x*(1 + bend*r)', 'yd = y*(1 + bend*r)'] });
  expect(core.frameEffect({ ...frame, center: [960, 540], distortion: toy }).valid).toBe(true);
});

test('a solve reads it from a setup, and a plate that was shot through it chooses it by itself', () => {
  const setup = { image: { width: 1920, height: 1080 }, sensor: { widthMm: 24, heightMm: 13.5 }, focal: { mm: 18.75 }, distortion: { mode: 'held' as const, model: 'toy', bend: -0.12 } };
  expect(core.readSolveSetup(setup as never).map.distortion).toEqual(toy);
  const g = normals(3);
  const out = new Float64Array(2);
  const observations = Array.from({ length: 17 * 27 }, (_, i) => {
    const [row, col] = [Math.floor(i / 27), i % 27];
    // a chart that leans a little, so that its distance can be told
    const [X, Y, Z] = [0.05 * Math.cos(0.1) * (col - 13), 0.05 * (row - 8), 1.1 + 0.05 * Math.sin(0.1) * (col - 13)];
    core.distort(toy, X / Z, Y / Z, out);
    return { plate: 0, row, col, x: 960 + 1500 * out[0] + 0.02 * g(), y: 540 + 1500 * out[1] + 0.02 * g() };
  });
  const { fit } = core.selectModel(observations, frame, 'auto');
  expect(fit.model).toBe('toy');
  expect((fit.distortion as unknown as Toy).bend).toBeCloseTo(-0.12, 2);
  expect(fit.rmsPx).toBeLessThan(0.05);
});

test('no other file names a model: what there are is read from the table', () => {
  const root = path.join(__dirname, '../../..');
  const files = (dir: string): string[] =>
    readdirSync(dir, { withFileTypes: true }).flatMap((e) =>
      e.isDirectory() ? files(path.join(dir, e.name)) : /\.tsx?$/.test(e.name) && !/\.(test|verify)\./.test(e.name) ? [path.join(dir, e.name)] : [],
    );
  const naming = ['core', 'contract', 'formats', 'server', 'cli', 'app']
    .flatMap((room) => files(path.join(root, room, 'src')))
    .filter((f) => !f.includes('lens/models/') && /'(division|fisheye|anamorphic)'/.test(readFileSync(f, 'utf8')))
    .map((f) => path.relative(root, f));
  expect(naming).toEqual([]);
});
