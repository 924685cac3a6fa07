import { CoreError } from '../errors';
import { matToQuat, mulMat3, quatToMat, type Mat3, type Quat, type Vec3 } from '../math';
import { pictureGeometry } from '../optics';
import type { SolveSetup } from '../solve';
import { outOf } from '../units';
import { metresOf, type ForeignMove, type ForeignReading } from './move';

export interface ReadMove {
  frames: { frame: number; position: Vec3; rotation: Quat; focalMm: number | null }[];
  points: { id: string; position: Vec3 }[];
}

/** Half a turn about the camera's own X: from looking along +Z with Y down to looking along −Z with Y up. */
const TURNED: Mat3 = [1, 0, 0, 0, -1, 0, 0, 0, -1];

/**
 * A foreign move in metres with Y up and effective focal lengths, as it is said to be read. Points that came in a file of their own are read by
 * what that file says of itself.
 * @throws CoreError TOO_FEW_OBSERVATIONS | NON_FINITE_INPUT | INVALID_OPTION with the frame
 */
export function readMove(move: ForeignMove, reading: ForeignReading, setup: SolveSetup): ReadMove {
  if (move.frames.length === 0) throw new CoreError('TOO_FEW_OBSERVATIONS', 'The file holds no camera', 'frames');
  const own = outOf(metresOf(reading.unit), reading.up);
  const ofPoints = outOf(move.pointsMetres ?? metresOf(reading.unit), move.pointsUp ?? reading.up);
  const geometry = pictureGeometry(setup);
  const wider = (move.pictureWidthPx ?? setup.image.width) / setup.image.width;
  const seen = new Set<number>();
  const frames = move.frames
    .map(({ frame, position, rotation, focal }) => {
      if (![...position, ...rotation].every(Number.isFinite)) throw new CoreError('NON_FINITE_INPUT', `Frame ${frame} of the file is not made of numbers`, 'frames');
      const size = Math.hypot(...rotation);
      if (!(size > 1e-6)) throw new CoreError('INVALID_OPTION', `The rotation of frame ${frame} is nothing`, 'frames');
      const number = frame + reading.addFrames;
      if (seen.has(number)) throw new CoreError('INVALID_OPTION', `Frame ${frame} stands in the file twice`, 'frames');
      seen.add(number);
      const unit = rotation.map((v) => v / size) as unknown as Quat;
      const looking = reading.looks === '-Z' ? unit : matToQuat(mulMat3(quatToMat(unit), TURNED));
      return {
        frame: number,
        position: own.place(position),
        rotation: own.rotation(looking),
        focalMm: focal && ('mm' in focal ? focal.mm : (focal.overWidth * wider * setup.image.width) / geometry.pxPerMmX),
      };
    })
    .sort((a, b) => a.frame - b.frame);
  return { frames, points: move.points.map((p) => ({ id: p.id, position: ofPoints.place(p.at) })) };
}
