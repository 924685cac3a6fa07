import { intoSpace, OWN_SPACE, spaceWords, type NetPoint, type Space } from '@mesure/core';
import { csvText } from './csv-cells';

/** Surveyed points of conventions.md; an axis that nothing determines has no sigma. What is not in metres with Y up says so in two columns more. */
export function writeSurveyCsv(points: readonly NetPoint[], space: Space = OWN_SPACE): string {
  const into = intoSpace(space);
  const other = space.unit !== 'm' || space.up !== 'Y';
  const rows = points.map((p) => [p.id, ...into.place(p.at), ...into.spread(p.sigmaM).map((s) => s ?? ''), ...(other ? [space.unit, space.up] : [])]);
  return csvText([['id', 'x', 'y', 'z', 'sigma_x', 'sigma_y', 'sigma_z', ...(other ? ['unit', 'up'] : [])], ...rows]);
}

/** Points as PLY (ASCII); names go into comments, since the format knows numbers only. */
export function writeSurveyPly(points: readonly NetPoint[], space: Space = OWN_SPACE): string {
  const into = intoSpace(space);
  const head = [
    'ply',
    'format ascii 1.0',
    `comment surveyed points, ${spaceWords(space)}`,
    ...points.map((p, i) => `comment vertex ${i} ${p.id.replace(/[\r\n]+/g, ' ')}`),
    `element vertex ${points.length}`,
    ...['x', 'y', 'z', 'sigma_x', 'sigma_y', 'sigma_z'].map((n) => `property double ${n}`),
    'end_header',
  ];
  return `${[...head, ...points.map((p) => [...into.place(p.at), ...into.spread(p.sigmaM).map((s) => s ?? -1)].join(' '))].join('\n')}\n`;
}
