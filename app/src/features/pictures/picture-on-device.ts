import type { GrayImage, PictureNotes } from '@mesure/core';
import { readPictureNotes } from '@mesure/formats/exif';

export interface OpenedPicture {
  /** null where this device cannot show the format; the server reads it all the same */
  image: GrayImage | null;
  notes: PictureNotes | null;
}

/** What a phone can say of a picture before it leaves: its size, what the file says of itself, and its grey levels. */
export async function openPicture(file: Blob): Promise<OpenedPicture> {
  const image = await grayOf(file).catch(() => null);
  const notes = await readPictureNotes(await file.arrayBuffer(), image ? { widthPx: image.widthPx, heightPx: image.heightPx } : undefined);
  return { image, notes };
}

/** Only what the file says of itself. */
export const notesOf = async (file: Blob): Promise<PictureNotes | null> => readPictureNotes(await file.arrayBuffer());

/** Upright and in whole grey levels, as the server reads it: the browser turns a picture by its EXIF orientation. Luma weights of ITU-R BT.601. */
async function grayOf(file: Blob): Promise<GrayImage> {
  const bitmap = await createImageBitmap(file);
  try {
    const { width, height } = bitmap;
    const context = new OffscreenCanvas(width, height).getContext('2d', { willReadFrequently: true })!;
    context.drawImage(bitmap, 0, 0);
    const { data } = context.getImageData(0, 0, width, height);
    const gray = new Uint8Array(width * height);
    // rounded: a byte takes no fraction
    for (let i = 0, k = 0; i < gray.length; i += 1, k += 4) gray[i] = 0.299 * data[k] + 0.587 * data[k + 1] + 0.114 * data[k + 2] + 0.5;
    return { widthPx: width, heightPx: height, data: gray };
  } finally {
    bitmap.close();
  }
}
