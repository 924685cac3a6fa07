export interface ModeGeometry {
  widthPx: number;
  heightPx: number;
  sensorWidthMm: number;
  sensorHeightMm: number;
  /** where the camera scales them to the picture's size */
  photositesX?: number | null;
  photositesY?: number | null;
}

export interface FieldRemark {
  field: string;
  text: string;
}

/** No sensor that is made has smaller or larger photosites. */
const PITCH_UM = { min: 1, max: 15 } as const;
/** Above this the picture is squeezed or scaled in the camera, or a number is wrong. */
const ASPECT_SHARE = 0.01;

/**
 * What cannot be, or is unlikely, in a recording mode: pitch outside 1–15 µm, an area larger than the chip, pixels that are not square.
 * @param chip the whole chip in mm where it is known
 */
export function modeRemarks(m: ModeGeometry, chip: { widthMm: number | null; heightMm: number | null } = { widthMm: null, heightMm: null }): FieldRemark[] {
  const remarks: FieldRemark[] = [];
  const pitchX = (1000 * m.sensorWidthMm) / (m.photositesX ?? m.widthPx);
  const pitchY = (1000 * m.sensorHeightMm) / (m.photositesY ?? m.heightPx);
  for (const [field, pitch] of [
    ['sensorWidthMm', pitchX],
    ['sensorHeightMm', pitchY],
  ] as const) {
    if (pitch < PITCH_UM.min || pitch > PITCH_UM.max) remarks.push({ field, text: `the pixel pitch would be ${pitch.toFixed(2)} µm; sensors have 1 to 15 µm` });
  }
  if (chip.widthMm !== null && m.sensorWidthMm > chip.widthMm + 0.005) remarks.push({ field: 'sensorWidthMm', text: `the chip is only ${chip.widthMm} mm wide` });
  if (chip.heightMm !== null && m.sensorHeightMm > chip.heightMm + 0.005) remarks.push({ field: 'sensorHeightMm', text: `the chip is only ${chip.heightMm} mm high` });
  // of the picture's pixels: a camera may scale its two sides differently, or desqueeze
  const ratio = m.sensorWidthMm / m.widthPx / (m.sensorHeightMm / m.heightPx);
  if (remarks.length === 0 && Math.abs(ratio - 1) > ASPECT_SHARE)
    remarks.push({
      field: 'sensorHeightMm',
      text: `pixels would be ${ratio.toFixed(3)} times as wide as high; with square ones the height is ${((m.sensorWidthMm * m.heightPx) / m.widthPx).toFixed(2)} mm`,
    });
  return remarks;
}
