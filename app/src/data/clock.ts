import { dateAt, instantIn, stampIn, timeIn, zoneWords } from '@mesure/contract';

/** The set's clock: what stands on a screen, and what is typed, is in the production's zone, whatever this device is set to. */
export interface Clock {
  zone: string;
  /** "14:10" */
  time(iso: string): string;
  /** "2026-11-23" */
  date(iso: string): string;
  /** "2026-11-23 14:10" */
  stamp(iso: string): string;
  /** "14:10", or with its date where that is not `today` */
  timeOrStamp(iso: string, today: string): string;
  /** what was typed, as an instant; a time of day is on `onDate`; null where it is none */
  instant(text: string, onDate?: string | null): string | null;
  /** "CEST" */
  words(iso: string): string;
}

let zoneHere: string | null = null;
/** Asked once: a formatter of dates takes a phone several milliseconds to make, and every place asks while it waits for its production. */
export const deviceZone = (): string => (zoneHere ??= Intl.DateTimeFormat().resolvedOptions().timeZone || 'UTC');

export const clockOf = (zone: string): Clock => ({
  zone,
  time: (iso) => timeIn(zone, iso),
  date: (iso) => dateAt(zone, iso),
  stamp: (iso) => stampIn(zone, iso),
  timeOrStamp: (iso, today) => (dateAt(zone, iso) === today ? timeIn(zone, iso) : stampIn(zone, iso)),
  instant: (text, onDate = null) => instantIn(zone, text, onDate),
  words: (iso) => zoneWords(zone, iso),
});
