import { CoreError } from '../errors';
import type { OpticsInput } from './compute-optics';

/**
 * The part of the recorded picture that a wanted aspect takes, centred and as large as it can be, px. The aspect is that of the desqueezed picture.
 * @throws CoreError INVALID_OPTION for an aspect outside 0.4 … 4
 */
export function frameLines({ image, squeeze = 1 }: Pick<OpticsInput, 'image' | 'squeeze'>, aspect: number): { xPx: number; yPx: number; widthPx: number; heightPx: number } {
  if (!(aspect >= 0.4 && aspect <= 4)) throw new CoreError('INVALID_OPTION', `A picture of ${aspect} to 1 is none; 0.4 to 4 are`, 'aspect');
  const widthPx = Math.min(image.width, (image.height * aspect) / squeeze);
  const heightPx = (widthPx * squeeze) / aspect;
  return { xPx: (image.width - widthPx) / 2, yPx: (image.height - heightPx) / 2, widthPx, heightPx };
}
