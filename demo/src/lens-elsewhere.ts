import type { GivenLens } from '@mesure/contract';
import { undistortMap } from '@mesure/core';
import { readCoefficients } from '@mesure/formats/lens';
import { writeStMapExr } from '@mesure/formats/st-map';

export const LENS18_FILE = 'orrinel18_from_the_lens_house.lens.json';

/** A wide lens that was never shot against a chart here: its house sent what it measured, as camera and lens metadata over 18.2 mm. */
export const lens18Metadata = (): string =>
  `${JSON.stringify(
    {
      static: {
        camera: { activeSensorPhysicalDimensions: { width: 24.6, height: 13.84 }, activeSensorResolution: { width: 3840, height: 2160 } },
        lens: { model: 'Orrinel 18', serialNumber: 'OR-1804', nominalFocalLength: 18 },
      },
      lens: {
        pinholeFocalLength: 18.2,
        focusDistance: 2.5,
        distortion: [{ model: 'Brown-Conrady U-D', radial: [-0.062, 0.011], tangential: [0.0003, -0.0002] }],
        distortionOffset: { x: 0.041, y: -0.026 },
      },
    },
    null,
    1,
  )}\n`;

export const lens18Given = (): GivenLens => ({ what: 'coefficients', ...readCoefficients(lens18Metadata(), LENS18_FILE).coefficients });

/** A map to try by hand, of a quarter of the A-cam's picture: it undistorts, and says so nowhere. */
export const mapToTry = (): Promise<Uint8Array> =>
  writeStMapExr(
    undistortMap(
      { widthPx: 1024, heightPx: 540, fxPx: 1365, fyPx: 1365, center: [514, 268], distortion: { model: 'radial', k: [-0.08, 0.02, 0], p: [0, 0] } },
      { left: 24, right: 24, top: 12, bottom: 12 },
    ),
  );
