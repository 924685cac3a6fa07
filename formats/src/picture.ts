import type { GrayImage } from '@mesure/core';
import { fromArrayBuffer, fromFile } from 'geotiff';
import { open, readFile, stat } from 'node:fs/promises';
import sharp, { type Metadata } from 'sharp';
import { exrSize, isExr, luminanceOf, mustHoldPixels, readExrLuminance, toDisplayScale } from './exr';
import { FormatError } from './format-error';

export { isExr } from './exr';
export { decodeClip, gatherPictures, openFrames, type DecodeOptions, type FramesFile } from './frames';
export { clipFrameJpeg, extractFrame, frameTimes, extractSound, isClip, isWav, probeClip, type ClipFrame, type ProbedClip } from './clip';

/** The largest picture that is decoded: a 12K plate is 80 megapixels; anything beyond is a picture bomb. */
export const MAX_PICTURE_PIXELS = 200_000_000;
/** Smaller than this nothing can be seen of a chart. */
const MIN_SIDE_PX = 8;

const KNOWN = new Map([
  ['jpeg', 'image/jpeg'],
  ['png', 'image/png'],
  ['tiff', 'image/tiff'],
]);

export interface PictureInfo {
  format: 'jpeg' | 'png' | 'tiff' | 'exr';
  mime: string;
  widthPx: number;
  heightPx: number;
  bits: number;
}

/**
 * What a picture file is, by its content and not by its name.
 * @throws FormatError when it is none of JPEG, PNG, TIFF, OpenEXR, is cut off, or is too small or too large to use
 */
export async function inspectPicture(source: Buffer | string, file: string): Promise<PictureInfo> {
  const head = await headOf(source);
  const exr = isExr(head) ? exrSize(head, file) : null;
  const info: PictureInfo = exr ? { format: 'exr', mime: 'image/x-exr', bits: 32, widthPx: exr.widthPx, heightPx: exr.heightPx } : await inspectWithSharp(source, file);
  const { widthPx, heightPx } = info;
  for (const size of [info, ...(exr ? [exr.written] : [])])
    if (size.widthPx * size.heightPx > MAX_PICTURE_PIXELS)
      throw new FormatError(file, null, null, `is ${size.widthPx} × ${size.heightPx}; more than ${MAX_PICTURE_PIXELS / 1e6} megapixels are not read`);
  if (exr) mustHoldPixels(typeof source === 'string' ? (await stat(source)).size : source.length, exr, file);
  if (!(widthPx >= MIN_SIDE_PX && heightPx >= MIN_SIDE_PX)) throw new FormatError(file, null, null, `is ${widthPx} × ${heightPx}; a plate has at least ${MIN_SIDE_PX} pixels a side`);
  return info;
}

async function inspectWithSharp(source: Buffer | string, file: string): Promise<PictureInfo> {
  let meta: Metadata;
  try {
    // its size is judged afterwards, in our words
    meta = await sharp(source, { limitInputPixels: false }).metadata();
  } catch {
    const bits = await bitsOfTiff(source);
    if (bits !== null) throw new FormatError(file, null, null, `is a TIFF of ${bits} bits a channel that is not read; 8 and 16 bits and float are: write it as 16 bits`);
    throw new FormatError(file, null, null, 'is not a picture that can be read (JPEG, PNG, TIFF or OpenEXR)');
  }
  const mime = KNOWN.get(meta.format ?? '');
  if (!mime || !meta.width || !meta.height) throw new FormatError(file, null, null, `is ${meta.format ?? 'unknown'}; a plate must be JPEG, PNG, TIFF or OpenEXR`);
  if ((meta.pages ?? 1) > 1) throw new FormatError(file, null, null, `holds ${meta.pages} pictures; give one`);
  if (meta.space === 'cmyk') throw new FormatError(file, null, null, 'is in printing colours (CMYK), so it is not what a camera wrote; give the original');
  if (!(meta.depth! in BITS)) throw new FormatError(file, null, null, `has numbers of the kind ${meta.depth} for its light; 8 and 16 bits and float are read`);
  const turned = (meta.orientation ?? 1) >= 5;
  return { format: meta.format as PictureInfo['format'], mime, widthPx: turned ? meta.height : meta.width, heightPx: turned ? meta.width : meta.height, bits: BITS[meta.depth ?? 'uchar'] ?? 8 };
}

/** Of a TIFF that the library does not open (twelve bits packed, as scanners and some cameras write them): how its numbers are kept; null where it is none. */
async function bitsOfTiff(source: Buffer | string): Promise<number | null> {
  const head = await headOf(source);
  if (!['II*\0', 'MM\0*'].includes(head.subarray(0, 4).toString('latin1'))) return null;
  try {
    const tiff = typeof source === 'string' ? await fromFile(source) : await fromArrayBuffer(Uint8Array.from(source).buffer);
    try {
      return (await tiff.getImage()).getBitsPerSample(0) ?? null;
    } finally {
      void tiff.close();
    }
  } catch {
    return null;
  }
}

/** Kinds of numbers that are light, and their bits. Of whole numbers of 32 bits nobody knows which one is white. */
const BITS: Readonly<Record<string, number>> = { uchar: 8, ushort: 16, float: 32 };

/** An OpenEXR header lies within the first part of the file. */
const HEAD_BYTES = 65_536;
async function headOf(source: Buffer | string): Promise<Buffer> {
  if (typeof source !== 'string') return source.subarray(0, HEAD_BYTES);
  const handle = await open(source);
  try {
    const { buffer, bytesRead } = await handle.read(Buffer.alloc(HEAD_BYTES), 0, HEAD_BYTES, 0);
    return buffer.subarray(0, bytesRead);
  } finally {
    await handle.close();
  }
}

/** Grey picture on the 0…255 scale, turned upright by its EXIF orientation. 16-bit files keep their steps; OpenEXR is shown as on a display. @throws FormatError */
export async function readGray(source: Buffer | string, file: string): Promise<GrayImage> {
  const info = await inspectPicture(source, file);
  if (info.format === 'exr') {
    const linear = readExrLuminance(typeof source === 'string' ? await readFile(source) : source, file);
    return { ...linear, data: toDisplayScale(linear.data) };
  }
  if (info.bits === 32) {
    const linear = luminanceOf(await readLinearTiff(source, file));
    return { ...linear, data: toDisplayScale(linear.data) };
  }
  const deep = info.bits === 16;
  return decoding(file, async () => {
    const pipeline = sharp(source, { limitInputPixels: MAX_PICTURE_PIXELS, failOn: 'error' })
      .autoOrient()
      .toColourspace(deep ? 'grey16' : 'b-w');
    const { data, info: out } = await pipeline.raw({ depth: deep ? 'ushort' : 'uchar' }).toBuffer({ resolveWithObject: true });
    const step = out.channels;
    const pixels = out.width * out.height;
    const size = { widthPx: out.width, heightPx: out.height };
    if (!deep) {
      // a plain copy: the library's own buffer may be a part of a larger one
      if (step === 1) return { ...size, data: new Uint8Array(data) };
      const gray = new Uint8Array(pixels);
      for (let i = 0; i < pixels; i += 1) gray[i] = data[i * step];
      return { ...size, data: gray };
    }
    const gray = new Float32Array(pixels);
    const words = new Uint16Array(data.buffer, data.byteOffset, data.byteLength / 2);
    for (let i = 0; i < pixels; i += 1) gray[i] = words[i * step] / 257;
    return { ...size, data: gray };
  });
}

/** A TIFF of float: linear light as red, green, blue and alpha. @throws FormatError */
export function readLinearTiff(source: Buffer | string, file: string): Promise<{ widthPx: number; heightPx: number; channels: 4; data: Float32Array }> {
  return decoding(file, async () => {
    const { data, info } = await sharp(source, { limitInputPixels: MAX_PICTURE_PIXELS, failOn: 'error' })
      .autoOrient()
      .toColourspace('scrgb')
      .raw({ depth: 'float' })
      .toBuffer({ resolveWithObject: true });
    const values = new Float32Array(data.buffer, data.byteOffset, data.byteLength / 4);
    const { width, height, channels } = info;
    const colours = channels >= 3 ? 3 : 1;
    const rgba = new Float32Array(4 * width * height);
    for (let i = 0; i < width * height; i += 1) {
      for (let c = 0; c < 3; c += 1) rgba[4 * i + c] = values[i * channels + Math.min(c, colours - 1)];
      rgba[4 * i + 3] = channels > colours ? values[i * channels + colours] : 1;
    }
    return { widthPx: width, heightPx: height, channels: 4 as const, data: rgba };
  });
}

/** What the picture library finds fault with, as the file's fault. */
async function decoding<T>(file: string, work: () => Promise<T>): Promise<T> {
  try {
    return await work();
  } catch (cause) {
    throw new FormatError(file, null, null, `cannot be decoded: ${cause instanceof Error ? cause.message.split('\n')[0] : 'unknown reason'}`);
  }
}

/** A JPEG for looking at, at most so wide. @throws FormatError */
export async function previewJpeg(source: Buffer, file: string, widthPx: number): Promise<Buffer> {
  let picture = sharp(source, { limitInputPixels: MAX_PICTURE_PIXELS });
  if (isExr(source) || (await inspectPicture(source, file)).bits === 32) {
    const gray = await readGray(source, file);
    picture = sharp(Uint8Array.from(gray.data), { raw: { width: gray.widthPx, height: gray.heightPx, channels: 1 } });
  }
  return decoding(file, () => picture.autoOrient().resize({ width: widthPx, withoutEnlargement: true }).toColourspace('srgb').jpeg({ quality: 82 }).toBuffer());
}
