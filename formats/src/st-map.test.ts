import type { StMap } from '@mesure/core';
import { fromArrayBuffer } from 'geotiff';
import { inflateSync } from 'node:zlib';
import { exrSize, readExrRgba } from './exr';
import { writeStMapExr, writeStMapTiff } from './st-map';

const W = 37,
  H = 21;
const map: StMap = { widthPx: W, heightPx: H, data: Float32Array.from({ length: 2 * W * H }, (_, i) => (i % 2 === 0 ? ((i >> 1) % W) / W : 1 - Math.floor((i >> 1) / W) / H)) };
map.data[2 * 5] = Number.NaN;

/** Scan-line OpenEXR with ZIP compression and float channels, read as the format's own description says (openexr.com, File Layout). */
function readExr(bytes: Uint8Array): { channels: string[]; windows: { data: number[]; display: number[] }; at(channel: string, x: number, y: number): number } {
  const b = Buffer.from(bytes);
  expect(b.readUInt32LE(0)).toBe(20000630);
  let p = 8;
  const text = () => {
    const end = b.indexOf(0, p);
    const s = b.toString('latin1', p, end);
    p = end + 1;
    return s;
  };
  const attributes = new Map<string, Buffer>();
  for (let name = text(); name !== ''; name = text()) {
    text(); // type
    const size = b.readInt32LE(p);
    attributes.set(name, b.subarray(p + 4, p + 4 + size));
    p += 4 + size;
  }
  const list = attributes.get('channels')!;
  const channels: string[] = [];
  for (let q = 0; list[q] !== 0; q += 16) {
    const end = list.indexOf(0, q);
    channels.push(list.toString('latin1', q, end));
    q = end + 1;
    expect(list.readInt32LE(q)).toBe(2); // FLOAT
  }
  const windowOf = (name: string) => [0, 4, 8, 12].map((i) => attributes.get(name)!.readInt32LE(i));
  const [left, top, right, bottom] = windowOf('dataWindow');
  const [w, h] = [right - left + 1, bottom - top + 1];
  expect([w, h]).toEqual([W, H]);
  expect(attributes.get('compression')![0]).toBe(3); // ZIP, 16 lines a block
  const rows: Buffer[] = [];
  for (let block = 0; block < Math.ceil(h / 16); block += 1) {
    const at = Number(b.readBigUInt64LE(p + 8 * block));
    // lines are counted in the display window's pixels
    const y = b.readInt32LE(at) - top;
    const size = b.readInt32LE(at + 4);
    const lines = Math.min(16, h - y);
    const length = lines * w * 4 * channels.length;
    let raw = b.subarray(at + 8, at + 8 + size);
    if (size < length) {
      const packed = inflateSync(raw);
      for (let i = 1; i < packed.length; i += 1) packed[i] = (packed[i - 1] + packed[i] - 128) & 255;
      raw = Buffer.alloc(length);
      const half = Math.ceil(length / 2);
      for (let i = 0; i < length; i += 1) raw[i] = packed[(i & 1) * half + (i >> 1)];
    }
    for (let line = 0; line < lines; line += 1) rows[y + line] = raw.subarray(line * w * 4 * channels.length, (line + 1) * w * 4 * channels.length);
  }
  return { channels, windows: { data: windowOf('dataWindow'), display: windowOf('displayWindow') }, at: (channel, x, y) => rows[y].readFloatLE(4 * (channels.indexOf(channel) * w + x)) };
}

test('OpenEXR: s in red, t in green, first row on top, alpha where there is a value', async () => {
  const exr = readExr(await writeStMapExr(map));
  expect([...exr.channels].sort()).toEqual(['A', 'B', 'G', 'R']);
  for (const [x, y] of [
    [0, 0],
    [36, 20],
    [12, 17],
    [30, 3],
  ]) {
    expect(exr.at('R', x, y)).toBe(Math.fround(x / W));
    expect(exr.at('G', x, y)).toBe(Math.fround(1 - y / H));
    expect(exr.at('A', x, y)).toBe(1);
  }
  expect([exr.at('R', 5, 0), exr.at('A', 5, 0)]).toEqual([0, 0]);
});

test('OpenEXR of a larger picture: the recorded one is the display window, and every line lies where it did', async () => {
  const plain = readExr(await writeStMapExr(map));
  const bytes = await writeStMapExr(map, { left: 4, top: 3, widthPx: 30, heightPx: 14 });
  const placed = readExr(bytes);
  expect(plain.windows).toEqual({ data: [0, 0, W - 1, H - 1], display: [0, 0, W - 1, H - 1] });
  expect(placed.windows).toEqual({ data: [-4, -3, W - 5, H - 4], display: [0, 0, 29, 13] });
  for (const [x, y] of [
    [0, 0],
    [36, 20],
    [12, 17],
  ])
    expect([placed.at('R', x, y), placed.at('G', x, y)]).toEqual([plain.at('R', x, y), plain.at('G', x, y)]);
  // our own reader takes it too
  expect(exrSize(bytes, 'map.exr')).toEqual({ widthPx: 30, heightPx: 14, written: { widthPx: W, heightPx: H } });
  const again = readExrRgba(bytes, 'map.exr');
  expect([again.data[4 * (17 * W + 12)], again.data[4 * (17 * W + 12) + 1]]).toEqual([Math.fround(12 / W), Math.fround(1 - 17 / H)]);
});

test('TIFF: two 32-bit samples a pixel, NaN where there is no value', async () => {
  const bytes = writeStMapTiff(map);
  const image = await (await fromArrayBuffer(bytes.buffer as ArrayBuffer)).getImage();
  expect([image.getWidth(), image.getHeight(), image.getSamplesPerPixel(), image.getBitsPerSample()]).toEqual([W, H, 2, 32]);
  // a map of a lens lies on no globe
  expect(image.getGeoKeys()).toBeNull();
  expect(await image.getTiePoints()).toEqual([]);
  const values = (await image.readRasters({ interleave: true })) as unknown as Float32Array;
  expect(Array.from(values.slice(0, 8))).toEqual(Array.from(map.data.slice(0, 8)));
  expect(values[10]).toBeNaN();
  expect(values[2 * W * H - 1]).toBe(map.data[2 * W * H - 1]);
});
