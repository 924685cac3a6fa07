import { execFileSync } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import os from 'node:os';
import path from 'node:path';
import sharp from 'sharp';
import { readExrRgba } from './exr';
import { inspectPicture, previewJpeg, readGray } from './picture';
import { readRaster } from './raster';
import { readPictureNotes } from './exif';

/** Pictures as other programs write them: read rightly, or refused in words that name the fault. */
interface Exr {
  channels: readonly (readonly [name: string, kind: 0 | 1 | 2, sampling?: number])[];
  data: readonly [left: number, top: number, right: number, bottom: number];
  display?: readonly [number, number, number, number];
  pixelAspect?: number;
  /** of each channel at each place */
  at: (channel: string, x: number, y: number) => number;
}
/** Uncompressed lines, written from the file layout of OpenEXR alone. */
function writeExr({ channels, data, display = data, pixelAspect = 1, at }: Exr): Buffer {
  const text = (s: string) => Buffer.from(`${s}\0`, 'latin1');
  const int = (...v: number[]) => Buffer.concat(v.map((n) => ((b) => (b.writeInt32LE(n), b))(Buffer.alloc(4))));
  const float = (n: number) => ((b) => (b.writeFloatLE(n), b))(Buffer.alloc(4));
  const attribute = (name: string, type: string, value: Buffer) => Buffer.concat([text(name), text(type), int(value.length), value]);
  const sorted = [...channels].sort(([a], [b]) => (a < b ? -1 : 1));
  const list = Buffer.concat([...sorted.map(([name, kind, s = 1]) => Buffer.concat([text(name), int(kind), Buffer.alloc(4), int(s, s)])), Buffer.from([0])]);
  const head = Buffer.concat([
    Buffer.from([0x76, 0x2f, 0x31, 0x01, 2, 0, 0, 0]),
    attribute('channels', 'chlist', list),
    attribute('compression', 'compression', Buffer.from([0])),
    attribute('dataWindow', 'box2i', int(...data)),
    attribute('displayWindow', 'box2i', int(...display)),
    attribute('lineOrder', 'lineOrder', Buffer.from([0])),
    attribute('pixelAspectRatio', 'float', float(pixelAspect)),
    attribute('screenWindowCenter', 'v2f', Buffer.alloc(8)),
    attribute('screenWindowWidth', 'float', float(1)),
    Buffer.from([0]),
  ]);
  const [left, top, right, bottom] = data;
  const lines: Buffer[] = [];
  for (let y = top; y <= bottom; y += 1) {
    const bytes = Buffer.concat(
      sorted.map(([name, kind]) =>
        Buffer.concat(Array.from({ length: right - left + 1 }, (_, i) => (kind === 2 ? float(at(name, left + i, y)) : kind === 0 ? int(at(name, left + i, y)) : Buffer.from([0x00, 0x3c])))),
      ),
    );
    lines.push(Buffer.concat([int(y, bytes.length), bytes]));
  }
  const table = Buffer.alloc(8 * lines.length);
  let where = head.length + table.length;
  lines.forEach((line, i) => {
    table.writeBigUInt64LE(BigInt(where), 8 * i);
    where += line.length;
  });
  return Buffer.concat([head, table, ...lines]);
}
const RGB = [
  ['R', 2],
  ['G', 2],
  ['B', 2],
] as const;
const ramp = (_c: string, x: number, y: number) => 0.01 * x + 0.001 * y;

describe('OpenEXR', () => {
  test('cropped: what is not written is black, and every pixel lies where it is in the picture', async () => {
    const bytes = writeExr({ channels: RGB, data: [10, 5, 29, 16], display: [0, 0, 39, 19], at: ramp });
    expect(await inspectPicture(bytes, 'cropped.exr')).toMatchObject({ widthPx: 40, heightPx: 20 });
    const r = await readRaster(bytes, 'cropped.exr');
    expect([r.widthPx, r.heightPx]).toEqual([40, 20]);
    const red = (x: number, y: number) => r.data[4 * (40 * y + x)];
    for (let y = 0; y < 20; y += 1) for (let x = 0; x < 40; x += 1) expect(red(x, y)).toBeCloseTo(x >= 10 && x <= 29 && y >= 5 && y <= 16 ? ramp('R', x, y) : 0, 6);
  });
  test('with more than the picture, and with a picture that begins somewhere else than at 0', async () => {
    const bytes = writeExr({ channels: RGB, data: [-4, -2, 43, 21], display: [0, 0, 39, 19], at: ramp });
    expect(await inspectPicture(bytes, 'over.exr')).toMatchObject({ widthPx: 40, heightPx: 20 });
    const r = await readRaster(bytes, 'over.exr');
    expect([r.data[0], r.data[4 * (40 * 19 + 39)]]).toEqual([Math.fround(0), Math.fround(ramp('R', 39, 19))]);
    // a map is read whole
    expect(readExrRgba(bytes, 'over.exr')).toMatchObject({ widthPx: 48, heightPx: 24 });
    const placed = writeExr({ channels: RGB, data: [100, 50, 139, 69], at: (_c, x, y) => ramp('', x - 100, y - 50) });
    expect((await readRaster(placed, 'placed.exr')).data[4 * (40 * 3 + 7)]).toBeCloseTo(ramp('', 7, 3), 6);
  });
  test('luminance alone is a picture', async () => {
    const gray = await readGray(writeExr({ channels: [['Y', 2]], data: [0, 0, 19, 9], at: ramp }), 'y.exr');
    expect(gray.data[19]).toBeGreaterThan(gray.data[5]);
  });
  test.each<[string, Exr['channels'], RegExp]>([
    [
      'two views',
      [
        ['left.R', 2],
        ['left.G', 2],
        ['left.B', 2],
        ['right.R', 2],
        ['right.G', 2],
        ['right.B', 2],
      ],
      /has the channels left\.B, left\.G.*two views give one/,
    ],
    ['depth alone', [['Z', 2]], /has the channels Z; R, G and B, or Y, are read$/],
    [
      'whole numbers',
      [
        ['R', 0],
        ['G', 0],
        ['B', 0],
      ],
      /has whole numbers in R, which are no light/,
    ],
    [
      'colour at every second place',
      [
        ['R', 2, 2],
        ['G', 2],
        ['B', 2],
      ],
      /has R at fewer places/,
    ],
  ])('%s are refused by name, and make no black picture', async (_name, channels, message) => {
    await expect(readGray(writeExr({ channels, data: [0, 0, 19, 9], at: ramp }), 'f.exr')).rejects.toThrow(message);
  });
  test('windows that cannot be are a broken header', async () => {
    for (const display of [
      [0, 0, -5, 9],
      [0, 0, 0x7fffffff, 9],
    ] as const)
      await expect(inspectPicture(writeExr({ channels: RGB, data: [0, 0, 19, 9], display, at: ramp }), 'f.exr')).rejects.toThrow('broken header');
  });
});

describe('TIFF', () => {
  let dir: string;
  beforeAll(() => (dir = mkdtempSync(path.join(os.tmpdir(), 'mesure-foreign-'))));
  afterAll(() => rmSync(dir, { recursive: true, force: true }));
  const [W, H] = [40, 30];
  const values = Float32Array.from({ length: 3 * W * H }, (_, i) => ((Math.floor(i / 3) % W) + 1) / (2 * W));

  test('of float is linear light, as OpenEXR is, and no black picture', async () => {
    // written by another library: little-endian, one strip, three float samples a pixel
    const bytes = writeTiff(values, 3, 32, 3);
    expect(await inspectPicture(bytes, 'float.tif')).toMatchObject({ format: 'tiff', bits: 32, widthPx: W, heightPx: H });
    const gray = await readGray(bytes, 'float.tif');
    const exr = await readGray(writeExr({ channels: RGB, data: [0, 0, W - 1, H - 1], at: (_c, x) => (x + 1) / (2 * W) }), 'same.exr');
    for (let i = 0; i < W * H; i += 7) expect(gray.data[i]).toBeCloseTo(exr.data[i], 2);
    const raster = await readRaster(bytes, 'float.tif');
    expect(raster.data[4 * 5]).toBeCloseTo(6 / (2 * W), 6);
    const { data } = await sharp(await previewJpeg(bytes, 'float.tif', 40))
      .greyscale()
      .raw()
      .toBuffer({ resolveWithObject: true });
    expect(data[35]).toBeGreaterThan(data[3] + 50);
  });
  test.each([
    ['whole numbers of 32 bits', 1, 32, /numbers of the kind uint for its light/],
    ['signed numbers', 2, 16, /numbers of the kind short for its light/],
    ['twelve bits packed', 1, 12, /a TIFF of 12 bits a channel that is not read; .* write it as 16 bits/],
  ])('%s are refused in words', async (_name, format, bits, message) => {
    await expect(readGray(writeTiff(values, 3, bits, format), 'f.tif')).rejects.toThrow(message);
  });
  test('of 12 significant bits in 16 keeps its steps', async () => {
    const pgm = path.join(dir, 'twelve.pgm');
    const deep = Buffer.alloc(2 * W * H);
    for (let i = 0; i < W * H; i += 1) deep.writeUInt16BE(Math.round((4095 * ((i % W) + 1)) / W), 2 * i);
    writeFileSync(pgm, Buffer.concat([Buffer.from(`P5\n${W} ${H}\n65535\n`), deep]));
    const twelve = path.join(dir, 'twelve.tif');
    execFileSync('ffmpeg', ['-v', 'error', '-f', 'image2', '-i', pgm, '-pix_fmt', 'gray16le', '-y', twelve]);
    // 12 significant bits in 16 are dark, and stay ordered: the chart is found by its steps and not by its white
    const gray = await readGray(readFileSync(twelve), 'twelve.tif');
    expect(gray.data[W - 1] / gray.data[0]).toBeCloseTo(W, 0);
  });

  /** One strip, from TIFF 6.0 alone. format: 1 whole numbers, 2 signed, 3 float. */
  function writeTiff(samples: Float32Array, channels: number, bits: number, format: number): Buffer {
    const bytes = Buffer.alloc((samples.length * bits) / 8);
    samples.forEach((v, i) => {
      // packed: what they are is not looked at
      if (bits === 12) bytes[i] = 255 * v;
      else if (format === 3) bytes.writeFloatLE(v, 4 * i);
      else if (bits === 32) bytes.writeUInt32LE(Math.round(v * 4e9), 4 * i);
      else bytes.writeInt16LE(Math.round(v * 30000), 2 * i);
    });
    const tags: [tag: number, type: number, values: number[]][] = [
      [256, 3, [W]],
      [257, 3, [H]],
      [258, 3, Array.from({ length: channels }, () => bits)],
      [259, 3, [1]],
      [262, 3, [2]],
      [273, 4, [0]],
      [277, 3, [channels]],
      [278, 3, [H]],
      [279, 4, [bytes.length]],
      [284, 3, [1]],
      [339, 3, Array.from({ length: channels }, () => format)],
    ];
    const directory = Buffer.alloc(2 + 12 * tags.length + 4);
    const far: Buffer[] = [];
    let farAt = 8 + directory.length;
    const total = farAt + 2 * 2 * channels;
    directory.writeUInt16LE(tags.length, 0);
    tags.forEach(([tag, type, list], i) => {
      const at = 2 + 12 * i;
      directory.writeUInt16LE(tag, at);
      directory.writeUInt16LE(type, at + 2);
      directory.writeUInt32LE(list.length, at + 4);
      if (list.length > 2) {
        const own = Buffer.alloc(2 * list.length);
        list.forEach((v, k) => own.writeUInt16LE(v, 2 * k));
        directory.writeUInt32LE(farAt, at + 8);
        far.push(own);
        farAt += own.length;
      } else if (tag === 273) directory.writeUInt32LE(total, at + 8);
      else if (type === 3) directory.writeUInt16LE(list[0], at + 8);
      else directory.writeUInt32LE(list[0], at + 8);
    });
    return Buffer.concat([Buffer.from([0x49, 0x49, 42, 0, 8, 0, 0, 0]), directory, ...far, bytes]);
  }
});

test('an OpenEXR file says how wide its pixels are shown; square ones, another file and a header that ends in it say nothing', async () => {
  const file = (pixelAspect: number) => writeExr({ channels: RGB, data: [0, 0, 15, 15], pixelAspect, at: () => 0.5 });
  expect(await readPictureNotes(file(2))).toMatchObject({ pixelAspect: 2, focalMm: null });
  expect(await readPictureNotes(new Blob([new Uint8Array(file(1.5))]), { widthPx: 16, heightPx: 16 })).toMatchObject({ pixelAspect: 1.5, widthPx: 16 });
  expect(await readPictureNotes(file(1))).toBeNull();
  for (const odd of [Number.NaN, 0, -2, 1e9]) expect(await readPictureNotes(file(odd))).toBeNull();
  const cut = file(2);
  const at = cut.indexOf('pixelAspectRatio');
  expect(await readPictureNotes(cut.subarray(0, at + 29))).toBeNull();
  expect(await readPictureNotes(Buffer.from('pixelAspectRatio\0float\0\x04\0\0\0\0\0\0@'))).toBeNull();
});
