import { LONG, some } from '@mesure/synthetic';
import { execFileSync } from 'node:child_process';
import { mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import os from 'node:os';
import path from 'node:path';
import sharp from 'sharp';
import { readPictureNotes } from './exif';
import { clipFrameJpeg, extractFrame, extractSound, frameTimes, inspectPicture, isClip, previewJpeg, readGray } from './picture';
import { writeStMapExr } from './st-map';

const dir = mkdtempSync(path.join(os.tmpdir(), 'mesure-pictures-'));
afterAll(() => rmSync(dir, { recursive: true, force: true }));
const raw = (w: number, h: number, value: (x: number, y: number) => number) =>
  sharp(
    Uint8Array.from({ length: w * h }, (_, i) => value(i % w, Math.floor(i / w))),
    { raw: { width: w, height: h, channels: 1 } },
  );

describe('OpenEXR', () => {
  // the map's two channels stand in for a picture: red rises to the right, green falls downwards
  const W = 40,
    H = 24;
  const map = { widthPx: W, heightPx: H, data: Float32Array.from({ length: 2 * W * H }, (_, i) => (i % 2 === 0 ? ((i >> 1) % W) / W : 1 - Math.floor((i >> 1) / W) / H)) };

  test('is read upright, as it looks on a display', async () => {
    const bytes = Buffer.from(await writeStMapExr(map));
    expect(await inspectPicture(bytes, 'a.exr')).toMatchObject({ format: 'exr', mime: 'image/x-exr', widthPx: W, heightPx: H });
    const gray = await readGray(bytes, 'a.exr');
    const at = (x: number, y: number) => gray.data[y * W + x];
    const linear = (x: number, y: number) => 0.2126 * (x / W) + 0.7152 * (1 - y / H);
    // brighter to the right and upwards, and the ratio of two places is that of their light, gamma 2.2
    expect(at(30, 2)).toBeGreaterThan(at(5, 2));
    expect(at(5, 2)).toBeGreaterThan(at(5, 20));
    expect((at(10, 12) / at(20, 20)) ** 2.2).toBeCloseTo(linear(10, 12) / linear(20, 20), 3);
    expect(Math.max(...gray.data)).toBe(255);
    expect((await sharp(await previewJpeg(bytes, 'a.exr', 20)).metadata()).width).toBe(20);
  });

  test('a header of 30000 × 30000 is refused before anything is decoded; a cut one too', async () => {
    const bytes = Buffer.from(await writeStMapExr(map));
    const window = bytes.indexOf('dataWindow\0box2i\0') + 'dataWindow\0box2i\0'.length + 4;
    const huge = Buffer.from(bytes);
    huge.writeInt32LE(29_999, window + 8);
    huge.writeInt32LE(29_999, window + 12);
    await expect(readGray(huge, 'huge.exr')).rejects.toThrow(/huge\.exr: is 30000 × 30000; more than 200 megapixels/);
    // within the megapixels, and yet more than so few bytes can hold
    huge.writeInt32LE(13_999, window + 8);
    huge.writeInt32LE(13_999, window + 12);
    await expect(inspectPicture(huge, 'claims.exr')).rejects.toThrow(/claims\.exr: claims 14000 × 14000 pixels, which its \d+ bytes cannot hold/);
    await expect(readGray(bytes.subarray(0, 60), 'cut.exr')).rejects.toThrow(/broken header/);
    await expect(readGray(bytes.subarray(0, bytes.length / 2), 'half.exr')).rejects.toThrow(/half\.exr: is an OpenEXR file whose lines are not where it says/);
    const many = Buffer.from(bytes);
    many.writeUInt32LE(many.readUInt32LE(4) | 0x1000, 4);
    await expect(readGray(many, 'many.exr')).rejects.toThrow(/one flat picture/);
  });

  test('a length that is not there is refused: the decoder would look behind the end of the file for ever', async () => {
    const bytes = Buffer.from(await writeStMapExr(map));
    const sizeOf = (attribute: string) => bytes.indexOf(attribute) + attribute.length;
    for (const attribute of ['lineOrder\0lineOrder\0', 'screenWindowWidth\0float\0', 'channels\0chlist\0', 'compression\0compression\0'])
      for (const length of [0, 65_536, 0x7fffffff, 0xffffffff]) {
        const broken = Buffer.from(bytes);
        broken.writeUInt32LE(length, sizeOf(attribute));
        await expect(readGray(broken, 'b.exr')).rejects.toThrow(/b\.exr: is an OpenEXR file with a broken header/);
      }
    // a chunk that lies in the header, and one behind the end
    const table = headerEnd(bytes);
    for (const where of [0, 12, bytes.length, 2 ** 40]) {
      const broken = Buffer.from(bytes);
      broken.writeBigUInt64LE(BigInt(where), table);
      await expect(readGray(broken, 'b.exr')).rejects.toThrow(/whose lines are not where it says/);
    }
    await expect(readGray(bytes, 'whole.exr')).resolves.toMatchObject({ widthPx: W, heightPx: H });
  });
});

/** Where the table of chunks begins: walked here by the published layout, attribute by attribute. */
function headerEnd(bytes: Buffer): number {
  let at = 8;
  while (bytes[at] !== 0) {
    at = bytes.indexOf(0, at) + 1;
    at = bytes.indexOf(0, at) + 1;
    at += 4 + bytes.readUInt32LE(at);
  }
  return at + 1;
}

describe('what is no plate', () => {
  const png = () =>
    raw(64, 48, () => 128)
      .png()
      .toBuffer();
  test.each<[string, () => Promise<Buffer> | Buffer, RegExp]>([
    ['text', () => Buffer.from('hello, this is no picture'), /not a picture that can be read/],
    ['nothing', () => Buffer.alloc(0), /not a picture that can be read/],
    [
      'one pixel',
      () =>
        raw(1, 1, () => 0)
          .png()
          .toBuffer(),
      /is 1 × 1; a plate has at least/,
    ],
    [
      'printing colours',
      () =>
        sharp({ create: { width: 64, height: 48, channels: 3, background: '#808080' } })
          .toColourspace('cmyk')
          .jpeg()
          .toBuffer(),
      /printing colours/,
    ],
    [
      'an animation',
      async () => {
        const frames = [await png(), await png()];
        return sharp(frames, { join: { animated: true } })
          .gif()
          .toBuffer();
      },
      /is gif|holds 2 pictures/,
    ],
    [
      'a header of 30000 × 30000',
      async () => {
        const bytes = await png();
        bytes.writeUInt32BE(30_000, 16);
        bytes.writeUInt32BE(30_000, 20);
        return bytes;
      },
      /30000 × 30000; more than 200 megapixels|not a picture/,
    ],
  ])('%s is refused in words', async (_name, make, message) => {
    await expect(readGray(await make(), 'f.png')).rejects.toThrow(message);
  });
});

describe('what a file says of itself', () => {
  const written = (exif: object, w = 64, h = 48) =>
    raw(w, h, () => 100)
      .withExif(exif as never)
      .jpeg()
      .toBuffer();

  test('focal length, body, focus, size, digital zoom and time', async () => {
    const bytes = await written({
      IFD0: { Model: 'Tarvik H2' },
      IFD2: {
        FocalLength: '32/1',
        FocalLengthIn35mmFilm: '49',
        SubjectDistance: '250/100',
        LensModel: 'Orrinel 32',
        DigitalZoomRatio: '3/2',
        ExposureTime: '1/80',
        FNumber: '56/10',
        ISOSpeedRatings: '400',
        DateTimeOriginal: '2026:11:23 09:12:00',
        OffsetTimeOriginal: '+01:00',
      },
    });
    const notes = await readPictureNotes(bytes, { widthPx: 64, heightPx: 48 });
    expect(notes).toEqual({
      exposureS: 0.0125,
      fNumber: 5.6,
      iso: 400,
      widthPx: 64,
      heightPx: 48,
      // the writer puts its own size there
      shotWidthPx: 64,
      shotHeightPx: 48,
      focalMm: 32,
      focal35Mm: 49,
      focusM: 2.5,
      body: 'Tarvik H2',
      lens: 'Orrinel 32',
      digitalZoom: 1.5,
      shotAt: '2026-11-23T08:12:00.000Z',
    });
  });

  test('a silent file says nothing, a broken one too', async () => {
    expect(
      await readPictureNotes(
        await raw(64, 48, () => 100)
          .png()
          .toBuffer(),
      ),
    ).toBeNull();
    expect(await readPictureNotes(Buffer.from('no picture'))).toBeNull();
    expect(await readPictureNotes(await written({ IFD2: { FocalLength: '0/1', SubjectDistance: '4294967295/1' } }), { widthPx: 64, heightPx: 48 })).toMatchObject({
      focalMm: null,
      focusM: null,
      widthPx: 64,
    });
  });

  test('a picture that is turned by its orientation is read upright', async () => {
    const bytes = await raw(64, 48, (x) => 4 * x - (x > 0 ? 1 : 0))
      .withMetadata({ orientation: 6 })
      .jpeg({ quality: 100 })
      .toBuffer();
    expect(await inspectPicture(bytes, 'turned.jpg')).toMatchObject({ widthPx: 48, heightPx: 64 });
    const gray = await readGray(bytes, 'turned.jpg');
    // what was dark on the left is dark at the top
    expect(gray.data[5 * 48 + 20]).toBeLessThan(gray.data[55 * 48 + 20]);
  });
});

describe('clips', () => {
  const clip = path.join(dir, 'clip.mov');
  beforeAll(() => {
    // grey rises with time: 25 frames a second, 4 levels a frame
    execFileSync('ffmpeg', ['-v', 'error', '-f', 'lavfi', '-i', "color=c=black:s=128x96:r=25:d=2,format=gray,geq=lum='4*N'", '-c:v', 'mjpeg', '-q:v', '2', '-y', clip]);
  });

  test('one frame at a time is taken; without a time the middle', async () => {
    expect(await isClip(clip)).toBe(true);
    const early = await extractFrame(clip, 'clip.mov', 0.4);
    expect(early).toMatchObject({ atS: 0.4, widthPx: 128, heightPx: 96 });
    const grayOf = async (png: Buffer) => (await readGray(png, 'frame.png')).data[5000];
    const step = (await grayOf((await extractFrame(clip, 'clip.mov', 1.2)).png)) - (await grayOf(early.png));
    expect(Math.abs(step - 20 * 4)).toBeLessThan(3);
    expect((await extractFrame(clip, 'clip.mov', null)).atS).toBeCloseTo(1, 1);
  });

  test('past its end, cut off, or text with a clip’s name: refused in words', async () => {
    await expect(extractFrame(clip, 'clip.mov', 7)).rejects.toThrow(/is 2\.00 s long; there is no frame at 7\.00 s/);
    const cut = path.join(dir, 'cut.mov');
    writeFileSync(cut, Buffer.concat([Buffer.from([0, 0, 0, 20]), Buffer.from('ftypqt  '), Buffer.alloc(40)]));
    await expect(extractFrame(cut, 'cut.mov', null)).rejects.toThrow(/cut\.mov: cannot be read as a clip|without a picture/);
    const text = path.join(dir, 'text.mov');
    writeFileSync(text, '#EXTM3U\nfile:///etc/hostname\n');
    expect(await isClip(text)).toBe(false);
    await expect(extractFrame(text, 'text.mov', null)).rejects.toThrow(/cannot be read as a clip/);
  });

  /** Frame n is 8 n bright, so that a picture says which one it is. */
  const made = (name: string, rate: string, codec: string[], timing = '') => {
    const file = path.join(dir, name);
    execFileSync('ffmpeg', ['-v', 'error', '-f', 'lavfi', '-i', `color=c=black:s=128x96:r=${rate}:d=1.2,format=gray,geq=lum='8*N'${timing}`, ...codec, '-frames:v', '28', '-y', file]);
    return file;
  };
  const H264 = ['-c:v', 'libx264', '-crf', '4', '-bf', '2', '-g', '12', '-pix_fmt', 'yuv420p'];
  test.each(
    some<[string, string, string[], string]>(
      [
        ['mjpeg.mov', '25', ['-c:v', 'mjpeg', '-q:v', '2', '-color_range', 'pc'], ''],
        ['prores.mov', '24', ['-c:v', 'prores_ks', '-profile:v', '3'], ''],
        ['prores-ntsc.mov', '24000/1001', ['-c:v', 'prores_ks', '-profile:v', '3'], ''],
        ['h264.mp4', '24', H264, ''],
        ['h264-ntsc.mov', '24000/1001', H264, ''],
        ['varying.mp4', '25', [...H264, '-fps_mode', 'vfr'], ",setpts='if(lt(N,10),N,10+3*(N-10))/25/TB'"],
      ],
      4,
    ),
  )('frame n of %s is the n-th that is shown, and the last one is there', async (name, rate, codec, timing) => {
    const file = made(name, rate, codec, timing);
    const times = await frameTimes(file, name);
    expect(times.atS).toHaveLength(28);
    expect(times.varies).toBe(name === 'varying.mp4');
    const levelOf = async (jpeg: Buffer) => (await readGray(jpeg, 'frame.jpg')).data[5000];
    // limited range and a codec's rounding stretch the levels: which step of 8 it is, counted from the first frame
    const first = await levelOf(await clipFrameJpeg(file, name, 0, 128));
    const last = await levelOf(await clipFrameJpeg(file, name, 27, 128));
    const step = (last - first) / 27;
    expect(step).toBeGreaterThan(6);
    for (const n of LONG ? [1, 2, 9, 10, 11, 12, 20, 26] : [1, 10, 11, 26]) expect([n, Math.round(((await levelOf(await clipFrameJpeg(file, name, n, 128))) - first) / step)]).toEqual([n, n]);
    await expect(clipFrameJpeg(file, name, 28, 128)).rejects.toThrow(/has 28 frames; there is no frame 28/);
    // by time: the one that is on the screen then
    const shown = await extractFrame(file, name, (times.atS[11] + times.atS[12]) / 2);
    expect(shown.atS).toBeCloseTo(times.atS[11], 3);
  });
});

describe('small files that would be large', () => {
  const make = (name: string, args: string[]): string => {
    const file = path.join(dir, name);
    execFileSync('ffmpeg', ['-v', 'error', '-y', ...args, file]);
    return file;
  };
  test('sound at one sample a second would be hours: refused by its rate, alone and in a clip', async () => {
    const header = Buffer.alloc(44);
    header.write('RIFF', 0, 'latin1');
    header.writeUInt32LE(36 + 11_000, 4);
    header.write('WAVEfmt ', 8, 'latin1');
    header.writeUInt32LE(16, 16);
    header.writeUInt16LE(1, 20);
    header.writeUInt16LE(1, 22);
    header.writeUInt32LE(1, 24);
    header.writeUInt32LE(2, 28);
    header.writeUInt16LE(2, 32);
    header.writeUInt16LE(16, 34);
    header.write('data', 36, 'latin1');
    header.writeUInt32LE(11_000, 40);
    const file = path.join(dir, 'slow.wav');
    writeFileSync(file, Buffer.concat([header, Buffer.alloc(11_000)]));
    await expect(extractSound(file, 'slow.wav')).rejects.toThrow(/claims 1 samples of sound a second/);
  });

  test('a clip with frames of 108 megapixels is refused before one is decoded', async () => {
    const file = make('huge.mov', ['-f', 'lavfi', '-i', 'color=black:s=12000x9000:r=1', '-frames:v', '1', '-pix_fmt', 'gray', '-c:v', 'png']);
    await expect(extractFrame(file, 'huge.mov', 0)).rejects.toThrow(/huge\.mov: has frames of 12000 × 9000; more than 100 megapixels/);
    await expect(clipFrameJpeg(file, 'huge.mov', 0, 960)).rejects.toThrow(/more than 100 megapixels/);
  });

  test('twenty frames asked for at once: two programs run, the others wait, all are answered', async () => {
    const file = make('many.mp4', ['-f', 'lavfi', '-i', 'testsrc=s=320x180:r=24:d=2']);
    let most = 0;
    const watch = setInterval(() => {
      const mine = readdirSync('/proc').filter((p) => {
        try {
          const [, name, parent] = /^\d+ \((ff\w+)\) \w (\d+)/.exec(readFileSync(`/proc/${p}/stat`, 'utf8')) ?? [];
          return name !== undefined && Number(parent) === process.pid;
        } catch {
          return false;
        }
      });
      most = Math.max(most, mine.length);
    }, 5);
    const frames = await Promise.all(Array.from({ length: 20 }, (_, i) => clipFrameJpeg(file, 'many.mp4', i, 160)));
    clearInterval(watch);
    expect(new Set(frames.map((f) => f.toString('base64'))).size).toBe(20);
    expect(most).toBeGreaterThan(0);
    expect(most).toBeLessThanOrEqual(2);
  });
});
