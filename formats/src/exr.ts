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

interface Window {
  left: number;
  top: number;
  widthPx: number;
  heightPx: number;
}
interface Header {
  /** the pixels that are written */
  data: Window | null;
  /** the picture as it is shown; the written ones may be fewer, or lie beyond it */
  display: Window | null;
  compression: number;
  /** name and kind of each (0: whole numbers, 1: half, 2: float), and whether it has every pixel */
  channels: { name: string; kind: number; whole: boolean }[];
  tiled: boolean;
  /** frames a second, and the timecode of this one as SMPTE packs it, where it says them */
  rate: { num: number; denom: number } | null;
  timecode: number | null;
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
  const found: Header = { data: null, display: null, compression: -1, channels: [], tiled: (flags & TILED) !== 0, rate: null, timecode: null, endAt: 0 };
  const windowAt = (from: number): Window => {
    const [left, top, right, bottom] = [0, 4, 8, 12].map((k) => view.getInt32(from + k, true));
    return { left, top, widthPx: right - left + 1, heightPx: bottom - top + 1 };
  };
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
    if (name === 'dataWindow' && type === 'box2i') found.data = windowAt(at);
    else if (name === 'displayWindow' && type === 'box2i') found.display = windowAt(at);
    else if (name === 'framesPerSecond' && type === 'rational') found.rate = { num: view.getInt32(at, true), denom: view.getUint32(at + 4, true) };
    else if (name === 'timeCode' && type === 'timecode') found.timecode = view.getUint32(at, true);
    else if (name === 'compression') found.compression = bytes[at];
    else if (name === 'channels') {
      // name, type, whether it is linear, and how it is sampled
      for (let channel = text(); channel !== ''; channel = text()) {
        if (at + 16 >= end) throw cut();
        found.channels.push({ name: channel, kind: view.getUint32(at, true), whole: view.getUint32(at + 8, true) === 1 && view.getUint32(at + 12, true) === 1 });
        at += 16;
      }
      if (at !== end) throw cut();
    }
    at = end;
    if (enough(found)) break;
  }
  found.endAt = at;
  return found;
}

/** Of an edge: more than any picture has, and little enough that a product of two is exact. */
const MOST_EDGE = 1 << 24;
const isWindow = (w: Window | null): w is Window => w !== null && w.widthPx >= 1 && w.heightPx >= 1 && w.widthPx < MOST_EDGE && w.heightPx < MOST_EDGE;

export interface ExrSize {
  /** of the picture that is shown */
  widthPx: number;
  heightPx: number;
  /** what the file must hold */
  written: { widthPx: number; heightPx: number };
}
/** Size of the picture, from the beginning of a file. @throws FormatError */
export function exrSize(head: Uint8Array, file: string): ExrSize {
  // what stands behind them (a small preview, what a camera notes) may be longer than the beginning that was read
  const { data, display } = walkHeader(head, file, (h) => h.data !== null && h.display !== null);
  if (!isWindow(data) || (display !== null && !isWindow(display))) throw new FormatError(file, null, null, 'is an OpenEXR file with a broken header');
  const { widthPx, heightPx } = display ?? data;
  return { widthPx, heightPx, written: { widthPx: data.widthPx, heightPx: data.heightPx } };
}

const MOST_FPS = 2000;

/**
 * What a picture of a sequence says of time; null where it says nothing, or what no clock shows.
 * Source  OpenEXR standard attributes `framesPerSecond` and `timeCode`; the packing is that of SMPTE ST 12 for 60-field television: frames in bits
 *         0 to 5, drop frame in 6, seconds in 8 to 14, minutes in 16 to 22, hours in 24 to 29, each in two decimal digits of four and two or three bits.
 * @throws FormatError
 */
export function exrTimes(bytes: Uint8Array, file: string): { fps: number | null; timecode: string | null } {
  const { rate, timecode: packed } = walkHeader(bytes, file, () => false);
  const fps = rate && rate.denom > 0 ? rate.num / rate.denom : Number.NaN;
  let timecode: string | null = null;
  if (packed !== null) {
    const digits = (shift: number, tens: number) => 10 * ((packed >>> (shift + 4)) & tens) + ((packed >>> shift) & 15);
    const [frames, seconds, minutes, hours] = [digits(0, 3), digits(8, 7), digits(16, 7), digits(24, 3)];
    const two = (v: number) => String(v).padStart(2, '0');
    // all noughts is what a program writes that knows of no clock
    if (packed !== 0 && seconds < 60 && minutes < 60 && hours < 24) timecode = `${two(hours)}:${two(minutes)}:${two(seconds)}${(packed & 64) !== 0 ? ';' : ':'}${two(frames)}`;
  }
  return { fps: fps > 0 && fps <= MOST_FPS ? fps : null, timecode };
}

/**
 * A whole file before it is decoded: a reader that believes a length that is not there runs on behind the end for ever.
 * Source  OpenEXR file layout: behind the header stands where each chunk of lines begins, as 64-bit numbers.
 * @throws FormatError
 */
function mustBeWhole(bytes: Uint8Array, file: string): { data: Window; display: Window } {
  const h = walkHeader(bytes, file, () => false);
  if (h.channels.length === 0 || h.compression < 0 || h.compression >= CHUNK_LINES.length || !isWindow(h.data) || (h.display !== null && !isWindow(h.display)))
    throw new FormatError(file, null, null, 'is an OpenEXR file with a broken header');
  mustBePicture(h, file);
  const windows = { data: h.data, display: h.display ?? h.data };
  if (h.tiled) return windows;
  const chunks = Math.ceil(h.data.heightPx / CHUNK_LINES[h.compression]);
  const behind = h.endAt + 8 * chunks;
  const damaged = () => new FormatError(file, null, null, 'is an OpenEXR file whose lines are not where it says; it is cut off or damaged');
  if (behind > bytes.length) throw damaged();
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  for (let i = 0; i < chunks; i += 1) {
    const where = Number(view.getBigUint64(h.endAt + 8 * i, true));
    if (where < behind || where + 8 > bytes.length) throw damaged();
  }
  return windows;
}

/** The reader knows red, green, blue, alpha and luminance, in half or float; of anything else it would make a black picture. @throws FormatError */
function mustBePicture({ channels }: Header, file: string): void {
  const named = (name: string) => channels.find((c) => c.name === name);
  const said = channels
    .map((c) => c.name)
    .slice(0, 8)
    .join(', ');
  const used = ['R', 'G', 'B'].every(named) ? ['R', 'G', 'B'] : named('Y') ? ['Y'] : null;
  if (!used) {
    const layers = channels.some((c) => c.name.includes('.'));
    throw new FormatError(file, null, null, `has the channels ${said}; R, G and B, or Y, are read${layers ? ': of a file with layers or two views give one, with its channels named so' : ''}`);
  }
  for (const name of used) {
    const c = named(name)!;
    if (c.kind === 0) throw new FormatError(file, null, null, `has whole numbers in ${name}, which are no light; half or float are read`);
    if (!c.whole) throw new FormatError(file, null, null, `has ${name} at fewer places than it has pixels; give it whole`);
  }
}

/** Packed pixels are at most so much smaller than they are: what a file of so many bytes cannot hold was never written into it. */
const MOST_PACKED = 1100;
/** A pixel has at least one channel of two bytes. */
const LEAST_PIXEL_BYTES = 2;

/** Before a pixel is decoded: a header of a few bytes may claim a picture of gigabytes. @throws FormatError */
export function mustHoldPixels(fileBytes: number, { written: { widthPx, heightPx } }: Pick<ExrSize, 'written'>, file: string): void {
  if (widthPx * heightPx * LEAST_PIXEL_BYTES > fileBytes * MOST_PACKED)
    throw new FormatError(file, null, null, `claims ${widthPx} × ${heightPx} pixels, which its ${fileBytes} bytes cannot hold; it is cut off or made up`);
}

/**
 * Scene-linear red, green, blue and alpha, top row first: all pixels that are written, or those of the picture, black where none is.
 * @throws FormatError
 */
export function readExrRgba(bytes: Uint8Array, file: string, which: 'written' | 'picture' = 'written'): { widthPx: number; heightPx: number; channels: 4; data: Float32Array } {
  mustHoldPixels(bytes.length, exrSize(bytes, file), file);
  const windows = mustBeWhole(bytes, file);
  const written = windows.data;
  const display = which === 'picture' ? windows.display : written;
  let decoded: { width: number; height: number; data: Float32Array; format: number };
  try {
    const loader = new EXRLoader().setDataType(FloatType);
    decoded = loader.parse(bytes.buffer.slice(bytes.byteOffset, bytes.byteOffset + bytes.byteLength) as ArrayBuffer) as unknown as typeof decoded;
  } catch (cause) {
    throw new FormatError(file, null, null, `cannot be decoded as OpenEXR: ${cause instanceof Error ? cause.message.split('\n')[0] : 'unknown reason'}`);
  }
  if (decoded.width !== written.widthPx || decoded.height !== written.heightPx) throw new FormatError(file, null, null, 'is an OpenEXR file with a broken header');
  const gray = decoded.format !== RGBAFormat;
  const raw = decoded.data;
  const { widthPx: width, heightPx: height } = display;
  // black where nothing is written; what is written beyond the picture is not of it
  const data = new Float32Array(4 * width * height);
  const first = Math.max(0, written.left - display.left);
  const end = Math.min(width, written.left + written.widthPx - display.left);
  for (let y = 0; y < height; y += 1) {
    const line = y + display.top - written.top;
    if (line < 0 || line >= written.heightPx) continue;
    // the loader gives the bottom row first
    let from = (gray ? 1 : 4) * (written.widthPx * (written.heightPx - 1 - line) + first + display.left - written.left);
    for (let to = 4 * (y * width + first); to < 4 * (y * width + end); to += 4, from += gray ? 1 : 4) {
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
  return luminanceOf(readExrRgba(bytes, file, 'picture'));
}

/** Luminance of linear light with the primaries of ITU-R BT.709; alpha is not looked at. */
export function luminanceOf({ widthPx, heightPx, data: rgba }: { widthPx: number; heightPx: number; data: Float32Array }): { widthPx: number; heightPx: number; data: Float32Array } {
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

/** How its numbers are written; of several the coarser. @throws FormatError */
export function exrDepth(bytes: Uint8Array, file: string): 'half' | 'float' {
  const { channels } = walkHeader(bytes, file, () => false);
  return channels.some((c) => (c.name === 'R' || c.name === 'G') && c.kind === 1) ? 'half' : 'float';
}
