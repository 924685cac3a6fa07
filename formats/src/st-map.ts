import type { StMap } from '@mesure/core';
import { writeArrayBuffer } from 'geotiff';
import { DataTexture, FloatType, RGBAFormat } from 'three';
import { EXRExporter, ZIP_COMPRESSION } from 'three/examples/jsm/exporters/EXRExporter.js';

export { readStMap, type ReadMap } from './read-st-map';

/**
 * ST map as 32-bit OpenEXR: s in red, t in green; blue is 0, alpha is 0 where the map has no value.
 * @param recorded of a map that undistorts: where the recorded picture lies in it. It becomes the display window, and the map's own window is
 *   larger, so that a program lays the undistorted picture about the recorded one instead of over it
 */
export async function writeStMapExr(map: StMap, recorded?: { left: number; top: number; widthPx: number; heightPx: number }): Promise<Uint8Array> {
  const { widthPx, heightPx, data } = map;
  const rgba = new Float32Array(4 * widthPx * heightPx);
  for (let y = 0; y < heightPx; y += 1) {
    // the exporter reads textures from the bottom row upwards
    const from = 2 * widthPx * y;
    const to = 4 * widthPx * (heightPx - 1 - y);
    for (let x = 0; x < widthPx; x += 1) {
      const known = !Number.isNaN(data[from + 2 * x]);
      rgba[to + 4 * x] = known ? data[from + 2 * x] : 0;
      rgba[to + 4 * x + 1] = known ? data[from + 2 * x + 1] : 0;
      rgba[to + 4 * x + 3] = known ? 1 : 0;
    }
  }
  const texture = new DataTexture(rgba, widthPx, heightPx, RGBAFormat, FloatType);
  const bytes = new Uint8Array(await new EXRExporter().parse(texture, { type: FloatType, compression: ZIP_COMPRESSION }));
  if (recorded) placeExr(bytes, recorded.left, recorded.top, recorded.widthPx, recorded.heightPx);
  return bytes;
}

/** ST map as 32-bit float TIFF: two samples a pixel, s and t; NaN where the map has no value. */
export function writeStMapTiff(map: StMap): Uint8Array {
  const { widthPx, heightPx, data } = map;
  const bytes = new Uint8Array(
    writeArrayBuffer(data, {
      width: widthPx,
      height: heightPx,
      SamplesPerPixel: [2],
      BitsPerSample: [32, 32],
      SampleFormat: [3, 3],
      PhotometricInterpretation: 1,
      ExtraSamples: [0],
    } as never),
  );
  dropTags(bytes, EARTH_TAGS);
  return bytes;
}

/** The writer's package says of every picture that it is a map of the whole earth; ours lies on no globe. */
const EARTH_TAGS = new Set([33550, 33922, 34264, 34735, 34736, 34737]);

/** Takes entries out of the first directory of a TIFF. Their values stay behind where nothing points to them. Source  TIFF 6.0, section 2. */
function dropTags(bytes: Uint8Array, tags: ReadonlySet<number>): void {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  const little = view.getUint16(0, false) === 0x4949;
  const at = view.getUint32(4, little);
  const count = view.getUint16(at, little);
  const entry = (i: number): number => at + 2 + 12 * i;
  const next = bytes.slice(entry(count), entry(count) + 4);
  let kept = 0;
  for (let i = 0; i < count; i += 1) {
    if (tags.has(view.getUint16(entry(i), little))) continue;
    bytes.copyWithin(entry(kept), entry(i), entry(i + 1));
    kept += 1;
  }
  view.setUint16(at, kept, little);
  bytes.set(next, entry(kept));
}

/**
 * Moves the data window of a scan-line OpenEXR so that a picture of the given size lies at its display window's origin.
 * Source  OpenEXR file layout: attributes, then a table of offsets, then blocks that begin with the number of their first line.
 */
function placeExr(bytes: Uint8Array, left: number, top: number, widthPx: number, heightPx: number): void {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  let at = 8;
  const text = (): string => {
    const end = bytes.indexOf(0, at);
    const s = String.fromCharCode(...bytes.subarray(at, end));
    at = end + 1;
    return s;
  };
  let lines = 0;
  for (let name = text(); name !== ''; name = text()) {
    text();
    const size = view.getInt32(at, true);
    at += 4;
    if (name === 'dataWindow') {
      lines = view.getInt32(at + 12, true) + 1;
      [-left, -top, view.getInt32(at + 8, true) - left, view.getInt32(at + 12, true) - top].forEach((v, i) => view.setInt32(at + 4 * i, v, true));
    }
    if (name === 'displayWindow') [0, 0, widthPx - 1, heightPx - 1].forEach((v, i) => view.setInt32(at + 4 * i, v, true));
    at += size;
  }
  // ZIP packs 16 lines to a block
  for (let block = 0; block < Math.ceil(lines / 16); block += 1) {
    const place = Number(view.getBigUint64(at + 8 * block, true));
    view.setInt32(place, view.getInt32(place, true) - top, true);
  }
}
