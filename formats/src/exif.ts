import type { PictureNotes } from '@mesure/core';
import exifr from 'exifr';

const TAGS = ['ImageWidth', 'ImageHeight', 'Make', 'Model', 'Orientation'].concat([
  'ExifImageWidth',
  'ExifImageHeight',
  'FocalLength',
  'FocalLengthIn35mmFormat',
  'SubjectDistance',
  'LensModel',
  'DigitalZoomRatio',
  'DateTimeOriginal',
  'OffsetTimeOriginal',
  'ExposureTime',
  'FNumber',
  'ISO',
]);

/**
 * What a JPEG, TIFF or PNG says of how it was shot; null when it says nothing, or cannot be read: the picture itself is judged elsewhere.
 * @param size of the upright picture, when it is known better than EXIF knows it
 * Source  CIPA DC-008 (Exif 3.0), tags of the Exif IFD.
 */
export async function readPictureNotes(source: ArrayBuffer | Uint8Array | Blob, size?: { widthPx: number; heightPx: number }): Promise<PictureNotes | null> {
  const pixelAspect = await exrPixelAspect(source);
  let tags: Record<string, unknown> | undefined;
  try {
    tags = (await exifr.parse(source as ArrayBuffer, { pick: TAGS, translateValues: false, reviveValues: false })) as Record<string, unknown> | undefined;
  } catch {
    // OpenEXR has no EXIF
    if (pixelAspect === null) return null;
  }
  if (!tags && !size && pixelAspect === null) return null;
  const positive = (key: string): number | null => {
    const v = tags?.[key];
    return typeof v === 'number' && Number.isFinite(v) && v > 0 ? v : null;
  };
  const words = (key: string): string | null => {
    const v = tags?.[key];
    return typeof v === 'string' && v.replace(/\0/g, '').trim() !== '' ? v.replace(/\0/g, '').trim() : null;
  };
  const [shotWidthPx, shotHeightPx] = [positive('ExifImageWidth'), positive('ExifImageHeight')];
  const notes: PictureNotes = {
    widthPx: size?.widthPx ?? null,
    heightPx: size?.heightPx ?? null,
    shotWidthPx,
    shotHeightPx,
    focalMm: positive('FocalLength'),
    focal35Mm: positive('FocalLengthIn35mmFormat'),
    // 0xFFFFFFFF stands for infinity
    focusM: (positive('SubjectDistance') ?? Infinity) < 10_000 ? positive('SubjectDistance') : null,
    body: words('Model'),
    lens: words('LensModel'),
    digitalZoom: positive('DigitalZoomRatio'),
    shotAt: time(words('DateTimeOriginal'), words('OffsetTimeOriginal')),
    exposureS: positive('ExposureTime'),
    fNumber: positive('FNumber'),
    iso: positive('ISO'),
    ...(pixelAspect === null ? {} : { pixelAspect }),
  };
  return Object.values(notes).every((v) => v === null) ? null : notes;
}

/** Attributes stand before the pixels, and few files note more than this before the one that is sought. */
const EXR_HEAD_BYTES = 65_536;
/** "name\0type\0size", then the value. */
const EXR_ASPECT = 'pixelAspectRatio\0float\0\x04\0\0\0';

/** How much wider than high an OpenEXR file shows its pixels; null of another file, or where it does not say. */
async function exrPixelAspect(source: ArrayBuffer | Uint8Array | Blob): Promise<number | null> {
  const head =
    source instanceof Blob
      ? new Uint8Array(await source.slice(0, EXR_HEAD_BYTES).arrayBuffer())
      : new Uint8Array(source instanceof Uint8Array ? source.subarray(0, EXR_HEAD_BYTES) : source.slice(0, EXR_HEAD_BYTES));
  if (head.length < 12 || head[0] !== 0x76 || head[1] !== 0x2f || head[2] !== 0x31 || head[3] !== 0x01) return null;
  const at = Array.from(head, (b) => String.fromCharCode(b))
    .join('')
    .indexOf(EXR_ASPECT);
  if (at < 0 || at + EXR_ASPECT.length + 4 > head.length) return null;
  const value = new DataView(head.buffer, head.byteOffset + at + EXR_ASPECT.length, 4).getFloat32(0, true);
  // what stands there where nobody set it says nothing
  return value > 0.01 && value < 100 && value !== 1 ? value : null;
}

/** "2026:11:23 09:12:00" with its offset, or as the clock of this device would read it. */
function time(text: string | null, offset: string | null): string | null {
  const m = /^(\d{4}):(\d\d):(\d\d) (\d\d:\d\d:\d\d)/.exec(text ?? '');
  if (!m) return null;
  const at = new Date(`${m[1]}-${m[2]}-${m[3]}T${m[4]}${/^[+-]\d\d:\d\d$/.test(offset ?? '') ? offset : ''}`);
  return Number.isNaN(at.getTime()) ? null : at.toISOString();
}
