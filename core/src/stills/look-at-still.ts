import type { BlurZone } from '../grid';
import type { GrayImage } from '../picture';
import { edgeSpreadByZone } from './edge-spread';
import { packFeatures, stillFeatures } from './still-features';

/** What a device saw in a picture of a walk: all that its neighbours are compared by, small enough to travel with its record. */
export interface StillLook {
  widthPx: number;
  heightPx: number;
  /** ninths of the frame, row by row */
  zones: BlurZone[];
  /** share of the picture that is burnt out or lost in black, 0…1 */
  burntShare: number;
  lostShare: number;
  /** see `packFeatures` */
  features: string;
}

const BURNT = 251;
const LOST = 3;

export function lookAtStill(image: GrayImage): StillLook {
  let burnt = 0;
  let lost = 0;
  for (const v of image.data) {
    if (v >= BURNT) burnt += 1;
    else if (v <= LOST) lost += 1;
  }
  const share = (n: number) => Math.round((1000 * n) / image.data.length) / 1000;
  const tidy = (px: number | null) => (px === null ? null : Math.round(100 * px) / 100);
  return {
    widthPx: image.widthPx,
    heightPx: image.heightPx,
    zones: edgeSpreadByZone(image).map(({ downPx, acrossPx }) => ({ downPx: tidy(downPx), acrossPx: tidy(acrossPx) })),
    burntShare: share(burnt),
    lostShare: share(lost),
    features: packFeatures(stillFeatures(image)),
  };
}
