import JSZip from 'jszip';
import { mkdtempSync, readFileSync, rmSync, statSync, writeFileSync } from 'node:fs';
import os from 'node:os';
import path from 'node:path';
import sharp from 'sharp';
import { exrTimes } from './exr';
import { decodeSequence, isZip, numberedFrames, probeSequence, sequenceFrameJpeg } from './sequence';
import { writeStMapExr } from './st-map';

const dir = mkdtempSync(path.join(os.tmpdir(), 'mesure-sequence-test-'));
afterAll(() => rmSync(dir, { recursive: true, force: true }));
const [W, H] = [64, 36];
/** A picture whose grey is its number. */
const picture = (grey: number, format: 'png' | 'tiff' | 'jpeg' = 'png', width = W) =>
  sharp({ create: { width, height: H, channels: 3, background: { r: grey, g: grey, b: grey } } })
    [format]()
    .toBuffer();
async function zipOf(files: Record<string, Buffer | string>, name = 'a.zip'): Promise<string> {
  const zip = new JSZip();
  for (const [entry, bytes] of Object.entries(files)) zip.file(entry, bytes);
  const file = path.join(dir, name);
  writeFileSync(file, await zip.generateAsync({ type: 'nodebuffer', compression: 'STORE' }));
  return file;
}
const strip = { file: path.join(dir, 'strip'), widthPx: 32, everyNth: () => 2 };

test('pictures are laid out in the order of their numbers, whatever order they were packed in, with small ones of every second', async () => {
  const file = await zipOf({
    'shot/f.1003.png': await picture(30),
    'shot/f.1001.png': await picture(10),
    'shot/f.1002.png': await picture(20),
    '__MACOSX/shot/._f.1001.png': 'x',
    'shot/.DS_Store': 'x',
  });
  expect(await isZip(file)).toBe(true);
  expect(await probeSequence(file, 'a.zip')).toEqual({ widthPx: W, heightPx: H, frames: 3, firstNumber: 1001, fps: null, timecode: null });
  const target = path.join(dir, 'frames');
  const shares: number[] = [];
  const frames = await decodeSequence(file, 'a.zip', target, { strip, onProgress: (f) => shares.push(f) });
  expect(frames).toMatchObject({ widthPx: W, heightPx: H, count: 3 });
  const bytes = readFileSync(target);
  expect([0, 1, 2].map((i) => bytes[i * W * H + 100])).toEqual([10, 20, 30]);
  expect(shares.at(-1)).toBe(1);
  // two JPEGs, one behind the other
  expect(readFileSync(strip.file).toString('latin1').split('\xff\xd8\xff').length - 1).toBe(2);
  const { channels } = await sharp(await sequenceFrameJpeg(file, 'a.zip', 2, 32)).stats();
  expect(channels[0].mean).toBeCloseTo(30, -1);
});

test('sixteen bits of a TIFF count as eight of them', async () => {
  const deep = await sharp(
    Uint16Array.from({ length: W * H }, () => 0x8000),
    { raw: { width: W, height: H, channels: 1 } },
  )
    .toColourspace('grey16')
    .tiff()
    .toBuffer();
  const file = await zipOf({ '1.tif': deep, '2.tif': deep }, 'deep.zip');
  const frames = await decodeSequence(file, 'deep.zip', path.join(dir, 'deep'), { strip });
  expect(statSync(frames.file).size).toBe(2 * W * H);
  expect(readFileSync(frames.file)[7]).toBeGreaterThan(110);
  expect(readFileSync(frames.file)[7]).toBeLessThan(140);
});

test.each([
  ['a gap', async () => ({ 'a.1.png': await picture(1), 'a.2.png': await picture(2), 'a.5.png': await picture(5) }), /frames 3 to 4 are missing between 2 and 5/],
  ['a frame twice', async () => ({ 'a.1.png': await picture(1), 'b.1.png': await picture(2) }), /frame 1 is given twice/],
  ['no number', async () => ({ 'a.png': await picture(1), 'b.png': await picture(2) }), /no number in its name/],
  ['something else', async () => ({ 'a.1.png': await picture(1), 'notes.txt': 'x' }), /notes\.txt, which is no picture/],
  ['one picture', async () => ({ 'a.1.png': await picture(1) }), /holds one picture/],
  ['nothing', async () => ({}), /empty zip/],
  ['a broken picture', async () => ({ 'a.1.png': 'no picture', 'a.2.png': await picture(1) }), /a\.1\.png/],
] as const)('%s is refused in words', async (what, files, words) => {
  await expect(probeSequence(await zipOf(await files(), `${what}.zip`), 'x.zip')).rejects.toThrow(words);
});

test('a picture of another size on the way, and what is no zip, are said', async () => {
  const file = await zipOf({ '1.png': await picture(1), '2.png': await picture(2, 'png', 80) }, 'sizes.zip');
  await expect(decodeSequence(file, 'sizes.zip', path.join(dir, 'sizes'), { strip })).rejects.toThrow(/2\.png: is 80 × 36, and the frames before it 64 × 36/);
  const none = path.join(dir, 'none.zip');
  writeFileSync(none, 'PK\x03\x04 and no more');
  await expect(probeSequence(none, 'none.zip')).rejects.toThrow(/cannot be read as a zip/);
  // the last number is the frame's: the one before it is a version
  expect(numberedFrames(['x_v002.0011.exr', 'x_v002.0010.exr'], 'f').map((f) => f.number)).toEqual([10, 11]);
});

describe('what the pictures of a sequence say of time', () => {
  const attribute = (name: string, type: string, ...words: number[]): Buffer => {
    const value = Buffer.alloc(4 * words.length);
    words.forEach((w, i) => value.writeUInt32LE(w >>> 0, 4 * i));
    const size = Buffer.alloc(4);
    size.writeUInt32LE(value.length, 0);
    return Buffer.concat([Buffer.from(`${name}\0${type}\0`, 'latin1'), size, value]);
  };
  /** Attributes at the beginning of a header; where its lines begin moves with them. */
  async function exrWith(...attributes: Buffer[]): Promise<Buffer> {
    const plain = Buffer.from(await writeStMapExr({ widthPx: 32, heightPx: 18, data: new Float32Array(2 * 32 * 18).fill(0.5) }));
    const more = Buffer.concat(attributes);
    const all = Buffer.concat([plain.subarray(0, 8), more, plain.subarray(8)]);
    // the table of lines ends where the first of them begins
    let at = plain.length;
    for (let i = 8; i + 8 <= plain.length; i += 1) {
      const first = plain.readBigUInt64LE(i);
      if (first > BigInt(i) && first <= BigInt(plain.length) && (Number(first) - i) % 8 === 0 && plain.readUInt32LE(i + 4) === 0 && plain[i - 1] === 0 && (Number(first) - i) / 8 <= 18) {
        at = i;
        break;
      }
    }
    const lines = (Number(plain.readBigUInt64LE(at)) - at) / 8;
    for (let k = 0; k < lines; k += 1) all.writeBigUInt64LE(plain.readBigUInt64LE(at + 8 * k) + BigInt(more.length), at + more.length + 8 * k);
    return all;
  }
  // 10:02:33:17, each digit in its own four bits
  const CLOCK = 0x10023317;

  test('rate and timecode of the first picture are those of the clip', async () => {
    const first = await exrWith(attribute('framesPerSecond', 'rational', 24_000, 1001), attribute('timeCode', 'timecode', CLOCK, 0));
    const second = await exrWith(attribute('framesPerSecond', 'rational', 24_000, 1001), attribute('timeCode', 'timecode', CLOCK + 1, 0));
    const file = await zipOf({ 'f.0101.exr': second, 'f.0100.exr': first }, 'timed.zip');
    const probed = await probeSequence(file, 'timed.zip');
    expect(probed).toMatchObject({ widthPx: 32, heightPx: 18, frames: 2, firstNumber: 100, timecode: '10:02:33:17' });
    expect(probed.fps).toBeCloseTo(23.976, 3);
  });

  test.each<[string, Buffer[], { fps: number | null; timecode: string | null }]>([
    ['nothing', [], { fps: null, timecode: null }],
    ['a rate over nought', [attribute('framesPerSecond', 'rational', 24, 0)], { fps: null, timecode: null }],
    ['a rate below nought', [attribute('framesPerSecond', 'rational', -24, 1)], { fps: null, timecode: null }],
    ['a clock that nobody set', [attribute('timeCode', 'timecode', 0, 0)], { fps: null, timecode: null }],
    ['drop frame', [attribute('timeCode', 'timecode', CLOCK | 64, 0)], { fps: null, timecode: '10:02:33;17' }],
    ['75 seconds', [attribute('timeCode', 'timecode', 0x10027517, 0)], { fps: null, timecode: null }],
    ['the same name for another thing', [attribute('timeCode', 'v2i', 1, 2), attribute('framesPerSecond', 'v2i', 24, 1)], { fps: null, timecode: null }],
  ])('%s', async (_what, attributes, says) => {
    expect(exrTimes(await exrWith(...attributes), 'f.exr')).toEqual(says);
  });
});
