import { FloatType, RGBAFormat } from 'three';
import { EXRLoader } from 'three/examples/jsm/loaders/EXRLoader.js';
import { FormatError } from './format-error';

const MAGIC = [0x76, 0x2f, 0x31, 0x01];
const DEEP_OR_MANY = 0x1800;

export const isExr = (bytes: Uint8Array): boolean => MAGIC.every((b, i) => bytes[i] === b);

/** Bytes of an attribute's value by its type; others say their own length. Source: OpenEXR file layout, predefined attribute types. */
const TYPE_BYTES: Readonly<Record<string, number>> = {
  ...{ box2i: 16, box2f: 16, chromaticities: 32, compression: 1, double: 8, envmap: 1, float: 4, int: 4, keycode: 28, lineOrder: 1 },
  ...{ m33f: 36, m44f: 64, rational: 8, tiledesc: 9, timecode: 8, v2f: 8, v2i: 8, v3f: 12, v3i: 12 },
};
/** Lines of a chunk by its compression: none, RLE, ZIPS, ZIP, PIZ, PXR24, B44, B44A, DWAA, DWAB. */
const CHUNK_LINES = [1, 1, 1, 16, 32, 16, 32, 32, 32, 256];
const TILED = 0x200;

interface Header {
  widthPx: number;
  heightPx: number;
  compression: number;
  channels: number;
  tiled: boolean;
  /** first byte behind it */
  endAt: number;
}

/**
 * The header of an OpenEXR file, attribute by attribute, without decoding a pixel; `enough` ends the walk early.
 * Source  OpenEXR file layout: magic, version and flags, then attributes "name\0type\0size value" up to an empty name.
 * @throws FormatError
 */
function walkHeader(bytes: Uint8Array, file: string, enough: (h: Header) => boolean): Header {
  const cut = () => new FormatError(file, null, null, 'is an OpenEXR file with a broken header');
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  if (bytes.length < 12) throw cut();
  const flags = view.getUint32(4, true);
  if (flags & DEEP_OR_MANY) throw new FormatError(file, null, null, 'is a deep or many-part OpenEXR file; give one flat picture');
  const found: Header = { widthPx: 0, heightPx: 0, compression: -1, channels: 0, tiled: (flags & TILED) !== 0, endAt: 0 };
  let at = 8;
  const text = (): string => {
    const end = bytes.indexOf(0, at);
    if (end < 0 || end - at > 255) throw cut();
    const s = Buffer.from(bytes.subarray(at, end)).toString('latin1');
    at = end + 1;
    return s;
  };
  for (let name = text(); name !== ''; name = text()) {
    const type = text();
    if (at + 4 > bytes.length) throw cut();
    const size = view.getUint32(at, true);
    at += 4;
    const end = at + size;
    if (end > bytes.length || size !== (TYPE_BYTES[type] ?? size)) throw cut();
    if (name === 'dataWindow' && type === 'box2i') {
      found.widthPx = view.getInt32(at + 8, true) - view.getInt32(at, true) + 1;
      found.heightPx = view.getInt32(at + 12, true) - view.getInt32(at + 4, true) + 1;
    } else if (name === 'compression') found.compression = bytes[at];
    else if (name === 'channels') {
      // name, type, whether it is linear, and how it is sampled
      for (let channel = text(); channel !== ''; channel = text()) {
        found.channels += 1;
        at += 16;
        if (at >= end) throw cut();
      }
      if (at !== end) throw cut();
    }
    at = end;
    if (enough(found)) break;
  }
  found.endAt = at;
  return found;
}

/** Size of the data window, from the beginning of a file. @throws FormatError */
export function exrSize(head: Uint8Array, file: string): { widthPx: number; heightPx: number } {
  // what stands behind it (a small preview, what a camera notes) may be longer than the beginning that was read
  const { widthPx, heightPx } = walkHeader(head, file, (h) => h.widthPx !== 0 || h.heightPx !== 0);
  if (widthPx === 0 && heightPx === 0) throw new FormatError(file, null, null, 'is an OpenEXR file with a broken header');
  return { widthPx, heightPx };
}

/**
 * A whole file before it is decoded: a reader that believes a length that is not there runs on behind the end for ever.
 * Source  OpenEXR file layout: behind the header stands where each chunk of lines begins, as 64-bit numbers.
 * @throws FormatError
 */
function mustBeWhole(bytes: Uint8Array, file: string): void {
  const h = walkHeader(bytes, file, () => false);
  if (h.channels === 0 || h.compression < 0 || h.compression >= CHUNK_LINES.length || h.widthPx < 1 || h.heightPx < 1)
    throw new FormatError(file, null, null, 'is an OpenEXR file with a broken header');
  if (h.tiled) return;
  const chunks = Math.ceil(h.heightPx / CHUNK_LINES[h.compression]);
  const behind = h.endAt + 8 * chunks;
  const damaged = () => new FormatError(file, null, null, 'is an OpenEXR file whose lines are not where it says; it is cut off or damaged');
  if (behind > bytes.length) throw damaged();
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  for (let i = 0; i < chunks; i += 1) {
    const where = Number(view.getBigUint64(h.endAt + 8 * i, true));
    if (where < behind || where + 8 > bytes.length) throw damaged();
  }
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
  mustBeWhole(bytes, file);
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
