import type { FootageBody, TakeBody } from '@mesure/contract';
import type { PictureSize } from '@mesure/core';

/** What the clip says of itself and the record says otherwise; `cropped`: its tracks cannot be laid onto the recorded picture. */
export function againstTheRecord(clip: FootageBody, take: TakeBody, picture: PictureSize | null, recordedFps: number | null): { words: string[]; cropped: boolean } {
  const words: string[] = [];
  if (clip.fps !== null && recordedFps !== null && Math.abs(clip.fps / recordedFps - 1) > 0.0005)
    words.push(`The clip runs at ${tidy(clip.fps)} frames a second, the take was noted at ${tidy(recordedFps)}.`);
  if (clip.timecode && take.timecodeIn && clip.timecode !== take.timecodeIn) words.push(`The clip begins at ${clip.timecode}, the take was noted from ${take.timecodeIn}: another take, or cut.`);
  if (picture) {
    const shape = clip.widthPx / clip.heightPx / (picture.widthPx / picture.heightPx);
    if (Math.abs(shape - 1) > 0.01) {
      words.push(
        `The clip is ${clip.widthPx} × ${clip.heightPx}, another shape than the ${picture.widthPx} × ${picture.heightPx} that the camera records in its mode: cut, desqueezed or another mode. Its places cannot be laid onto the recorded picture.`,
      );
      return { words, cropped: true };
    }
    if (clip.widthPx !== picture.widthPx)
      words.push(`The clip is ${clip.widthPx} × ${clip.heightPx}; its tracks are read in shares of the ${picture.widthPx} × ${picture.heightPx} that the camera recorded.`);
  }
  return { words, cropped: false };
}

const tidy = (v: number): string => String(Number(v.toFixed(3)));
