import { CoreError } from '../errors';
import { degToRad } from './angle';

/**
 * Reads an angle with its sign: `-3.5`, `−3,5°`, `3° 30'`, `-3° 30' 15"`. A bare number is degrees.
 * @throws CoreError UNREADABLE_INPUT, also beyond half a turn
 */
export function parseAngle(text: string): { typed: string; valueRad: number } {
  const typed = text.trim();
  const t = typed.replace(/[−–]/g, '-').replace(/(\d),(\d)/g, '$1.$2');
  const match = /^([+-]?)(\d*\.?\d+)\s*(?:°|deg)?(?:\s*(\d+(?:\.\d+)?)\s*['′](?:\s*(\d+(?:\.\d+)?)\s*["″])?)?$/.exec(t);
  if (!match) throw new CoreError('UNREADABLE_INPUT', `"${text}" is no angle; write it as -3.5 or 3° 30'`);
  const [minutes, seconds] = [Number(match[3] ?? 0), Number(match[4] ?? 0)];
  if (minutes >= 60 || seconds >= 60) throw new CoreError('UNREADABLE_INPUT', `"${text}" has minutes or seconds of 60 or more`);
  const deg = Number(match[2]) + minutes / 60 + seconds / 3600;
  if (deg > 180) throw new CoreError('UNREADABLE_INPUT', `"${text}" is more than half a turn`);
  return { typed, valueRad: degToRad(match[1] === '-' ? -deg : deg) };
}

/** One decimal is what an inclinometer shows. */
export const formatAngle = (rad: number, digits = 1): string => `${((rad * 180) / Math.PI).toFixed(digits).replace(/^-(?=0\.?0*$)/, '')}°`;
