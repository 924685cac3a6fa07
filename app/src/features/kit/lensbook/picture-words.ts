import type { MountedPackage, PlateBody } from '@mesure/contract';
import { pictureRemarks, type PictureNotes, type PictureRemark } from '@mesure/core';

/** What plates may be: pictures, linear pictures, and clips of which one frame is taken. */
export const PLATE_FILES = 'image/jpeg,image/png,image/tiff,.exr,video/quicktime,video/mp4,.mov,.mp4';
export const isClipName = (name: string): boolean => /\.(mov|mp4|m4v)$/i.test(name);

/** Where a picture contradicts the package and the plate that it is said to be. */
export function remarksOf(notes: PictureNotes | null | undefined, mounted: MountedPackage, plate: Pick<PlateBody, 'focalMm' | 'focusM'>): PictureRemark[] {
  if (!notes) return [];
  const { mode, body, lens } = mounted;
  return pictureRemarks(notes, {
    widthPx: mode.widthPx,
    heightPx: mode.heightPx,
    sensorWidthMm: mode.sensorWidthMm,
    sensorHeightMm: mode.sensorHeightMm,
    focalMm: plate.focalMm,
    focusM: plate.focusM,
    body: body.name,
    squeeze: lens.squeeze,
  });
}

/** What the file said, in a line. */
export function notesWords(n: PictureNotes): string {
  return [n.widthPx && n.heightPx ? `${n.widthPx} × ${n.heightPx}` : null, n.body, n.lens, n.focalMm ? `${Number(n.focalMm.toFixed(1))} mm` : null, n.focusM ? `focus ${n.focusM.toFixed(2)} m` : null]
    .filter(Boolean)
    .join(' · ');
}
