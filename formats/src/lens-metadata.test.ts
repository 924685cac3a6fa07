import type { GridReport } from '@mesure/core';
import Papa from 'papaparse';
import sharp from 'sharp';
import { writeDistortionCsv, writeLensMetadata, type LensSetting } from './lens';
import { readRaster, writeRaster } from './raster';

const report = {
  distortion: { model: 'radial', k: [-0.1, 0.02, 0], p: [0.001, 0], center: [2060, 1070], aspect: 1, focalMm: 22.72, sigma: {}, terms: [] },
  rmsPx: 0.021,
  overscan: { left: 40, right: 41, top: 20, bottom: 21, width: 4177, height: 2201 },
  focalFromDistance: { mm: 22.4, sigmaMm: 0.05 },
  focalFromTilt: null,
} as unknown as GridReport;
const setting: LensSetting = {
  lens: 'Orrinel 32',
  serial: '=1+1',
  body: 'Tarvik H2, open gate',
  focalMm: 32,
  focusM: 2.5,
  pupilMm: 86,
  report,
  setup: { image: { width: 4096, height: 2160 }, sensor: { widthMm: 24, heightMm: 12.66 }, adapterFactor: 0.71, squeeze: 1, focal: { mm: 32 } },
};

test('CSV: a row a setting, a column a coefficient, numbers that read back the same, formulas defused', () => {
  const { data } = Papa.parse<Record<string, string>>(
    writeDistortionCsv([setting, { ...setting, report: { ...report, distortion: { ...report.distortion!, model: 'division', lambda: -0.3 } as never } }]),
    { header: true, skipEmptyLines: true },
  );
  expect(data).toHaveLength(2);
  expect(data[0]).toMatchObject({
    lens: 'Orrinel 32',
    serial: "'=1+1",
    focal_mm: '32',
    focus_m: '2.5',
    model: 'radial',
    k1: '-0.1',
    k2: '0.02',
    p1: '0.001',
    lambda: '',
    center_x_px: '2060',
    overscan_left_px: '40',
  });
  expect(data[1]).toMatchObject({ model: 'division', lambda: '-0.3', k1: '' });
  expect(
    writeDistortionCsv([{ ...setting, report: { ...report, distortion: null } }])
      .trim()
      .split('\n'),
  ).toHaveLength(1);
});

test('metadata: sensor, measured focal length, pupil in metres, centre in mm, radial without its idle zeros', () => {
  const sample = JSON.parse(writeLensMetadata(setting)!);
  expect(sample.static.camera).toMatchObject({
    activeSensorPhysicalDimensions: { width: 24, height: 12.66 },
    activeSensorResolution: { width: 4096, height: 2160 },
    anamorphicSqueeze: { num: 10000, denom: 10000 },
  });
  expect(sample.lens).toMatchObject({ pinholeFocalLength: 22.4, focusDistance: 2.5, entrancePupilOffset: 0.086 });
  expect(sample.lens.distortion[0]).toMatchObject({ model: 'Brown-Conrady U-D', radial: [-0.1, 0.02], tangential: [0.001, 0] });
  expect(sample.lens.distortion[0].overscan).toBeCloseTo(4177 / 4096, 9);
  expect(sample.lens.distortionOffset.x).toBeCloseTo((12 * 24) / 4096, 9);
  expect(sample.lens.distortionOffset.y).toBeCloseTo((-10 * 12.66) / 2160, 9);
  // another model does not pass for radial
  const fisheye = { ...report, distortion: { ...report.distortion!, model: 'fisheye', k: [0.01, 0, 0, 0] } as never };
  expect(JSON.parse(writeLensMetadata({ ...setting, report: fisheye })!).lens.distortion[0].model).toBe('mesure fisheye');
  expect(writeLensMetadata({ ...setting, report: { ...report, distortion: null } })).toBeNull();
});

describe('pictures as they are', () => {
  const W = 40,
    H = 24;
  test('8 and 16 bits come back to the last step', async () => {
    const bytes8 = await sharp(
      Uint8Array.from({ length: 3 * W * H }, (_, i) => (i * 7) % 256),
      { raw: { width: W, height: H, channels: 3 } },
    )
      .png()
      .toBuffer();
    const picture8 = await readRaster(bytes8, 'a.png');
    expect(picture8).toMatchObject({ widthPx: W, heightPx: H, channels: 3 });
    const again = await readRaster((await writeRaster(picture8)).bytes, 'b.png');
    expect(again.data).toEqual(picture8.data);
    const deep = { widthPx: W, heightPx: H, channels: 3, data: Uint16Array.from({ length: 3 * W * H }, (_, i) => (i * 977) % 65_536) };
    const written = await writeRaster(deep);
    expect(written.extension).toBe('png');
    const back = await readRaster(written.bytes, 'c.png');
    expect(back.data).toBeInstanceOf(Uint16Array);
    expect(back.data).toEqual(deep.data);
  });

  test('linear light stays linear and upright through OpenEXR', async () => {
    const linear = { widthPx: W, heightPx: H, channels: 4, data: Float32Array.from({ length: 4 * W * H }, (_, i) => (i % 4 === 3 ? 1 : (i % 97) / 16)) };
    const written = await writeRaster(linear);
    expect(written.extension).toBe('exr');
    const back = await readRaster(written.bytes, 'd.exr');
    // 16-bit float holds eleven bits
    for (let i = 0; i < linear.data.length; i += 13) expect(Math.abs(back.data[i] - linear.data[i])).toBeLessThanOrEqual(linear.data[i] / 1024 + 1e-6);
  });
});
