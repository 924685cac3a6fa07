import { renderChequer } from '@mesure/synthetic';
import sharp from 'sharp';
import { MODES } from './shots';

/**
 * The demo's zoom as it truly is: a little shorter than marked, its entrance pupil 112 mm before the sensor mark, barrel at the short end
 * turning to pincushion, more of both at near focus.
 */
const TRUE_SHARE = 0.984;
const PUPIL_M = 0.112;
const CELL_M = 0.02;
const displacement = (focalMm: number, focusM: number) => (-4.2e-4 * (28 / focalMm) ** 1.6 + 1.1e-4) * (1 + 0.1 / focusM);

/** What was shot on the test day: focal length and focus as set, and the chart's distance from the sensor mark where it was measured. */
export const ZOOM_PLATES: { name: string; focalMm: number; focusM: number; distanceM: number; measured: boolean; time: string }[] = [
  { name: 'C_brastow_28_near.jpg', focalMm: 28, focusM: 0.9, distanceM: 0.9, measured: false, time: '06:50' },
  { name: 'C_brastow_28_far.jpg', focalMm: 28, focusM: 5, distanceM: 1.4, measured: false, time: '06:53' },
  { name: 'C_brastow_45_a.jpg', focalMm: 45, focusM: 2, distanceM: 1.2, measured: true, time: '06:57' },
  { name: 'C_brastow_45_b.jpg', focalMm: 45, focusM: 2, distanceM: 2.6, measured: true, time: '06:59' },
  { name: 'C_brastow_80_near.jpg', focalMm: 80, focusM: 0.9, distanceM: 1.6, measured: false, time: '07:04' },
];
export const ZOOM_CELL_M = CELL_M;

export async function zoomPlate(index: number): Promise<Buffer> {
  const { focalMm, focusM, distanceM } = ZOOM_PLATES[index];
  const m = MODES.pellonHd;
  const trueMm = focalMm * TRUE_SHARE;
  const fx = (trueMm * m.widthPx) / m.sensorWidthMm;
  const r = renderChequer({
    widthPx: m.widthPx,
    heightPx: m.heightPx,
    lens: { fxPx: fx, fyPx: fx, cx: m.widthPx / 2 + 3, cy: m.heightPx / 2 - 2, k1: displacement(focalMm, focusM) * trueMm ** 2, k2: 0, k3: 0, p1: 0, p2: 0 },
    cellSlope: CELL_M / (distanceM - PUPIL_M),
    rollRad: 0.008,
    tiltXRad: 0.004,
    tiltYRad: -0.003,
    offsetCells: [0.41, 0.17],
    blurPx: 1.1,
    noise: 2,
    vignette: 0.75,
    seed: 30 + index,
  });
  return sharp(Buffer.from(r.gray), { raw: { width: m.widthPx, height: m.heightPx, channels: 1 } })
    .jpeg({ quality: 94 })
    .toBuffer();
}
