import type { Raster } from '@mesure/core';
import sharp from 'sharp';
import { DataTexture, FloatType, HalfFloatType, RGBAFormat } from 'three';
import { EXRExporter, ZIP_COMPRESSION } from 'three/examples/jsm/exporters/EXRExporter.js';
import { FormatError } from './format-error';
import { isExr, readExrRgba } from './exr';
import { inspectPicture, MAX_PICTURE_PIXELS, readLinearTiff } from './picture';

export type PictureRaster = Raster<Uint8Array> | Raster<Uint16Array> | Raster<Float32Array>;

/** The picture itself, with its colours and its depth, upright. OpenEXR stays linear. @throws FormatError */
export async function readRaster(bytes: Buffer, file: string): Promise<PictureRaster> {
  const info = await inspectPicture(bytes, file);
  if (isExr(bytes)) return readExrRgba(bytes, file, 'picture');
  if (info.bits === 32) return readLinearTiff(bytes, file);
  const deep = info.bits === 16;
  try {
    const { data, info: out } = await sharp(bytes, { limitInputPixels: MAX_PICTURE_PIXELS, failOn: 'error' })
      .autoOrient()
      .toColourspace(deep ? 'rgb16' : 'srgb')
      .removeAlpha()
      .raw({ depth: deep ? 'ushort' : 'uchar' })
      .toBuffer({ resolveWithObject: true });
    const size = { widthPx: out.width, heightPx: out.height, channels: out.channels };
    return deep ? { ...size, data: new Uint16Array(data.buffer, data.byteOffset, data.byteLength / 2) } : { ...size, data: new Uint8Array(data) };
  } catch (cause) {
    throw new FormatError(file, null, null, `cannot be decoded: ${cause instanceof Error ? cause.message.split('\n')[0] : 'unknown reason'}`);
  }
}

/** PNG with the depth of the samples, or 16-bit-float OpenEXR where they are linear light. */
export async function writeRaster(picture: PictureRaster): Promise<{ bytes: Buffer; extension: 'png' | 'exr'; mime: string }> {
  const { widthPx, heightPx, channels, data } = picture;
  if (data instanceof Float32Array) {
    const flipped = new Float32Array(data.length);
    const row = widthPx * channels;
    // the exporter reads textures from the bottom row upwards
    for (let y = 0; y < heightPx; y += 1) flipped.set(data.subarray(y * row, (y + 1) * row), (heightPx - 1 - y) * row);
    const texture = new DataTexture(flipped, widthPx, heightPx, RGBAFormat, FloatType);
    const bytes = Buffer.from(await new EXRExporter().parse(texture, { type: HalfFloatType, compression: ZIP_COMPRESSION }));
    return { bytes, extension: 'exr', mime: 'image/x-exr' };
  }
  const bytes = await sharp(data, { raw: { width: widthPx, height: heightPx, channels: channels as 1 | 3 | 4 }, limitInputPixels: false })
    .toColourspace(data instanceof Uint16Array ? 'rgb16' : 'srgb')
    .png({ compressionLevel: 6 })
    .toBuffer();
  return { bytes, extension: 'png', mime: 'image/png' };
}
