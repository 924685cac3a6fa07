import { AmbiguousInput, CoreError } from '../errors';

/** How long a picture is exposed, in the form in which the camera says it. */
export type Shutter = { by: 'angle'; deg: number } | { by: 'time'; seconds: number };

/** What a bare number says as a part of a second as often as an angle: 48 is 1/48 s on one camera and would be 48° on another. */
const PARTS = [24, 25, 30, 48, 50, 60, 96, 100, 120, 125, 200, 240, 250];

/**
 * Reads `180`, `172.8°`, `1/50`, `1/50 s`, `0.02 s`. A bare number is an angle, unless it is one that people write for a time.
 * @throws CoreError UNREADABLE_INPUT | AMBIGUOUS_INPUT for a bare 48, 50, 100 and the like
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
  if (PARTS.includes(Number(t)))
    throw new AmbiguousInput(`"${text}" may be ${t}° or 1/${t} s`, [
      { write: `${t}°`, words: `${t}°` },
      { write: `1/${t}`, words: `1/${t} s` },
    ]);
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
