import { usualPiece } from '@mesure/contract';
import { lookAtStill, stillsAlong, type GrayImage, type PictureNotes, type StillLook, type StillStation } from '@mesure/core';
import { readPictureNotes } from '@mesure/formats/exif';
import { renderStill, type Panel } from '@mesure/synthetic';
import sharp from 'sharp';

/** A small camera for stills, with a fixed wide lens. */
export const STILLS_MODE = { widthPx: 960, heightPx: 640, sensorWidthMm: 13.2, sensorHeightMm: 8.8 };
export const STILLS_FOCAL_MM = 9;
export const STILLS_OVERLAP = 0.3;
const DISTANCE_M = 1.2;
const HEIGHT_M = 1.5;

/** The back wall of the passage, papered and hung with frames, and the floor before it. */
const WALL_Z = -4.61;
const PANELS: Panel[] = [
  { corner: [-2.9, 0, WALL_Z], along: [5.8, 0, 0], up: [0, 2.7, 0], pattern: 47 },
  { corner: [-2.9, 0, 1], along: [5.8, 0, 0], up: [0, 0, WALL_Z - 1], pattern: 48 },
];

export function passageWalk(pieceId: string) {
  const piece = { ...usualPiece('wall', pieceId, 'Back wall'), zM: -4.66, widthM: 5.8, depthM: 0.1 };
  const optics = {
    image: { width: STILLS_MODE.widthPx, height: STILLS_MODE.heightPx },
    sensor: { widthMm: STILLS_MODE.sensorWidthMm, heightMm: STILLS_MODE.sensorHeightMm },
    focal: { mm: STILLS_FOCAL_MM },
  };
  const { stations } = stillsAlong(piece, DISTANCE_M, HEIGHT_M, optics, STILLS_OVERLAP);
  return { way: 'along' as const, pieceId, distanceM: DISTANCE_M, heightM: HEIGHT_M, overlap: STILLS_OVERLAP, stations, taken: [] };
}

export interface DemoStill {
  name: string;
  station: number;
  bytes: Buffer;
  notes: PictureNotes | null;
  look: StillLook;
}

/** Pictures of the day: the second too light, the third taken a step too far, so that it does not tie to the second. */
const TAKEN = [
  { station: 0, offM: 0, stops: 0 },
  { station: 1, offM: 0, stops: 0.7 },
  { station: 2, offM: 0.75, stops: 0 },
];
/** To be given by hand: the second and third as they should have been, and the two that are open. */
const TO_TRY = [1, 2, 3, 4].map((station) => ({ station, offM: 0, stops: 0 }));

export async function passageStills(stations: readonly StillStation[], toTry = false): Promise<DemoStill[]> {
  return Promise.all(
    (toTry ? TO_TRY : TAKEN).map(async ({ station, offM, stops }, i): Promise<DemoStill> => {
      const { at, headingRad, tiltRad } = stations[station];
      const focalPx = (STILLS_FOCAL_MM * STILLS_MODE.widthPx) / STILLS_MODE.sensorWidthMm;
      const { widthPx, heightPx, gray } = renderStill(
        PANELS,
        { at: [at[0] + offM, at[1], at[2]], headingRad, tiltRad, widthPx: STILLS_MODE.widthPx, heightPx: STILLS_MODE.heightPx, focalPx },
        { blurPx: [0.5, 0.5], noise: 2, seed: 60 + i, stops },
      );
      const bytes = await sharp(Buffer.from(gray), { raw: { width: widthPx, height: heightPx, channels: 1 } })
        .toColourspace('srgb')
        .jpeg({ quality: 92 })
        .withExif({ IFD0: { Model: 'Sorrel P1' }, IFD2: { FocalLength: '9/1', ExposureTime: stops > 0 ? '1/37' : '1/60', FNumber: '56/10', ISOSpeedRatings: '400' } })
        .toBuffer();
      const image: GrayImage = { widthPx, heightPx, data: Float32Array.from(gray) };
      return {
        name: toTry ? `still-${station + 1}.jpg` : `S_passage_${String(i + 1).padStart(2, '0')}.jpg`,
        station,
        bytes,
        notes: await readPictureNotes(bytes, { widthPx, heightPx }),
        look: lookAtStill(image),
      };
    }),
  );
}

/** A panorama of the jetty, two to one: sky, sun and planks, at one exposure in seconds. */
export async function jettyPanorama(seconds: number): Promise<Buffer> {
  const [w, h] = [1024, 512];
  const gray = new Uint8Array(w * h);
  for (let y = 0; y < h; y += 1)
    for (let x = 0; x < w; x += 1) {
      const sun = 13_000 * Math.exp(-((x - 700) ** 2 + (y - 170) ** 2) / 60);
      const light = y < h / 2 ? 200 - 0.5 * y + sun : 24 + 8 * Math.sin(x / 9 + (400 * Math.PI) / (y - h / 2 + 20));
      gray[y * w + x] = Math.min(255, 255 * (Math.max(0, light) * seconds) ** (1 / 2.2));
    }
  return sharp(Buffer.from(gray), { raw: { width: w, height: h, channels: 1 } })
    .toColourspace('srgb')
    .jpeg({ quality: 88 })
    .withExif({ IFD0: { Model: 'Sorrel P1' }, IFD2: { FocalLength: '9/1', ExposureTime: `1/${Math.round(1 / seconds)}`, FNumber: '8/1', ISOSpeedRatings: '100' } })
    .toBuffer();
}
export const PANORAMA_SECONDS = [1 / 4000, 1 / 800, 1 / 160, 1 / 30];

/** A slate as it stands before the camera: drawn, with what is written on it. */
export async function slatePicture(slate: string, take: number): Promise<Buffer> {
  const svg = `<svg xmlns="http://www.w3.org/2000/svg" width="640" height="480"><rect width="640" height="480" fill="#3a3f45"/><rect x="110" y="120" width="420" height="280" fill="#e9e6dd"/><rect x="110" y="80" width="420" height="40" fill="#1d1f22"/><g font-family="sans-serif" fill="#1d1f22"><text x="140" y="230" font-size="90">${slate}</text><text x="140" y="350" font-size="70">take ${take}</text></g></svg>`;
  return sharp(Buffer.from(svg)).blur(0.6).jpeg({ quality: 88 }).toBuffer();
}
