import { type HeightReading, type StoredRecord } from '@mesure/contract';
import { formatLength, radToDeg } from '@mesure/core';
import { tidy, writeCsv, writeReadingsCsv, type ReadingRow } from '@mesure/formats';
import type { HandoverFile } from './day';

interface Day {
  setups: StoredRecord<'setup'>[];
  sets: StoredRecord<'set'>[];
  takes: StoredRecord<'take'>[];
  ties: StoredRecord<'tie'>[];
  lights: StoredRecord<'light'>[];
}

/** Every reading of the day as it was measured, and every light reference. */
export function logFiles(day: Day): HandoverFile[] {
  const { takes, setups, lights } = day;
  const readings = [...takes.flatMap((t) => takeReadings(t, day)), ...tieReadings(day)];
  const files: HandoverFile[] = [];
  if (readings.length > 0) files.push({ path: 'readings.csv', what: 'every height, angle, distance and tie as it was measured', readWith: 'CSV', make: async () => writeReadingsCsv(readings) });
  if (lights.length > 0) {
    const rows = lights.map(({ body: l, updatedBy }) => [
      setups.find((s) => s.id === l.setupId)?.body.name ?? '',
      l.what,
      l.place === null ? '' : l.place + 1,
      l.shotAt,
      l.sun?.azimuthDeg ?? '',
      l.sun?.elevationDeg ?? '',
      l.note,
      updatedBy,
    ]);
    const header = ['setup', 'what', 'place', 'shot at', 'sun_azimuth_deg', 'sun_elevation_deg', 'note', 'by'];
    files.push({ path: 'light-reference.csv', what: 'light references that were shot, with the sun of that minute', readWith: 'CSV', make: async () => writeCsv([header, ...rows]) });
  }
  return files;
}

const nameOf = (t: StoredRecord<'take'>, setups: readonly StoredRecord<'setup'>[]): string => setups.find((s) => s.id === t.body.setupId)?.body.name ?? '';
function takeReadings(t: StoredRecord<'take'>, { setups }: Day): ReadingRow[] {
  const carriedAs = (key: string) => (t.body.carried.includes(key) ? ('carried over' as const) : ('measured' as const));
  const common = { setup: nameOf(t, setups), take: `${t.body.slate}-${t.body.take}`, when: t.body.loggedAt, who: t.updatedBy };
  const rows: ReadingRow[] = [];
  const height = (h: HeightReading | null | undefined, quantity: string, about: string) => {
    if (!h) return;
    const repeats = h.repeatsM ? `, mean of ${h.repeatsM.map((m) => formatLength(m, 'm')).join(', ')}` : '';
    rows.push({
      ...common,
      quantity,
      about: `${about}, offset to entrance pupil ${formatLength(h.offsetM, 'm')}${repeats}`,
      value: tidy(h.valueM),
      unit: 'm',
      as_entered: h.typed,
      tolerance: h.toleranceM,
      instrument: h.instrument ?? '',
      taken_at: h.takenAt,
      carried: carriedAs(quantity === 'camera height' ? 'height' : 'heightEnd'),
    });
  };
  height(t.body.height, 'camera height', `frame ${t.body.heightFrame}`);
  height(t.body.heightEnd, 'camera height at the end', 'last frame');
  for (const which of ['tilt', 'roll'] as const) {
    const a = t.body[which];
    if (a)
      rows.push({
        ...common,
        quantity: which,
        about: '',
        value: Number(radToDeg(a.valueRad).toFixed(6)),
        unit: 'deg',
        as_entered: a.typed,
        tolerance: Number(radToDeg(a.toleranceRad).toFixed(6)),
        instrument: a.instrument ?? '',
        taken_at: '',
        carried: carriedAs(which),
      });
  }
  const d = t.body.distance;
  if (d)
    rows.push({
      ...common,
      quantity: 'distance',
      about: `to ${d.to}`,
      value: tidy(d.valueM),
      unit: 'm',
      as_entered: d.typed,
      tolerance: d.toleranceM,
      instrument: d.instrument ?? '',
      taken_at: 'sensor mark',
      carried: carriedAs('distance'),
    });
  return rows;
}

function tieReadings({ setups, sets, ties }: Day): ReadingRow[] {
  const used = new Set(setups.map((s) => s.body.setId));
  return ties
    .filter((t) => used.has(t.body.setId))
    .map((t) => ({
      setup: sets.find((s) => s.id === t.body.setId)?.body.name ?? '',
      take: '',
      quantity: 'tie',
      about: `${t.body.from} to ${t.body.to}`,
      value: tidy(t.body.length.valueM),
      unit: 'm',
      as_entered: t.body.length.typed,
      tolerance: t.body.length.toleranceM,
      instrument: t.body.instrument,
      taken_at: '',
      carried: 'measured' as const,
      when: t.body.measuredAt,
      who: t.updatedBy,
    }));
}
