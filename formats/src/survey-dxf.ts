import type { NetPoint } from '@mesure/core';
import { DxfWriter, point3d, Units } from '@tarikjabiri/dxf';

/** Height of the names, m: legible in a plan at 1:50. */
const NAME_M = 0.05;
const LAYER = 'surveyed points';

/**
 * Surveyed points as DXF, metres, a point with its name beside it. Drawing programs count heights along Z: our x, −z, y become their x, y, z,
 * so that the plan reads from above as the set stands.
 */
export function writeSurveyDxf(points: readonly NetPoint[]): string {
  const dxf = new DxfWriter();
  dxf.setUnits(Units.Meters);
  dxf.addLayer(LAYER, 7, 'CONTINUOUS');
  for (const p of points) {
    const [x, y, z] = [p.at[0], -p.at[2] + 0, p.at[1]];
    dxf.addPoint(x, y, z, { layerName: LAYER });
    dxf.addText(point3d(x + NAME_M / 2, y + NAME_M / 2, z), NAME_M, p.id.replace(/[\r\n]+/g, ' '), { layerName: LAYER });
  }
  return dxf.stringify();
}
