import { CoreError, redistortMap, resample, roundTripErrorPx, undistortMap, wholeOverscan, type Raster } from '@mesure/core';
import { readRaster, writeRaster } from '@mesure/formats/raster';
import { writeStMapExr, writeStMapTiff } from '@mesure/formats/st-map';
import type { Computation, LensFilesInput, MadeFile } from '../compute-types';

/** Both ST maps, and the plate as the undistorting one makes it, where there is a picture. */
export const computeLensFiles: Computation<LensFilesInput> = async ({ input, given }, report) => {
  report(0.02, 'reading the picture');
  const { lens, overscan } = input;
  const picture = input.noPicture ? null : await readRaster(Buffer.from(given.bytes), input.file.name);
  if (picture && (picture.widthPx !== lens.widthPx || picture.heightPx !== lens.heightPx))
    throw new CoreError('INVALID_OPTION', `The picture is ${picture.widthPx} × ${picture.heightPx}, its lens was fitted over ${lens.widthPx} × ${lens.heightPx}. Measure the plate again.`, 'image');
  report(0.1, 'making the maps');
  const undistort = undistortMap(lens, overscan);
  const redistort = redistortMap(lens, overscan);
  const { left, top } = wholeOverscan(overscan);
  const made: MadeFile[] = [];
  const [extension, mime] = input.mapFormat === 'exr' ? ['exr', 'image/x-exr'] : ['tif', 'image/tiff'];
  for (const [map, way, what, at] of [
    [undistort, 'undistort', 'ST map, recorded to undistorted, 32-bit float', 0.3],
    [redistort, 'redistort', 'ST map, undistorted to recorded, 32-bit float', 0.5],
  ] as const) {
    report(at, `writing the ${way}ing map`);
    made.push({
      name: `${input.name}_${way}.${extension}`,
      mime,
      what,
      bytes: input.mapFormat === 'exr' ? await writeStMapExr(map, way === 'undistort' ? { left, top, widthPx: lens.widthPx, heightPx: lens.heightPx } : undefined) : writeStMapTiff(map),
    });
  }
  const outcome = { kind: 'lens-files' as const, roundTripPx: roundTripErrorPx(undistort, redistort) };
  if (!picture) return { ok: true, made, outcome };
  report(0.7, 'undistorting the plate');
  const straight = await writeRaster(resample(picture as Raster<Uint8Array>, undistort, (done, total) => report(0.7 + (0.2 * done) / total, 'undistorting the plate')));
  made.push({ name: `${input.name}_undistorted.${straight.extension}`, mime: straight.mime, what: 'the plate, undistorted', bytes: straight.bytes });
  return { ok: true, made, outcome };
};
