import { type GivenCoefficients, type GridReport, type OpticsInput, type StMap } from '@mesure/core';
import { writeArrayBuffer } from 'geotiff';
import sharp from 'sharp';
import { DataTexture, FloatType, HalfFloatType, RGBAFormat } from 'three';
import { EXRExporter, ZIP_COMPRESSION } from 'three/examples/jsm/exporters/EXRExporter.js';
import { readCoefficients, writeCoefficients } from './given-lens';
import { writeLensMetadata } from './lens-metadata';
import { readStMap, writeStMapExr, writeStMapTiff } from './st-map';

const W = 48;
const H = 26;
const map: StMap = {
  widthPx: W,
  heightPx: H,
  data: Float32Array.from({ length: 2 * W * H }, (_, i) => (i % 2 === 0 ? 0.01 + (0.97 * ((i >> 1) % W)) / W : 0.98 - (0.95 * Math.floor((i >> 1) / W)) / H)),
};
map.data[2 * 5] = map.data[2 * 5 + 1] = Number.NaN;

describe('an ST map from a file', () => {
  test.each([
    ['OpenEXR', () => writeStMapExr(map)],
    ['TIFF', async () => writeStMapTiff(map)],
  ])('%s of 32-bit float comes back as it was, holes too', async (_, write) => {
    const read = await readStMap(await write(), 'map');
    expect(read.roundedTo).toBe(0);
    expect([read.map.widthPx, read.map.heightPx]).toEqual([W, H]);
    expect([...read.map.data]).toEqual([...map.data]);
  });

  test('16-bit TIFF and half OpenEXR say what they were rounded to, and are', async () => {
    const words = new Uint16Array(3 * W * H);
    for (let i = 0; i < W * H; i += 1) for (let c = 0; c < 2; c += 1) words[3 * i + c] = Number.isNaN(map.data[2 * i]) ? 0 : Math.round(map.data[2 * i + c] * 65_535);
    const tiff = await sharp(words, { raw: { width: W, height: H, channels: 3 } })
      .toColourspace('rgb16')
      .tiff({ compression: 'none' })
      .toBuffer();
    const read = await readStMap(tiff, 'map.tif');
    expect(read.roundedTo).toBeCloseTo(0.5 / 65_535, 12);
    map.data.forEach((v, i) => (Number.isNaN(v) ? expect(read.map.data[i]).toBeNaN() : expect(Math.abs(read.map.data[i] - v)).toBeLessThanOrEqual(read.roundedTo + 1e-7)));
    const rgba = new Float32Array(4 * W * H);
    for (let y = 0; y < H; y += 1) for (let x = 0; x < W; x += 1) rgba.set([map.data[2 * (y * W + x)] || 0, map.data[2 * (y * W + x) + 1] || 0, 0, 1], 4 * ((H - 1 - y) * W + x));
    const half = await readStMap(new Uint8Array(await new EXRExporter().parse(new DataTexture(rgba, W, H, RGBAFormat, FloatType), { type: HalfFloatType, compression: ZIP_COMPRESSION })), 'map.exr');
    expect(half.roundedTo).toBeCloseTo(1 / 2048, 12);
    const worst = Math.max(...[...map.data].map((v, i) => (Number.isNaN(v) ? 0 : Math.abs(v - half.map.data[i]))));
    expect(worst).toBeGreaterThan(0);
    expect(worst).toBeLessThanOrEqual(half.roundedTo);
  });

  test.each([
    [
      'a JPEG',
      () =>
        sharp({ create: { width: W, height: H, channels: 3, background: '#777' } })
          .jpeg()
          .toBuffer(),
      /neither OpenEXR nor TIFF/,
    ],
    [
      '8 bits',
      () =>
        sharp({ create: { width: W, height: H, channels: 3, background: '#777' } })
          .tiff()
          .toBuffer(),
      /8 bits a channel/,
    ],
    ['one channel', async () => Buffer.from(writeArrayBuffer(new Float32Array(W * H), { width: W, height: H, BitsPerSample: [32], SampleFormat: [3] } as never)), /one channel/],
    ['a TIFF that is cut off', async () => Buffer.from(writeStMapTiff(map)).subarray(0, 900), /cut off|cannot be decoded|neither/],
    ['text', async () => Buffer.from('not a picture'), /neither OpenEXR nor TIFF/],
  ])('%s is refused in words', async (_, make, words) => {
    await expect(make().then((bytes) => readStMap(bytes, 'map'))).rejects.toThrow(words);
  });
});

describe('coefficients from a file', () => {
  const setup: OpticsInput = { image: { width: 4096, height: 2160 }, sensor: { widthMm: 24.9, heightMm: 13.1 }, squeeze: 1, adapterFactor: 1, focal: { mm: 32 } } as never;
  const lens = { lens: 'Orrinel 32', serial: '', body: 'Tarvik', focalMm: 32, focusM: 2.5, pupilMm: null, setup };
  const distortion = {
    model: 'radial' as const,
    k: [-0.09, 0.02, 0] as [number, number, number],
    p: [0.001, -0.002] as [number, number],
    center: [2060, 1075] as [number, number],
    aspect: 1,
    focalMm: 32,
    sigma: {},
    terms: [],
  };

  test('the lens metadata that we write is read as what it is', () => {
    const text = writeLensMetadata({ ...lens, report: { distortion, overscan: null, focalFromDistance: null, focalFromTilt: null } as unknown as GridReport })!;
    const read = readCoefficients(text, 'a.lens.json');
    expect(read).toMatchObject({ focalMm: 32, focusM: 2.5, picture: { widthPx: 4096, heightPx: 2160 }, assumed: [] });
    const { coefficients: c } = read;
    expect(c).toMatchObject({ formula: 'polynomial', over: 'focal length', direction: 'undistorted to distorted', focalMm: 32 });
    expect(c.k).toEqual([-0.09, 0.02]);
    expect(c.p).toEqual([0.001, -0.002]);
    expect(c.center[0]).toBeCloseTo(12, 6);
    expect(c.center[1]).toBeCloseTo(-5, 6);
  });

  test('typed ones come back as they were', () => {
    const c: GivenCoefficients = { formula: 'quotient', over: 'half height', direction: 'distorted to undistorted', k: [-0.01, 1.2e-4], p: [0, 0], center: [3, -4], focalMm: null };
    expect(readCoefficients(writeCoefficients(c), 'typed.json').coefficients).toEqual(c);
    // as a record keeps them, with a word of its own for what they are
    expect(readCoefficients(writeCoefficients({ ...c, what: 'coefficients' } as GivenCoefficients), 'typed.json').coefficients).toEqual(c);
  });

  test('a model without a direction says what was assumed; the other way is read as it says', () => {
    const sample = (model?: string) => JSON.stringify({ lens: { pinholeFocalLength: 25, distortion: [{ model, radial: [-0.1] }] } });
    expect(readCoefficients(sample(), 'a.json').assumed[0]).toMatch(/undistorted to distorted/);
    expect(readCoefficients(sample('Brown-Conrady D-U'), 'a.json')).toMatchObject({ coefficients: { direction: 'distorted to undistorted' }, assumed: [] });
  });

  test.each([
    ['no JSON', 'k1 = 3', /is no JSON/],
    ['no distortion', '{"lens":{}}', /has no lens distortion/],
    ['another model', JSON.stringify({ lens: { pinholeFocalLength: 25, distortion: [{ model: 'spline', radial: [1] }] } }), /of the model spline/],
    ['no focal length', JSON.stringify({ lens: { distortion: [{ radial: [1] }] } }), /has no focal length/],
    ['too many', JSON.stringify({ lens: { pinholeFocalLength: 25, distortion: [{ radial: [1, 2, 3, 4, 5] }] } }), /has 5 radial/],
    ['an offset without sizes', JSON.stringify({ lens: { pinholeFocalLength: 25, distortionOffset: { x: 1, y: 0 }, distortion: [{ radial: [1] }] } }), /no sensor and picture size/],
    [
      'a wrong unit',
      writeCoefficients({ formula: 'polynomial', over: 'furlongs', direction: 'undistorted to distorted', k: [1], p: [0, 0], center: [0, 0], focalMm: null } as never),
      /"furlongs" for over/,
    ],
  ])('%s is refused in words', (_, text, words) => {
    expect(() => readCoefficients(text, 'a.json')).toThrow(words);
  });
});
