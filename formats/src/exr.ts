import { FloatType, RGBAFormat } from 'three';
import { EXRLoader } from 'three/examples/jsm/loaders/EXRLoader.js';
import { FormatError } from './format-error';

const MAGIC = [0x76, 0x2f, 0x31, 0x01];
const DEEP_OR_MANY = 0x1800;

export const isExr = (bytes: Uint8Array): boolean => MAGIC.every((b, i) => bytes[i] === b);

/**
 * Size of the data window from an OpenEXR header, without decoding a pixel.
 * Source  OpenEXR file layout: magic, version and flags, then attributes "name\0type\0size value" up to an empty name.
 * @throws FormatError
 */
export function exrSize(bytes: Uint8Array, file: string): { widthPx: number; heightPx: number } {
  const cut = () => new FormatError(file, null, null, 'is an OpenEXR file with a broken header');
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  if (bytes.length < 12) throw cut();
  if (view.getUint32(4, true) & DEEP_OR_MANY) throw new FormatError(file, null, null, 'is a deep or many-part OpenEXR file; give one flat picture');
  let at = 8;
  const text = (): string => {
    const end = bytes.indexOf(0, at);
    if (end < 0 || end - at > 255) throw cut();
    const s = Buffer.from(bytes.subarray(at, end)).toString('latin1');
    at = end + 1;
    return s;
  };
  while (at < bytes.length) {
    const name = text();
    if (name === '') break;
    text();
    if (at + 4 > bytes.length) throw cut();
    const size = view.getUint32(at, true);
    at += 4;
    if (name === 'dataWindow') {
      if (size !== 16 || at + 16 > bytes.length) throw cut();
      return { widthPx: view.getInt32(at + 8, true) - view.getInt32(at, true) + 1, heightPx: view.getInt32(at + 12, true) - view.getInt32(at + 4, true) + 1 };
    }
    at += size;
  }
  throw cut();
}

/** Packed pixels are at most so much smaller than they are: what a file of so many bytes cannot hold was never written into it. */
const MOST_PACKED = 1100;
/** A pixel has at least one channel of two bytes. */
const LEAST_PIXEL_BYTES = 2;

/** Before a pixel is decoded: a header of a few bytes may claim a picture of gigabytes. @throws FormatError */
export function mustHoldPixels(fileBytes: number, { widthPx, heightPx }: { widthPx: number; heightPx: number }, file: string): void {
  if (widthPx * heightPx * LEAST_PIXEL_BYTES > fileBytes * MOST_PACKED)
    throw new FormatError(file, null, null, `claims ${widthPx} × ${heightPx} pixels, which its ${fileBytes} bytes cannot hold; it is cut off or made up`);
}

/** Scene-linear red, green, blue and alpha, top row first. @throws FormatError */
export function readExrRgba(bytes: Uint8Array, file: string): { widthPx: number; heightPx: number; channels: 4; data: Float32Array } {
  mustHoldPixels(bytes.length, exrSize(bytes, file), file);
  let decoded: { width: number; height: number; data: Float32Array; format: number };
  try {
    const loader = new EXRLoader().setDataType(FloatType);
    decoded = loader.parse(bytes.buffer.slice(bytes.byteOffset, bytes.byteOffset + bytes.byteLength) as ArrayBuffer) as unknown as typeof decoded;
  } catch (cause) {
    throw new FormatError(file, null, null, `cannot be decoded as OpenEXR: ${cause instanceof Error ? cause.message.split('\n')[0] : 'unknown reason'}`);
  }
  const { width, height, data: raw } = decoded;
  const gray = decoded.format !== RGBAFormat;
  const data = new Float32Array(4 * width * height);
  for (let y = 0; y < height; y += 1) {
    // the loader gives the bottom row first
    let from = (gray ? 1 : 4) * width * (height - 1 - y);
    for (let to = 4 * y * width; to < 4 * (y + 1) * width; to += 4, from += gray ? 1 : 4) {
      data[to] = raw[from];
      data[to + 1] = gray ? raw[from] : raw[from + 1];
      data[to + 2] = gray ? raw[from] : raw[from + 2];
      data[to + 3] = gray ? 1 : raw[from + 3];
    }
  }
  return { widthPx: width, heightPx: height, channels: 4, data };
}

/** Scene-linear luminance, top row first; alpha is not looked at. @throws FormatError */
export function readExrLuminance(bytes: Uint8Array, file: string): { widthPx: number; heightPx: number; data: Float32Array } {
  const { widthPx, heightPx, data: rgba } = readExrRgba(bytes, file);
  const data = new Float32Array(widthPx * heightPx);
  for (let i = 0, k = 0; i < data.length; i += 1, k += 4) data[i] = 0.2126 * rgba[k] + 0.7152 * rgba[k + 1] + 0.0722 * rgba[k + 2];
  return { widthPx, heightPx, data };
}

/** The share of pixels that may be brighter than white: lamps in the picture must not make the chart dark. */
const HIGHLIGHT_SHARE = 0.005;

/** Linear light to the 0…255 scale of a displayed picture: white at the 99.5th percentile, gamma 1 / 2.2. In place. */
export function toDisplayScale(data: Float32Array): Float32Array {
  const sample = everyNth(data, Math.max(1, Math.floor(data.length / 65_536)));
  const white = Math.max(1e-9, sample[Math.floor((1 - HIGHLIGHT_SHARE) * (sample.length - 1))] ?? 1);
  for (let i = 0; i < data.length; i += 1) {
    const v = data[i] / white;
    data[i] = v > 0 ? 255 * Math.min(1, v) ** (1 / 2.2) : 0;
  }
  return data;
}

function everyNth(data: Float32Array, stride: number): Float32Array {
  const taken = new Float32Array(Math.ceil(data.length / stride));
  for (let i = 0; i < taken.length; i += 1) taken[i] = data[i * stride];
  return taken.filter(Number.isFinite).sort();
}
