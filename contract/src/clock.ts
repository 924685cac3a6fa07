import { TZDate } from '@date-fns/tz';

/**
 * Times as the production's clock shows them. Instants are stored as ISO 8601 in UTC; a set has one clock, that of its zone, whatever a
 * phone is set to and wherever the server stands.
 */
const two = (n: number): string => String(n).padStart(2, '0');
const at = (zone: string, iso: string): TZDate => new TZDate(iso, zone);

/** "14:10" */
export function timeIn(zone: string, iso: string): string {
  const d = at(zone, iso);
  return `${two(d.getHours())}:${two(d.getMinutes())}`;
}

/** "2026-11-23" */
export function dateAt(zone: string, iso: string): string {
  const d = at(zone, iso);
  return `${d.getFullYear()}-${two(d.getMonth() + 1)}-${two(d.getDate())}`;
}

/** "2026-11-23 14:10" */
export const stampIn = (zone: string, iso: string): string => `${dateAt(zone, iso)} ${timeIn(zone, iso)}`;

/**
 * The instant of what somebody reads off the set's clock: "2026-11-23 14:10", "14:10" or "14.10" on the date `onDate`. Null where it is
 * none, a time that the clock leaves out in spring among them; of one that comes twice in autumn the first is meant.
 */
export function instantIn(zone: string, text: string, onDate: string | null = null): string | null {
  const m = /^(?:(\d{4}-\d\d-\d\d)[ T])?(\d{1,2})[:.](\d\d)$/.exec(text.trim());
  const date = m?.[1] ?? onDate;
  if (!m || !date) return null;
  const [y, mo, d] = date.split('-').map(Number);
  const [h, min] = [Number(m[2]), Number(m[3])];
  const wall = new TZDate(y, mo - 1, d, h, min, zone);
  const iso = new Date(wall.getTime()).toISOString();
  if (Number.isNaN(wall.getTime()) || stampIn(zone, iso) !== `${date} ${two(h)}:${two(min)}`) return null;
  const earlier = new Date(wall.getTime() - 3_600_000).toISOString();
  return stampIn(zone, earlier) === stampIn(zone, iso) ? earlier : iso;
}

/** "CEST", "GMT+2": what stands beside a time where another clock could be meant */
export function zoneWords(zone: string, iso: string): string {
  return new Intl.DateTimeFormat('en-GB', { timeZone: zone, timeZoneName: 'short' }).formatToParts(new Date(iso)).find((p) => p.type === 'timeZoneName')!.value;
}
