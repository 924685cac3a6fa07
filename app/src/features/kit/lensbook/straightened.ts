import type { FrameLens, Overscan } from '@mesure/core';
import { inWorker } from '../../../workers';

/** Wide enough to see a bow of a pixel or two on a phone, small enough to be there at once. */
const PREVIEW_PX = 1280;

/**
 * The undistorted picture, small, as an address that an image can show; with its overscan. The map is the one that leaves as ST map, made
 * for the smaller picture.
 */
export async function straightenedUrl(pictureUrl: string, lens: FrameLens, overscan: Overscan): Promise<{ url: string; width: number; height: number }> {
  const answer = await fetch(pictureUrl, { credentials: 'same-origin' }).catch(() => null);
  if (!answer?.ok) throw new Error('The picture is not here; it needs the network once.');
  const bitmap = await createImageBitmap(await answer.blob());
  const scale = Math.min(1, PREVIEW_PX / lens.widthPx);
  const widthPx = Math.round(lens.widthPx * scale);
  const heightPx = Math.round(lens.heightPx * scale);
  const context = new OffscreenCanvas(widthPx, heightPx).getContext('2d')!;
  context.drawImage(bitmap, 0, 0, widthPx, heightPx);
  bitmap.close();
  const { data } = context.getImageData(0, 0, widthPx, heightPx);
  const [sx, sy] = [widthPx / lens.widthPx, heightPx / lens.heightPx];
  const made = await inWorker({
    kind: 'undistort',
    picture: { widthPx, heightPx, channels: 4, data },
    lens: { widthPx, heightPx, fxPx: lens.fxPx * sx, fyPx: lens.fyPx * sy, center: [lens.center[0] * sx, lens.center[1] * sy], distortion: lens.distortion },
    overscan: { left: overscan.left * sx, right: overscan.right * sx, top: overscan.top * sy, bottom: overscan.bottom * sy },
  });
  const canvas = new OffscreenCanvas(made.widthPx, made.heightPx);
  canvas.getContext('2d')!.putImageData(new ImageData(made.data as Uint8ClampedArray<ArrayBuffer>, made.widthPx, made.heightPx), 0, 0);
  const blob = await canvas.convertToBlob({ type: 'image/jpeg', quality: 0.85 });
  return { url: URL.createObjectURL(blob), width: made.widthPx / sx, height: made.heightPx / sy };
}
