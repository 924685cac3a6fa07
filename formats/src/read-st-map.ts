import type { StMap } from '@mesure/core';
import { fromArrayBuffer, type GeoTIFFImage } from 'geotiff';
import { exrDepth, isExr, readExrRgba } from './exr';
import { FormatError } from './format-error';
import { MAX_PICTURE_PIXELS } from './picture';

export interface ReadMap {
  map: StMap;
  /** largest error of a value by how it was written: of a half near 1, of 16 bits; 0 for 32-bit float */
  roundedTo: number;
}

/** A half has eleven digits of two, and writers cut off rather than round: near 1 it is off by up to one. */
const OF_HALF = 2 ** -11;

/**
 * The first two channels of an OpenEXR or TIFF as a map. Without a value are places whose alpha is 0, that are no number, or where both are
 * exactly 0.
 * @throws FormatError
 */
export async function readStMap(bytes: Uint8Array, file: string): Promise<ReadMap> {
  if (isExr(bytes)) {
    const { widthPx, heightPx, data } = readExrRgba(bytes, file, 'written');
    return { map: { widthPx, heightPx, data: places(data, 4, true) }, roundedTo: exrDepth(bytes, file) === 'half' ? OF_HALF : 0 };
  }
  return readTiffMap(bytes, file);
}

async function readTiffMap(bytes: Uint8Array, file: string): Promise<ReadMap> {
  const broken = (why: string) => new FormatError(file, null, null, why);
  let tiff: Awaited<ReturnType<typeof fromArrayBuffer>>;
  let image: Awaited<ReturnType<typeof tiff.getImage>>;
  try {
    tiff = await fromArrayBuffer(bytes.slice().buffer);
    image = await tiff.getImage();
  } catch {
    throw broken('is neither OpenEXR nor TIFF; an ST map is read from these, or coefficients from JSON');
  }
  const [widthPx, heightPx, samples] = [image.getWidth(), image.getHeight(), image.getSamplesPerPixel()];
  if (widthPx * heightPx > MAX_PICTURE_PIXELS) throw broken(`is ${widthPx} × ${heightPx}; more than ${MAX_PICTURE_PIXELS / 1e6} megapixels are not read`);
  if (samples < 2) throw broken('has one channel; an ST map has two: how far across, and how far up');
  const float = image.getSampleFormat(0) === 3;
  const bits = image.getBitsPerSample(0);
  if (bits < 16) throw broken(`has ${bits} bits a channel: its steps are ${Math.round(widthPx / 2 ** bits)} pixels wide. Ask for the map in 32-bit float`);
  if (!float && bits !== 16) throw broken(`has whole numbers of ${bits} bits; float, half or 16 bits are read`);
  // a part that lies beyond the end would be read as nothing
  const parts = await whereabouts(image);
  if (parts.some(([at, length]) => at + length > bytes.length)) throw broken('is cut off');
  let rasters: ArrayLike<number>;
  try {
    rasters = (await image.readRasters({ interleave: true })) as unknown as ArrayLike<number>;
  } catch (cause) {
    throw broken(`cannot be decoded: ${cause instanceof Error ? cause.message.split('\n')[0] : 'unknown reason'}`);
  }
  if (rasters.length < samples * widthPx * heightPx) throw broken('is cut off');
  const scale = float ? 1 : 1 / 65_535;
  const data = new Float32Array(rasters.length);
  for (let i = 0; i < data.length; i += 1) data[i] = rasters[i] * scale;
  return { map: { widthPx, heightPx, data: places(data, samples, false) }, roundedTo: float ? (bits === 16 ? OF_HALF : 0) : 0.5 / 65_535 };
}

function places(data: Float32Array, channels: number, alpha: boolean): Float32Array {
  const out = new Float32Array((2 * data.length) / channels);
  for (let k = 0, i = 0; k < data.length; k += channels, i += 2) {
    const none = (alpha && data[k + 3] === 0) || (data[k] === 0 && data[k + 1] === 0);
    out[i] = none ? Number.NaN : data[k];
    out[i + 1] = none ? Number.NaN : data[k + 1];
  }
  return out;
}

/** Where each strip or tile lies in the file, and how long it is. Source  TIFF 6.0, sections 8 and 15. */
async function whereabouts(image: GeoTIFFImage): Promise<[number, number][]> {
  const directory = image.fileDirectory;
  const list = async (tag: number): Promise<number[]> => {
    const value = directory.hasTag(tag) ? ((await directory.loadValue(tag)) as ArrayLike<number> | number) : [];
    return typeof value === 'number' ? [value] : Array.from(value);
  };
  const [offsets, lengths] = directory.hasTag(324) ? [324, 325] : [273, 279];
  const [at, length] = await Promise.all([list(offsets), list(lengths)]);
  return at.map((a, i) => [a, length[i] ?? 0]);
}
