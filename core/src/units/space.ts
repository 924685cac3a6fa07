import type { Quat, Vec3 } from '../math';
import { METRES_PER } from './length-unit';

/** In what a file counts places: Mesure itself in metres with Y up; a receiver may want another unit, or Z up. */
export interface Space {
  unit: 'm' | 'cm' | 'mm';
  up: 'Y' | 'Z';
}
export const SPACE_UNITS = ['m', 'cm', 'mm'] as const satisfies readonly Space['unit'][];
export const SPACE_UPS = ['Y', 'Z'] as const satisfies readonly Space['up'][];
export const OWN_SPACE: Space = { unit: 'm', up: 'Y' };

/** xx, xy, xz, yy, yz, zz */
type Covariance = readonly [number, number, number, number, number, number];

/** What brings places of Mesure (metres, right-handed, Y up) into a space; both spaces are right-handed. */
export interface IntoSpace {
  /** lengths in the space for one metre */
  perMetre: number;
  place(atM: readonly number[]): Vec3;
  /** lengths of an axis each, as standard deviations: turned as places are, without a sign */
  spread<T extends number | null>(ofM: readonly [T, T, T]): [T, T, T];
  /** camera to world; the camera itself goes on looking along its own −Z with its +Y up */
  rotation(q: Quat): Quat;
  covariance(c: Covariance): [number, number, number, number, number, number];
}

const HALF = Math.SQRT1_2;
/** Without the sign of a zero. */
const neg = (v: number): number => (v === 0 ? 0 : -v);

/**
 * The way from metres with Y up into a space. Z up is a quarter turn about X: (x, y, z) becomes (x, −z, y).
 * @param scaled false: lengths are of a unit of their own, which no other can be counted in, and only the axes are turned
 */
export function intoSpace(space: Space, scaled = true): IntoSpace {
  const s = scaled ? 1 / METRES_PER[space.unit] : 1;
  // 1 / 0.01 is 100 exactly, 1 / 0.001 as well
  if (space.up === 'Y')
    return {
      perMetre: s,
      place: ([x, y, z]) => [s * x, s * y, s * z],
      spread: ([x, y, z]) => [times(x, s), times(y, s), times(z, s)],
      rotation: (q) => q,
      covariance: ([xx, xy, xz, yy, yz, zz]) => [s * s * xx, s * s * xy, s * s * xz, s * s * yy, s * s * yz, s * s * zz],
    };
  return {
    perMetre: s,
    place: ([x, y, z]) => [s * x, neg(s * z), s * y],
    spread: ([x, y, z]) => [times(x, s), times(z, s), times(y, s)],
    // (sin 45°, 0, 0, cos 45°) before what is there
    rotation: ([x, y, z, w]) => [HALF * (w + x), HALF * (y - z), HALF * (z + y), HALF * (w - x)],
    covariance: ([xx, xy, xz, yy, yz, zz]) => [s * s * xx, neg(s * s * xz), s * s * xy, s * s * zz, neg(s * s * yz), s * s * yy],
  };
}

const times = <T extends number | null>(v: T, s: number): T => (v === null ? v : v * s) as T;

/** The way back, for what comes in. */
export function outOfSpace(space: Space): OutOfSpace {
  return outOf(METRES_PER[space.unit], space.up);
}
export interface OutOfSpace {
  place(at: readonly number[]): Vec3;
  spread(of: readonly [number, number, number]): [number, number, number];
  /** camera to world */
  rotation(q: Quat): Quat;
}

/** The same where a length is so many metres, whatever it is called. */
export function outOf(metres: number, up: Space['up']): OutOfSpace {
  const m = metres;
  if (up === 'Y') return { place: ([x, y, z]) => [m * x, m * y, m * z], spread: ([x, y, z]) => [m * x, m * y, m * z], rotation: (q) => q };
  return {
    place: ([x, y, z]) => [m * x, m * z, neg(m * y)],
    spread: ([x, y, z]) => [m * x, m * z, m * y],
    // (−sin 45°, 0, 0, cos 45°) before what is there
    rotation: ([x, y, z, w]) => [HALF * (x - w), HALF * (y + z), HALF * (z - y), HALF * (w + x)],
  };
}

/** "centimetres, Z up" */
export const spaceWords = ({ unit, up }: Space): string => `${{ m: 'metres', cm: 'centimetres', mm: 'millimetres' }[unit]}, ${up} up`;
