import { CoreError } from '../errors';

/** Hours, minutes, seconds and frames as a camera's clock counts them. Drop-frame leaves out two numbers a minute, never a picture. */
export interface Timecode {
  hours: number;
  minutes: number;
  seconds: number;
  frames: number;
  dropFrame: boolean;
}

const FORM = /^(\d{1,2}):([0-5]\d):([0-5]\d)([:;.])(\d{2,3})$/;

/**
 * Reads `hh:mm:ss:ff`; a semicolon before the frames says drop-frame. Also eight digits in a row, as a keypad gives them.
 * Source  SMPTE ST 12-1:2014, sec. 5.2 (drop-frame compensation).
 * @throws CoreError UNREADABLE_INPUT for another form, for a frame that the rate does not have, and for a number that drop-frame leaves out.
 */
export function parseTimecode(text: string, fps: number): Timecode {
  const t = text.trim();
  const match = FORM.exec(/^\d{8}$/.test(t) ? t.replace(/(\d\d)(\d\d)(\d\d)(\d\d)/, '$1:$2:$3:$4') : t);
  if (!match) throw new CoreError('UNREADABLE_INPUT', `"${text}" is no timecode; write it as 10:04:31:12`);
  const [hours, minutes, seconds, frames] = [match[1], match[2], match[3], match[5]].map(Number);
  const dropFrame = match[4] === ';';
  const base = Math.round(fps);
  if (hours > 23) throw new CoreError('UNREADABLE_INPUT', `"${text}" has an hour above 23`);
  if (frames >= base) throw new CoreError('UNREADABLE_INPUT', `"${text}" has frame ${frames}; at ${fps} frames a second the last one is ${base - 1}`);
  if (dropFrame && base % 30 !== 0) throw new CoreError('UNREADABLE_INPUT', `"${text}" is drop-frame, which ${fps} frames a second does not have`);
  if (dropFrame && seconds === 0 && frames < (2 * base) / 30 && minutes % 10 !== 0) throw new CoreError('UNREADABLE_INPUT', `"${text}" is a number that drop-frame leaves out`);
  return { hours, minutes, seconds, frames, dropFrame };
}

/** Pictures since midnight. */
export function timecodeFrames(t: Timecode, fps: number): number {
  const base = Math.round(fps);
  const whole = ((t.hours * 60 + t.minutes) * 60 + t.seconds) * base + t.frames;
  if (!t.dropFrame) return whole;
  const minutes = t.hours * 60 + t.minutes;
  return whole - ((2 * base) / 30) * (minutes - Math.floor(minutes / 10));
}

/** Seconds since midnight of the camera's clock: its pictures at its true rate. */
export const timecodeSeconds = (t: Timecode, fps: number): number => timecodeFrames(t, fps) / fps;

const two = (n: number): string => String(n).padStart(2, '0');

/** The timecode of a picture counted from midnight; one day further it begins again. */
export function frameTimecode(frame: number, fps: number, dropFrame = false): Timecode {
  const base = Math.round(fps);
  let n = frame;
  if (dropFrame) {
    const dropped = (2 * base) / 30;
    const tenMinutes = base * 600 - 9 * dropped;
    const oneMinute = base * 60 - dropped;
    const tens = Math.floor(n / tenMinutes);
    const rest = n - tens * tenMinutes;
    n += 9 * dropped * tens + (rest >= base * 60 ? dropped * (1 + Math.floor((rest - base * 60) / oneMinute)) : 0);
  }
  const seconds = Math.floor(n / base);
  return { hours: Math.floor(seconds / 3600) % 24, minutes: Math.floor(seconds / 60) % 60, seconds: seconds % 60, frames: n - seconds * base, dropFrame };
}

export const formatTimecode = (t: Timecode): string => `${two(t.hours)}:${two(t.minutes)}:${two(t.seconds)}${t.dropFrame ? ';' : ':'}${two(t.frames)}`;
