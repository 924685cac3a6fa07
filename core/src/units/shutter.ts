import { CoreError } from '../errors';

/** How long a picture is exposed, in the form in which the camera says it. */
export type Shutter = { by: 'angle'; deg: number } | { by: 'time'; seconds: number };

/**
 * Reads `180`, `172.8°`, `1/50`, `1/50 s`, `0.02 s`. A bare number is an angle: no camera says its time as a whole number of seconds.
 * @throws CoreError UNREADABLE_INPUT
 */
export function parseShutter(text: string): Shutter {
  const t = text.trim().replace(',', '.').toLowerCase();
  const fraction = /^(\d+(?:\.\d+)?)\s*\/\s*(\d+(?:\.\d+)?)\s*s?$/.exec(t);
  const time = /^(\d*\.?\d+)\s*s$/.exec(t);
  const angle = /^(\d*\.?\d+)\s*(?:°|deg)?$/.exec(t);
  const seconds = fraction ? Number(fraction[1]) / Number(fraction[2]) : time ? Number(time[1]) : null;
  if (seconds !== null) {
    if (!(seconds > 0 && seconds <= 10)) throw new CoreError('UNREADABLE_INPUT', `"${text}" is no shutter time; write it as 1/50`);
    return { by: 'time', seconds };
  }
  const deg = angle ? Number(angle[1]) : Number.NaN;
  if (!(deg > 0 && deg <= 360)) throw new CoreError('UNREADABLE_INPUT', `"${text}" is no shutter; write an angle up to 360° or a time such as 1/50`);
  return { by: 'angle', deg };
}

/** Angle and time are one thing at one frame rate. */
export const shutterDeg = (s: Shutter, fps: number): number => (s.by === 'angle' ? s.deg : 360 * s.seconds * fps);
export const shutterSeconds = (s: Shutter, fps: number): number => (s.by === 'time' ? s.seconds : s.deg / 360 / fps);

export function formatShutter(s: Shutter): string {
  if (s.by === 'angle') return `${Number(s.deg.toFixed(2))}°`;
  const part = 1 / s.seconds;
  return s.seconds < 0.5 && Math.abs(part - Math.round(part)) < 0.005 * part ? `1/${Math.round(part)} s` : `${Number(s.seconds.toPrecision(4))} s`;
}
