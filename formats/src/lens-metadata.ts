import { coefficientsOf, COEFFICIENTS, describeLens, frameLens, pictureGeometry, type GridReport, type OpticsInput, focusCell, isBoundToFocal } from '@mesure/core';
import { csvText } from './csv-cells';
import { jsonText, tidy } from './json';
import { distortionBlock, PROTOCOL } from './shot/tracking';

/** One setting of a lens with what was found at it. */
export interface LensSetting {
  lens: string;
  serial: string;
  body: string;
  focalMm: number;
  focusM: number | null;
  /** entrance pupil before the sensor mark */
  pupilMm: number | null;
  report: GridReport;
  setup: OpticsInput;
}

/**
 * Distortion as a table: a row a setting, a column a coefficient, empty where a model has none of that name. Each row says what its coefficients
 * are normalised by and carries one place worked out, so that a reader can prove that it reads them rightly.
 */
export function writeDistortionCsv(settings: readonly LensSetting[]): string {
  const names = [...new Set(Object.values(COEFFICIENTS).flat())];
  const rows = settings.flatMap((s) => {
    const d = s.report.distortion;
    if (!d) return [];
    const values = new Map(COEFFICIENTS[d.model].map((name, i) => [name, coefficientsOf(d)[i]]));
    const { overscan: o } = s.report;
    const { normalisedByPx, direction, formula, example } = describeLens(frameLens(d, s.setup));
    return [
      [
        s.lens,
        s.serial,
        s.body,
        s.focalMm,
        focusCell(s.focusM),
        d.focalMm,
        ...normalisedByPx.map(tidy),
        s.setup.image.width,
        s.setup.image.height,
        s.setup.sensor.widthMm,
        s.setup.sensor.heightMm,
        s.setup.squeeze ?? 1,
        d.model,
        direction,
        formula.join('; '),
        ...names.map((n) => values.get(n) ?? ''),
        ...d.center,
        d.aspect,
        ...(example ? [...example.undistortedPx, ...example.recordedPx].map(tidy) : ['', '', '', '']),
        s.report.rmsPx ?? '',
        ...(o ? [o.left, o.right, o.top, o.bottom].map(tidy) : ['', '', '', '']),
      ],
    ];
  });
  const header = [
    ...['lens', 'serial', 'body', 'focal_mm', 'focus_m', 'normalised_mm', 'normalised_fx_px', 'normalised_fy_px', 'width_px', 'height_px', 'sensor_width_mm', 'sensor_height_mm', 'squeeze'],
    ...['model', 'direction', 'formula', ...names, 'center_x_px', 'center_y_px', 'aspect'],
    ...['example_undistorted_x_px', 'example_undistorted_y_px', 'example_recorded_x_px', 'example_recorded_y_px', 'rms_px'],
    ...['overscan_left_px', 'overscan_right_px', 'overscan_top_px', 'overscan_bottom_px'],
  ];
  return csvText([header, ...rows]);
}

/**
 * One sample of camera and lens metadata after the SMPTE open tracking metadata schema (RIS OSVP). Radial distortion goes as the schema's
 * Brown–Conrady from undistorted to distorted; its coefficients are over the focal length that stands beside them, so where the chart measured
 * another one than was recorded they are brought to the measured one. The centre's offset is in mm on the sensor, right and down. What the
 * schema has no place for (formula, sizes in pixels, one place worked out) stands under `mesure`.
 * @returns null when the report has no distortion
 */
export function writeLensMetadata(s: LensSetting): string | null {
  const d = s.report.distortion;
  if (!d) return null;
  const g = pictureGeometry(s.setup);
  const { widthMm, heightMm } = s.setup.sensor;
  const offset = { x: ((d.center[0] - g.widthPx / 2) * widthMm) / g.widthPx, y: ((d.center[1] - g.heightPx / 2) * heightMm) / g.heightPx };
  const o = s.report.overscan;
  const overscan = o ? Math.max(o.width / g.widthPx, o.height / g.heightPx) : 1;
  const measured = s.report.focalFromDistance ?? s.report.focalFromTilt;
  // a fisheye's coefficients hold for the focal length that they were found with
  const focalMm = isBoundToFocal(d.model) ? d.focalMm : (measured?.mm ?? d.focalMm);
  const lens = frameLens(d, s.setup);
  const squeeze = s.setup.squeeze ?? 1;
  const sample = {
    protocol: PROTOCOL,
    static: {
      camera: {
        label: s.body,
        activeSensorPhysicalDimensions: { width: widthMm, height: heightMm },
        activeSensorResolution: { width: g.widthPx, height: g.heightPx },
        anamorphicSqueeze: { num: Math.round(squeeze * 10_000), denom: 10_000 },
      },
      lens: { model: s.lens, serialNumber: s.serial === '' ? undefined : s.serial, nominalFocalLength: s.focalMm, undistortionOverscanMax: overscan },
    },
    lens: {
      pinholeFocalLength: focalMm,
      focusDistance: s.focusM ?? undefined,
      // metres, from the nominal place to the pupil along the view
      entrancePupilOffset: s.pupilMm === null ? undefined : s.pupilMm / 1000,
      distortion: [distortionBlock(lens, focalMm / d.focalMm, overscan)],
      distortionOffset: offset,
    },
    mesure: { lens: describeLens(lens), focalMeasuredMm: measured ?? null, focalRecordedMm: g.effectiveFocalMm },
  };
  return jsonText(sample);
}
