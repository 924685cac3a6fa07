import type { OpticsInput } from './compute-optics';
import { computeOptics } from './compute-optics';

/** What projection needs of a setup. `pxPerMm*` times an effective focal length in mm gives that length in pixels. */
export interface PictureGeometry {
  widthPx: number;
  heightPx: number;
  centerXPx: number;
  centerYPx: number;
  effectiveFocalMm: number;
  pxPerMmX: number;
  pxPerMmY: number;
}

export function pictureGeometry(setup: OpticsInput): PictureGeometry {
  const optics = computeOptics(setup);
  return {
    widthPx: setup.image.width,
    heightPx: setup.image.height,
    centerXPx: setup.image.width / 2,
    centerYPx: setup.image.height / 2,
    effectiveFocalMm: optics.effectiveFocalMm,
    pxPerMmX: optics.fxPx / optics.effectiveFocalMm,
    pxPerMmY: optics.fyPx / optics.effectiveFocalMm,
  };
}
