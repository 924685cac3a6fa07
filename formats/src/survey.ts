import type { NetPoint } from '@mesure/core';
import { csvText } from './csv-cells';

/** Surveyed points of conventions.md, metres; an axis that nothing determines has no sigma. */
export function writeSurveyCsv(points: readonly NetPoint[]): string {
  const rows = points.map((p) => [p.id, ...p.at, ...p.sigmaM.map((s) => s ?? '')]);
  return csvText([['id', 'x', 'y', 'z', 'sigma_x', 'sigma_y', 'sigma_z'], ...rows]);
}

/** Points as PLY (ASCII), metres; names go into comments, since the format knows numbers only. */
export function writeSurveyPly(points: readonly NetPoint[]): string {
  const head = [
    'ply',
    'format ascii 1.0',
    'comment surveyed points, metres, Y up',
    ...points.map((p, i) => `comment vertex ${i} ${p.id.replace(/[\r\n]+/g, ' ')}`),
    `element vertex ${points.length}`,
    ...['x', 'y', 'z', 'sigma_x', 'sigma_y', 'sigma_z'].map((n) => `property double ${n}`),
    'end_header',
  ];
  return `${[...head, ...points.map((p) => [...p.at, ...p.sigmaM.map((s) => s ?? -1)].join(' '))].join('\n')}\n`;
}
