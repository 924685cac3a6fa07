import { FORECAST, type Warning } from '../warnings';
import { threeDigits } from './words';

/** What a plate bears upon. */
export interface PlateFigures {
  /** null where it is held, or cannot be determined */
  sigmaFocalMm: number | null;
  slipPx: number | null;
}

/** A plate that takes less than this share off is not spoken of. */
const WORTH = 0.3;

/** What the bend of a lens that nobody measured costs, where that is much; `then`: with a plate. */
export function plateWorth(focalMm: number, now: PlateFigures, then: PlateFigures): { withPlate: PlateFigures; warning: Warning } | null {
  const less = (name: string, from: number | null, to: number | null, say: (value: number) => string): string[] =>
    from !== null && to !== null && to < (1 - WORTH) * from ? [`${name} ${say(to)} for ${say(from)}`] : [];
  const said = [
    ...less('the focal length', now.sigmaFocalMm, then.sigmaFocalMm, (mm) => `± ${threeDigits((100 * mm) / focalMm)} %`),
    ...less('the slip of a still object', now.slipPx, then.slipPx, (px) => `${threeDigits(px)} px`),
  ];
  return said.length > 0 ? { withPlate: then, warning: FORECAST.LENS_NOT_PLATED(said.join(', ')) } : null;
}
