import type { StMap } from '@mesure/core';
import { writeArrayBuffer } from 'geotiff';
import { DataTexture, FloatType, RGBAFormat } from 'three';
import { EXRExporter, ZIP_COMPRESSION } from 'three/examples/jsm/exporters/EXRExporter.js';

/** ST map as 32-bit OpenEXR: s in red, t in green; blue is 0, alpha is 0 where the map has no value. */
export async function writeStMapExr(map: StMap): Promise<Uint8Array> {
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
  return new Uint8Array(await new EXRExporter().parse(texture, { type: FloatType, compression: ZIP_COMPRESSION }));
}

/** ST map as 32-bit float TIFF: two samples a pixel, s and t; NaN where the map has no value. */
export function writeStMapTiff(map: StMap): Uint8Array {
  const { widthPx, heightPx, data } = map;
  return new Uint8Array(
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
}
