import { countedStills, walkOf, type FileRef, type StoredRecord } from '@mesure/contract';
import { exposureStops, radToDeg, stationNames } from '@mesure/core';
import { writeCsv } from '@mesure/formats';
import { slug, type HandoverFile } from './day';

interface Pictures {
  setups: StoredRecord<'setup'>[];
  takes: StoredRecord<'take'>[];
  plans: StoredRecord<'plan'>[];
  sets: StoredRecord<'set'>[];
  stills: StoredRecord<'still'>[];
  lights: StoredRecord<'light'>[];
  photos: StoredRecord<'photo'>[];
  /** of the lenses that shot */
  plates: { lens: string; body: StoredRecord<'plate' | 'edges'>['body'] }[];
  recces: StoredRecord<'recce'>[];
  /** of a take alone */
  folderOf(take: StoredRecord<'take'>): string;
}

/** All pictures of the day as they were given, and tables that say what each of them is. */
export function pictureFiles(day: Pictures): HandoverFile[] {
  return [...stillFiles(day), ...takePictures(day), ...lightPictures(day), ...markPhotos(day), ...platePictures(day), ...reccePictures(day)];
}

const stored = (path: string, what: string, { sha256 }: FileRef): HandoverFile => ({ path, what, readWith: 'the picture as it was given', make: async () => '', stored: sha256 });
const two = (n: number): string => String(n).padStart(2, '0');
const fixed = (v: number | null | undefined, digits: number): number | '' => (v === null || v === undefined ? '' : Number(v.toFixed(digits)));

/** Where a still stands in a handover. */
export const stillPath = (setup: StoredRecord<'setup'>, { station, picture }: { station: number; picture: { name: string } }): string =>
  `stills/${slug(setup.body.name)}/${two(station + 1)}-${slug(picture.name)}`;

function stillFiles({ setups, plans, stills }: Pictures): HandoverFile[] {
  const files: HandoverFile[] = [];
  const rows: (string | number)[][] = [];
  for (const setup of setups) {
    const walk = walkOf(plans.find((p) => p.body.setupId === setup.id)?.body ?? null);
    const names = walk ? stationNames(walk.stations) : [];
    for (const still of countedStills(stills.filter((s) => s.body.setupId === setup.id).map((s) => ({ ...s.body, by: s.updatedBy })))) {
      const station = walk?.stations[still.station];
      const path = stillPath(setup, still);
      const spreads = (still.look?.zones ?? []).flatMap((z) => [z.downPx, z.acrossPx]).filter((v) => v !== null);
      rows.push([
        setup.body.name,
        names[still.station] ?? still.station + 1,
        path,
        still.shotAt,
        fixed(station?.at[0], 3),
        fixed(station?.at[1], 3),
        fixed(station?.at[2], 3),
        fixed(station ? radToDeg(station.headingRad) : null, 2),
        fixed(station ? radToDeg(station.tiltRad) : null, 2),
        still.widthPx,
        still.heightPx,
        fixed(still.notes?.focalMm, 2),
        fixed(still.notes?.exposureS, 6),
        fixed(still.notes?.fNumber, 2),
        fixed(still.notes?.iso, 0),
        fixed(spreads.length > 0 ? Math.min(...spreads) : null, 2),
        still.by,
      ]);
      files.push(stored(path, `still of station ${names[still.station] ?? still.station + 1}`, still.picture));
    }
  }
  const header = [
    ...['setup', 'station', 'file', 'shot at', 'planned_x_m', 'planned_y_m', 'planned_z_m', 'planned_heading_deg', 'planned_tilt_deg'],
    ...['width_px', 'height_px', 'focal_mm', 'exposure_s', 'f_number', 'iso', 'sharpest_edge_px', 'by'],
  ];
  return rows.length === 0 ? [] : [{ path: 'stills.csv', what: 'every still with its planned station', readWith: 'CSV', make: async () => writeCsv([header, ...rows]) }, ...files];
}

const platePictures = ({ plates }: Pictures): HandoverFile[] =>
  plates.map(({ lens, body }) => stored(`lenses/plates/${slug(lens)}-${body.focalMm}mm-${slug(body.picture.name)}`, `plate of ${lens}`, body.picture));

const reccePictures = ({ setups, recces }: Pictures): HandoverFile[] =>
  recces.map(({ body: r }) => {
    const setup = setups.find((s) => s.id === r.setupId)!.body;
    return stored(`setups/${slug(setup.scene)}-${slug(setup.name)}/recce/${slug(r.picture.name)}`, 'picture of the recce', r.picture);
  });

const takePictures = ({ takes, folderOf }: Pictures): HandoverFile[] =>
  takes.flatMap((t) => (t.body.pictures ?? []).map((q) => stored(`${folderOf(t)}/pictures/${slug(q.name)}`, `picture of ${t.body.slate} take ${t.body.take}`, q)));

function lightPictures({ setups, lights }: Pictures): HandoverFile[] {
  const rows: (string | number)[][] = [];
  const files = lights.flatMap(({ body: l }) =>
    (l.pictures ?? []).map((q) => {
      const setup = setups.find((s) => s.id === l.setupId)!.body.name;
      const path = `light/${slug(setup)}/${slug(`${l.what}${l.place === null ? '' : ` ${l.place + 1}`}`)}-${slug(q.name)}`;
      rows.push([
        setup,
        l.what,
        l.place === null ? '' : l.place + 1,
        path,
        fixed(q.exposure?.seconds, 6),
        fixed(q.exposure?.fNumber, 2),
        fixed(q.exposure?.iso, 0),
        fixed(q.exposure ? exposureStops(q.exposure) : null, 2),
      ]);
      return stored(path, `${l.what} of the light`, q);
    }),
  );
  const header = ['setup', 'what', 'place', 'file', 'exposure_s', 'f_number', 'iso', 'stops_against_1s_f1_iso100'];
  return rows.length === 0 ? [] : [{ path: 'light-pictures.csv', what: 'how each picture of the light was exposed', readWith: 'CSV', make: async () => writeCsv([header, ...rows]) }, ...files];
}

function markPhotos({ setups, sets, photos }: Pictures): HandoverFile[] {
  const used = new Set(setups.map((s) => s.body.setId));
  const mine = photos.filter((q) => used.has(q.body.setId));
  if (mine.length === 0) return [];
  const pathOf = (q: StoredRecord<'photo'>) => `marks/${slug(sets.find((s) => s.id === q.body.setId)?.body.name ?? '')}-${slug(q.body.picture.name)}`;
  const rows = mine.flatMap((q) => q.body.marks.map((m) => [sets.find((s) => s.id === q.body.setId)?.body.name ?? '', m.mark, pathOf(q), fixed(m.x, 2), fixed(m.y, 2)]));
  return [
    { path: 'marks.csv', what: 'where marks are in photos of the set, pixels', readWith: 'CSV', make: async () => writeCsv([['set', 'mark', 'file', 'x_px', 'y_px'], ...rows]) },
    ...mine.map((q) => stored(pathOf(q), 'photo of the set with marks', q.body.picture)),
  ];
}
