import { intoSpace, type NetPoint, type Space } from '@mesure/core';
import { DxfWriter, point3d, Units } from '@tarikjabiri/dxf';

/** Height of the names, m: legible in a plan at 1:50. */
const NAME_M = 0.05;
const LAYER = 'surveyed points';
const UNITS = { m: Units.Meters, cm: Units.Centimeters, mm: Units.Millimeters };

/**
 * Surveyed points as DXF, a point with its name beside it. Drawing programs count heights along Z: our x, −z, y become their x, y, z, so that the
 * plan reads from above as the set stands.
 */
export function writeSurveyDxf(points: readonly NetPoint[], unit: Space['unit'] = 'm'): string {
  const dxf = new DxfWriter();
  const into = intoSpace({ unit, up: 'Z' });
  const name = NAME_M * into.perMetre;
  dxf.setUnits(UNITS[unit]);
  dxf.addLayer(LAYER, 7, 'CONTINUOUS');
  for (const p of points) {
    const [x, y, z] = into.place(p.at);
    dxf.addPoint(x, y, z, { layerName: LAYER });
    dxf.addText(point3d(x + name / 2, y + name / 2, z), name, p.id.replace(/[\r\n]+/g, ' '), { layerName: LAYER });
  }
  return dxf.stringify();
}
