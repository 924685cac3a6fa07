import { usualPiece, type RecordBodies } from '@mesure/contract';
import { lookAtStill, stillsRound, type PictureNotes, type StillLook, type StillStation } from '@mesure/core';
import { readPictureNotes } from '@mesure/formats/exif';
import { renderStill, roomPanels, seenAt, type Panel, type StillCamera } from '@mesure/synthetic';
import sharp, { type Exif } from 'sharp';
import { BOAT_MARKS } from './kinds-of-takes';
import { STILLS_FOCAL_MM, STILLS_MODE } from './stills-walk';

/** Planks, ports and tackle a square metre. */
const BUSY = 220;
/** The model boat on the floor of its workshop: a hull, a cabin, a mast, and paper marks on them. */
const box = ([x0, x1]: readonly [number, number], [y0, y1]: readonly [number, number], [z0, z1]: readonly [number, number], pattern: number, tone: readonly [number, number]): Panel[] => [
  { corner: [x0, y0, z1], along: [x1 - x0, 0, 0], up: [0, y1 - y0, 0], pattern, perM2: BUSY, tone },
  { corner: [x1, y0, z1], along: [0, 0, z0 - z1], up: [0, y1 - y0, 0], pattern: pattern + 1, perM2: BUSY, tone },
  { corner: [x1, y0, z0], along: [x0 - x1, 0, 0], up: [0, y1 - y0, 0], pattern: pattern + 2, perM2: BUSY, tone },
  { corner: [x0, y0, z0], along: [0, 0, z1 - z0], up: [0, y1 - y0, 0], pattern: pattern + 3, perM2: BUSY, tone },
  { corner: [x0, y1, z1], along: [x1 - x0, 0, 0], up: [0, 0, z0 - z1], pattern: pattern + 4, perM2: BUSY, tone },
];
const PAPER_M = 0.05;
const PANELS: Panel[] = [
  ...roomPanels(7.4, 6.6, 2.8, 301).map((p, i): Panel => ({ ...p, perM2: 30, tone: i < 4 ? [0.5, 0.95] : [0.3, 0.62] })),
  ...box([-0.65, 0.65], [0, 0.3], [-0.24, 0.09], 320, [0, 0.5]),
  ...box([-0.35, 0.3], [0.3, 0.5], [-0.18, 0.02], 330, [0.5, 1]),
  ...box([0.02, 0.16], [0.5, 0.95], [-0.08, -0.01], 340, [0, 0.4]),
  ...BOAT_MARKS.filter(({ at }) => at[2] >= 0).map(({ at: [x, y, z] }): Panel => ({
    corner: [x - PAPER_M / 2, y - PAPER_M / 2, z],
    along: [PAPER_M, 0, 0],
    up: [0, PAPER_M, 0],
    pattern: null,
    gray: 0.95,
  })),
];
/** Those on paper, which the camera sees from the front. */
const SHOWN = BOAT_MARKS.filter(({ at }) => at[2] >= 0);

const DISTANCE_M = 1.9;
const HEIGHT_M = 1.05;
/** A telephone that somebody lent for three of them: it says 26 mm, rounded. */
const PHONE = { body: 'Teasel 4', widthPx: 600, heightPx: 800, focalPx: 612, focalMm: 5.4, focal35Mm: 26 };
const BY_PHONE = new Set([2, 4, 6]);
/** The second was taken a good step too near. */
const TOO_NEAR = { station: 1, m: 0.42 };
const TAKEN = 8;

export const BOAT_PIECE = { ...usualPiece('box', 'boat', 'Boat'), zM: -0.07, widthM: 1.3, depthM: 0.33, heightM: 0.95 };

export function boatWalk(): Omit<NonNullable<RecordBodies['plan']['stills']>, 'packageId'> {
  const { widthPx, heightPx, sensorWidthMm, sensorHeightMm } = STILLS_MODE;
  const { stations } = stillsRound(BOAT_PIECE, DISTANCE_M, HEIGHT_M, {
    image: { width: widthPx, height: heightPx },
    sensor: { widthMm: sensorWidthMm, heightMm: sensorHeightMm },
    focal: { mm: STILLS_FOCAL_MM },
  });
  return { way: 'round', pieceId: BOAT_PIECE.id, distanceM: DISTANCE_M, heightM: HEIGHT_M, stations, taken: [] };
}

export interface BoatStill {
  name: string;
  station: number;
  bytes: Buffer;
  widthPx: number;
  heightPx: number;
  notes: PictureNotes | null;
  look: StillLook;
  marks: { mark: string; x: number; y: number }[];
}

/** Eight of the sixteen pictures round the boat, from its front to its back, each by hand: none stands or looks quite as planned. */
export async function boatStills(stations: readonly StillStation[]): Promise<BoatStill[]> {
  return Promise.all(
    Array.from({ length: TAKEN }, async (_, i): Promise<BoatStill> => {
      const { at, headingRad, tiltRad } = stations[i];
      const near = i === TOO_NEAR.station ? 1 - TOO_NEAR.m / DISTANCE_M : 1;
      const sway = (k: number) => 0.035 * Math.sin(7 * i + 2 * k);
      const size = BY_PHONE.has(i) ? PHONE : { ...STILLS_MODE, focalPx: (STILLS_FOCAL_MM * STILLS_MODE.widthPx) / STILLS_MODE.sensorWidthMm };
      const { widthPx, heightPx, focalPx } = size;
      const camera: StillCamera = {
        ...{ at: [at[0] * near + sway(0), at[1] + sway(1), at[2] * near + sway(2)], headingRad: headingRad + 0.5 * sway(3), tiltRad: tiltRad + 0.4 * sway(4) },
        ...{ widthPx, heightPx, focalPx },
      };
      const { gray } = renderStill(PANELS, camera, { blurPx: [0.5, 0.5], noise: 2, seed: 700 + i });
      const exif: Exif = BY_PHONE.has(i)
        ? { IFD0: { Model: PHONE.body }, IFD2: { FocalLength: '54/10', FocalLengthIn35mmFilm: String(PHONE.focal35Mm), ExposureTime: '1/60', FNumber: '18/10', ISOSpeedRatings: '200' } }
        : { IFD0: { Model: 'Sorrel P1' }, IFD2: { FocalLength: '9/1', ExposureTime: '1/60', FNumber: '56/10', ISOSpeedRatings: '400' } };
      const bytes = await sharp(Buffer.from(gray), { raw: { width: widthPx, height: heightPx, channels: 1 } })
        .toColourspace('srgb')
        .jpeg({ quality: 92 })
        .withExif(exif)
        .toBuffer();
      return {
        ...{ name: `S_boat_${String(i + 1).padStart(2, '0')}.jpg`, station: i, bytes, widthPx, heightPx },
        notes: await readPictureNotes(bytes, { widthPx, heightPx }),
        look: lookAtStill({ widthPx, heightPx, data: Float32Array.from(gray) }),
        marks: i > 2 ? [] : pointedOut(camera, i),
      };
    }),
  );
}

/** As a finger sets them under the loupe: a good half pixel off. */
function pointedOut(camera: StillCamera, i: number): BoatStill['marks'] {
  return SHOWN.flatMap(({ id, at }, k) => {
    const p = seenAt(camera, at);
    const off = 0.5 * Math.sin(5 * i + 3 * k);
    return p ? [{ mark: id, x: Number((p.xPx + off).toFixed(2)), y: Number((p.yPx - off).toFixed(2)) }] : [];
  });
}
