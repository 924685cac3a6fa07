import { coefficientsOf, COEFFICIENTS, pictureGeometry, type GridReport, type OpticsInput } from '@mesure/core';
import Papa from 'papaparse';

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

/** Distortion as a table: a row a setting, a column a coefficient; empty where a model has none of that name. */
export function writeDistortionCsv(settings: readonly LensSetting[]): string {
  const names = [...new Set(Object.values(COEFFICIENTS).flat())];
  const rows = settings.flatMap((s) => {
    const d = s.report.distortion;
    if (!d) return [];
    const values = new Map(COEFFICIENTS[d.model].map((name, i) => [name, coefficientsOf(d)[i]]));
    const { overscan: o } = s.report;
    return [
      [
        s.lens,
        s.serial,
        s.focalMm,
        s.focusM ?? '',
        d.focalMm,
        s.setup.image.width,
        s.setup.image.height,
        d.model,
        ...names.map((n) => values.get(n) ?? ''),
        ...d.center,
        d.aspect,
        s.report.rmsPx ?? '',
        ...(o ? [o.left, o.right, o.top, o.bottom] : ['', '', '', '']),
      ],
    ];
  });
  const header = [
    'lens',
    'serial',
    'focal_mm',
    'focus_m',
    'normalised_mm',
    'width_px',
    'height_px',
    'model',
    ...names,
    'center_x_px',
    'center_y_px',
    'aspect',
    'rms_px',
    'overscan_left_px',
    'overscan_right_px',
    'overscan_top_px',
    'overscan_bottom_px',
  ];
  return `${Papa.unparse([header, ...rows], { newline: '\n', escapeFormulae: true })}\n`;
}

/**
 * One sample of camera and lens metadata after the SMPTE open tracking metadata schema (RIS OSVP). Radial distortion goes as the schema's
 * Brown–Conrady from undistorted to distorted, with coefficients over the focal length; the centre's offset is in mm on the sensor, right and
 * down. Another model is carried under a name that says whose it is, so that no reader takes it for radial.
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
  const distortion =
    d.model === 'radial'
      ? { model: 'Brown-Conrady U-D', radial: trimmed(d.k), tangential: d.p.some((v) => v !== 0) ? [...d.p] : undefined, overscan }
      : { model: `mesure ${d.model}`, radial: [...coefficientsOf(d)], custom: [...COEFFICIENTS[d.model]], overscan };
  const squeeze = s.setup.squeeze ?? 1;
  const sample = {
    protocol: { name: 'OpenTrackIO', version: [1, 0, 1] },
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
      pinholeFocalLength: measured?.mm ?? g.effectiveFocalMm,
      focusDistance: s.focusM ?? undefined,
      // metres, from the nominal place to the pupil along the view
      entrancePupilOffset: s.pupilMm === null ? undefined : s.pupilMm / 1000,
      distortion: [distortion],
      distortionOffset: offset,
    },
  };
  return `${JSON.stringify(sample, null, 2)}\n`;
}

/** Without the zeros at the end, one coefficient at least. */
function trimmed(k: readonly number[]): number[] {
  const out = [...k];
  while (out.length > 1 && out[out.length - 1] === 0) out.pop();
  return out;
}
