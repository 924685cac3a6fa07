import type { GrayImage } from '@mesure/core';
import sharp, { type Metadata } from 'sharp';
import { FormatError } from './format-error';

/** The largest picture that is decoded: a 12K plate is 80 megapixels; anything beyond is a picture bomb. */
export const MAX_PICTURE_PIXELS = 200_000_000;

const KNOWN = new Map([
  ['jpeg', 'image/jpeg'],
  ['png', 'image/png'],
  ['tiff', 'image/tiff'],
]);

export interface PictureInfo {
  format: 'jpeg' | 'png' | 'tiff';
  mime: string;
  widthPx: number;
  heightPx: number;
  bits: number;
}

/**
 * What a picture file is, by its content and not by its name.
 * @throws FormatError when it is none of JPEG, PNG, TIFF, is cut off, or is too large to decode
 */
export async function inspectPicture(source: Buffer | string, file: string): Promise<PictureInfo> {
  let meta: Metadata;
  try {
    meta = await sharp(source, { limitInputPixels: MAX_PICTURE_PIXELS }).metadata();
  } catch {
    throw new FormatError(file, null, null, 'is not a picture that can be read (JPEG, PNG or TIFF)');
  }
  const mime = KNOWN.get(meta.format ?? '');
  if (!mime || !meta.width || !meta.height) throw new FormatError(file, null, null, `is ${meta.format ?? 'unknown'}; a plate must be JPEG, PNG or TIFF`);
  if (meta.width * meta.height > MAX_PICTURE_PIXELS) throw new FormatError(file, null, null, `is ${meta.width} × ${meta.height}; more than ${MAX_PICTURE_PIXELS / 1e6} megapixels are not read`);
  if ((meta.pages ?? 1) > 1) throw new FormatError(file, null, null, `holds ${meta.pages} pictures; give one`);
  const turned = (meta.orientation ?? 1) >= 5;
  return { format: meta.format as PictureInfo['format'], mime, widthPx: turned ? meta.height : meta.width, heightPx: turned ? meta.width : meta.height, bits: meta.depth === 'ushort' ? 16 : 8 };
}

/** Grey picture on the 0…255 scale, turned upright by its EXIF orientation. 16-bit files keep their steps. @throws FormatError */
export async function readGray(source: Buffer | string, file: string): Promise<GrayImage> {
  const info = await inspectPicture(source, file);
  const deep = info.bits === 16;
  try {
    const pipeline = sharp(source, { limitInputPixels: MAX_PICTURE_PIXELS, failOn: 'error' })
      .autoOrient()
      .toColourspace(deep ? 'grey16' : 'b-w');
    const { data, info: out } = await pipeline.raw({ depth: deep ? 'ushort' : 'uchar' }).toBuffer({ resolveWithObject: true });
    const step = out.channels;
    const pixels = out.width * out.height;
    const gray = new Float32Array(pixels);
    if (deep) {
      const words = new Uint16Array(data.buffer, data.byteOffset, data.byteLength / 2);
      for (let i = 0; i < pixels; i += 1) gray[i] = words[i * step] / 257;
    } else for (let i = 0; i < pixels; i += 1) gray[i] = data[i * step];
    return { widthPx: out.width, heightPx: out.height, data: gray };
  } catch (cause) {
    throw new FormatError(file, null, null, `cannot be decoded: ${cause instanceof Error ? cause.message.split('\n')[0] : 'unknown reason'}`);
  }
}
