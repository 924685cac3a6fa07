import { CoreError } from '../errors';
import type { OpticsInput } from './compute-optics';

/** How exactly a hand lays a shape over a picture, px, across and down. */
const HAND_SIGMA_PX = 1;

/**
 * Squeeze from a circle or a square that was laid over its picture: what is as wide as high in reality, and faces the camera, is narrower
 * in the recorded picture by the squeeze.
 * @returns the squeeze with its standard deviation from the hand alone; a thing that is turned away is not seen by it
 * @throws CoreError INVALID_OPTION
 */
export function squeezeFromShape(shape: { widthPx: number; heightPx: number }, setup: OpticsInput): { value: number; sigma: number } {
  const { widthPx, heightPx } = shape;
  if (!(widthPx > 2 && heightPx > 2)) throw new CoreError('INVALID_OPTION', `The shape is ${widthPx} × ${heightPx} px; it must be larger than 2 px a side.`, 'lineUp');
  const pixelAspect = setup.sensor.heightMm / setup.image.height / (setup.sensor.widthMm / setup.image.width);
  const value = (heightPx / widthPx) * pixelAspect;
  return { value, sigma: value * Math.hypot(HAND_SIGMA_PX / widthPx, HAND_SIGMA_PX / heightPx) };
}
