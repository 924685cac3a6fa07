import type { GridReport, LensDescription } from '@mesure/core';
import Papa from 'papaparse';
import sharp from 'sharp';
import { writeDistortionCsv, writeDistortionJson, writeLensMetadata, type LensSetting } from './lens';
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
  expect(sample.lens.distortion[0].radial).toHaveLength(2);
  expect(sample.lens.distortion[0].overscan).toBeCloseTo(4177 / 4096, 9);
  expect(sample.lens.distortionOffset.x).toBeCloseTo((12 * 24) / 4096, 9);
  expect(sample.lens.distortionOffset.y).toBeCloseTo((-10 * 12.66) / 2160, 9);
  // another model does not pass for radial
  const fisheye = { ...report, distortion: { ...report.distortion!, model: 'fisheye', k: [0.01, 0, 0, 0] } as never };
  const other = JSON.parse(writeLensMetadata({ ...setting, report: fisheye })!);
  expect(other.lens.distortion[0].model).toBe('mesure fisheye');
  // whose coefficients hold for the focal length that they were found with
  expect(other.lens.pinholeFocalLength).toBe(22.72);
  expect(writeLensMetadata({ ...setting, report: { ...report, distortion: null } })).toBeNull();
});

/** The picture's map as the plate saw it, worked out here: normalised by 22.72 mm over 4096 pixels on 24 mm. */
const truth = (u: number, v: number): [number, number] => {
  const n = (22.72 * 4096) / 24,
    m = (22.72 * 2160) / 12.66;
  const [x, y] = [(u - 2060) / n, (v - 1070) / m];
  const r2 = x * x + y * y;
  const s = 1 - 0.1 * r2 + 0.02 * r2 * r2;
  return [2060 + (x * s + 2 * 0.001 * x * y) * n, 1070 + (y * s + 0.001 * (r2 + 2 * y * y)) * m];
};

test('metadata: read by the schema alone, a corner lands where the plate saw it, though another focal length stands there than the coefficients were found with', () => {
  const { lens, static: fixed } = JSON.parse(writeLensMetadata({ ...setting, report: { ...report, focalFromDistance: { mm: 17.75, sigmaMm: 0.05 } } })!);
  expect(lens.pinholeFocalLength).toBe(17.75);
  const { width, height } = fixed.camera.activeSensorPhysicalDimensions;
  const { width: w, height: h } = fixed.camera.activeSensorResolution;
  const [fx, fy] = [(lens.pinholeFocalLength * w) / width, (lens.pinholeFocalLength * h) / height];
  const [cx, cy] = [w / 2 + (lens.distortionOffset.x * w) / width, h / 2 + (lens.distortionOffset.y * h) / height];
  for (const [u, v] of [
    [0, 0],
    [4096, 2160],
    [300, 1900],
  ]) {
    const [x, y] = [(u - cx) / fx, (v - cy) / fy];
    const r2 = x * x + y * y;
    const { radial, tangential } = lens.distortion[0];
    const s = 1 + radial.reduce((sum: number, k: number, i: number) => sum + k * r2 ** (i + 1), 0);
    const seen = [cx + (x * s + 2 * tangential[0] * x * y + tangential[1] * (r2 + 2 * x * x)) * fx, cy + (y * s + tangential[0] * (r2 + 2 * y * y) + 2 * tangential[1] * x * y) * fy];
    truth(u, v).forEach((t, i) => expect(seen[i]).toBeCloseTo(t, 3));
  }
});

test('JSON and CSV: what the coefficients are normalised by stands beside them, and their place worked out is the truth', () => {
  const { description } = JSON.parse(writeDistortionJson('Orrinel 32', report, setting.setup)) as { description: LensDescription };
  const { undistortedPx, recordedPx } = description.example!;
  truth(...undistortedPx).forEach((t, i) => expect(recordedPx[i]).toBeCloseTo(t, 6));
  expect(description.normalisedByPx[0]).toBeCloseTo((22.72 * 4096) / 24, 6);
  const [row] = Papa.parse<Record<string, string>>(writeDistortionCsv([setting]), { header: true, skipEmptyLines: true }).data;
  truth(Number(row.example_undistorted_x_px), Number(row.example_undistorted_y_px)).forEach((t, i) => expect(Number([row.example_recorded_x_px, row.example_recorded_y_px][i])).toBeCloseTo(t, 6));
  expect([row.normalised_mm, row.sensor_width_mm, row.direction]).toEqual(['22.72', '24', 'undistorted to distorted']);
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
