import { isLengthUnit, matToQuat, METRES_PER, type ForeignFrame, type ForeignMove, type LengthUnit, type Quat, type TurnOrder } from '@mesure/core';
import { eachRow, type TableRow } from '../csv-table';
import { FormatError } from '../format-error';
import { turnsInOrder } from './turns';

const SHAPE = 'frame,x,y,z,qx,qy,qz,qw[,focal_mm][,unit][,up], or rx,ry,rz in degrees in place of the quaternion';

/** A camera path as CSV; places and turns of each frame in a row. @throws FormatError with file, line and field */
export function readCameraCsv(text: string, file: string, order: TurnOrder | null): ForeignMove {
  const header = text.slice(0, 4000).split(/\r?\n/, 1)[0].toLowerCase();
  const names = header.split(',').map((n) => n.replace(/^[\s"]+|[\s"]+$/g, ''));
  const has = (name: string) => names.includes(name);
  const angles = !has('qx') && has('rx');
  const frames: ForeignFrame[] = [];
  const units = new Set<string>();
  const ups = new Set<string>();
  let width: number | null = null;
  eachRow(text, file, ['frame', 'x', 'y', 'z', ...(angles ? ['rx', 'ry', 'rz'] : ['qx', 'qy', 'qz', 'qw'])], SHAPE, (row) => {
    const frame = row.number('frame');
    if (!Number.isInteger(frame)) throw new FormatError(file, row.line, 'frame', `"${frame}" is not a whole number`);
    if (angles && !order) throw new FormatError(file, row.line, 'rx', 'turns are angles, and nothing says in which order they are applied: say it, or write a quaternion (qx, qy, qz, qw)');
    const rotation: Quat = angles
      ? matToQuat(turnsInOrder(order!, { X: row.number('rx'), Y: row.number('ry'), Z: row.number('rz') }))
      : [row.number('qx'), row.number('qy'), row.number('qz'), row.number('qw')];
    frames.push({ frame, position: [row.number('x'), row.number('y'), row.number('z')], rotation, focal: focalOf(row, has, file) });
    if (row.text('unit') !== '') units.add(row.text('unit'));
    if (row.text('up') !== '') ups.add(row.text('up').toUpperCase());
    if (row.text('width_px') !== '') width = row.number('width_px');
  });
  if (units.size > 1 || ups.size > 1) throw new FormatError(file, null, units.size > 1 ? 'unit' : 'up', `holds ${[...(units.size > 1 ? units : ups)].join(' and ')}; one for all rows is needed`);
  const [unit = null] = units;
  const [up = null] = ups;
  if (unit !== null && unit !== 'of the solve' && !isLengthUnit(unit)) throw new FormatError(file, null, 'unit', `"${unit}" is not known; m, cm, mm, in, ft or "of the solve"`);
  if (up !== null && up !== 'Y' && up !== 'Z') throw new FormatError(file, null, 'up', `"${up}" is not known; Y or Z`);
  return {
    format: 'CSV',
    frames,
    points: [],
    metres: unit === null || unit === 'of the solve' ? unit : METRES_PER[unit as LengthUnit],
    up,
    // ours says the focal length of the recorded picture, whatever its size
    pictureWidthPx: null,
    fps: null,
    notes: [...(width === null ? [] : [`Its picture is ${width} px wide.`]), ...(angles ? [`Its turns are angles in degrees, applied in the order ${[...order!].join(', ')}.`] : [])],
  };
}

function focalOf(row: TableRow, has: (name: string) => boolean, file: string): ForeignFrame['focal'] {
  for (const name of ['focal_mm', 'focal'])
    if (has(name) && row.text(name) !== '') {
      const mm = row.number(name);
      if (!(mm > 0)) throw new FormatError(file, row.line, name, `${mm} must be above 0`);
      return { mm };
    }
  return null;
}
