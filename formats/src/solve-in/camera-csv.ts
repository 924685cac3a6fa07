import { matToQuat, type ForeignFrame, type ForeignMove, type Quat, type TurnOrder } from '@mesure/core';
import { eachRow, type TableRow } from '../csv-table';
import { FormatError } from '../format-error';
import { spaceColumns } from './space-columns';
import { turnsInOrder } from './turns';

const SHAPE = 'frame,x,y,z,qx,qy,qz,qw[,focal_mm][,unit][,up], or rx,ry,rz in degrees in place of the quaternion';

/** A camera path as CSV; places and turns of each frame in a row. @throws FormatError with file, line and field */
export function readCameraCsv(text: string, file: string, order: TurnOrder | null): ForeignMove {
  const header = text.slice(0, 4000).split(/\r?\n/, 1)[0].toLowerCase();
  const names = header.split(',').map((n) => n.replace(/^[\s"]+|[\s"]+$/g, ''));
  const has = (name: string) => names.includes(name);
  const angles = !has('qx') && has('rx');
  const frames: ForeignFrame[] = [];
  const space = spaceColumns(file);
  let width: number | null = null;
  eachRow(text, file, ['frame', 'x', 'y', 'z', ...(angles ? ['rx', 'ry', 'rz'] : ['qx', 'qy', 'qz', 'qw'])], SHAPE, (row) => {
    const frame = row.number('frame');
    if (!Number.isInteger(frame)) throw new FormatError(file, row.line, 'frame', `"${frame}" is not a whole number`);
    if (angles && !order) throw new FormatError(file, row.line, 'rx', 'turns are angles, and nothing says in which order they are applied: say it, or write a quaternion (qx, qy, qz, qw)');
    const rotation: Quat = angles ? matToQuat(turnsInOrder(order!, { X: row.number('rx'), Y: row.number('ry'), Z: row.number('rz') })) : quaternionOf(row, file);
    frames.push({ frame, position: [row.number('x'), row.number('y'), row.number('z')], rotation, focal: focalOf(row, has, file) });
    space.row(row);
    if (row.text('width_px') !== '') width = row.number('width_px');
  });
  return {
    format: 'CSV',
    frames,
    points: [],
    ...space.said(),
    // ours says the focal length of the recorded picture, whatever its size
    pictureWidthPx: null,
    fps: null,
    notes: [...(width === null ? [] : [`Its picture is ${width} px wide.`]), ...(angles ? [`Its turns are angles in degrees, applied in the order ${[...order!].join(', ')}.`] : [])],
  };
}

/** Written with few decimals its length is a little off; one of another length is no rotation, or its columns are others. */
const QUATERNION_OFF = 0.02;

function quaternionOf(row: TableRow, file: string): Quat {
  const q: Quat = [row.number('qx'), row.number('qy'), row.number('qz'), row.number('qw')];
  const length = Math.hypot(...q);
  if (Math.abs(length - 1) > QUATERNION_OFF) throw new FormatError(file, row.line, 'qx', `a quaternion has the length 1; this one ${length.toPrecision(3)}: its columns may hold something else`);
  return q;
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
