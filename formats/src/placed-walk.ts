import { OWN_SPACE, walkAsSolve, type PlacedWalk, type Space } from '@mesure/core';
import { csvText } from './csv-cells';
import { readTable } from './csv-table';
import { FormatError } from './format-error';
import { tidy } from './json';
import { placesUnit, placing } from './shot/shot';
import { writePointsCsv, writePointsPly } from './shot/tables';

/** What a placed walk's files say of each picture beside where it was. */
export interface PlacedPicture {
  file: string;
  /** null: nobody planned it */
  station: string | null;
  widthPx: number;
  heightPx: number;
}
interface WalkFile {
  name: string;
  walk: PlacedWalk;
  pictures: readonly PlacedPicture[];
  space?: Space;
}

const shotOf = ({ name, walk, pictures, space }: WalkFile) => ({ name, solve: walkAsSolve(walk, pictures), space });

/**
 * Where each picture was taken: place and unit quaternion camera to world, its own focal length in px, its principal point in the middle, and the distortion
 * (radial, over `normalised_px`) where one was found, so that a reader can project with it. A picture without a place has an empty one, and why.
 */
export function writePlacedStillsCsv(file: WalkFile): string {
  const { walk, pictures, space = OWN_SPACE } = file;
  const shot = shotOf(file);
  const [unit, into] = [placesUnit(shot), placing(shot)];
  const focalOf = new Map(walk.lenses.flatMap((l) => l.stills.map((i) => [i, l] as const)));
  const whyOf = new Map(walk.unplaced.map((u) => [u.still, u.why]));
  const rows = pictures.map((p, i) => {
    const s = walk.stills[i];
    const lens = focalOf.get(i);
    const place = s ? into.place(s.position).map(tidy) : ['', '', ''];
    const spread = s && s.sigma !== null ? into.spread([s.sigma, s.sigma, s.sigma])[0] : null;
    return [
      ...[p.file, p.station ?? '', ...place, ...(s ? into.rotation(s.rotation).map(tidy) : ['', '', '', '']), spread === null ? '' : tidy(spread)],
      ...[lens && s ? tidy(lens.focalPx) : '', lens && s && lens.sigmaPx !== null ? tidy(lens.sigmaPx) : '', lens?.lens ?? '', p.widthPx / 2, p.heightPx / 2, p.widthPx, p.heightPx],
      ...(s && walk.bends && lens ? [tidy(walk.bends.k1), tidy(walk.bends.k2), tidy(lens.recordedPx)] : ['', '', '']),
      ...[s ? s.places : '', s ? tidy(s.rmsPx) : '', s && s.offStationM !== null ? tidy(s.offStationM) : '', unit, space.up, whyOf.get(i) ?? ''],
    ];
  });
  const header = [
    ...['file', 'station', 'x', 'y', 'z', 'qx', 'qy', 'qz', 'qw', 'sigma'],
    ...['focal_px', 'sigma_focal_px', 'lens', 'cx_px', 'cy_px', 'width_px', 'height_px'],
    ...['k1', 'k2', 'normalised_px'],
    ...['places', 'rms_px', 'off_station_m', 'unit', 'up', 'why_not'],
  ];
  return csvText([header, ...rows]);
}

/** Places that the pictures have in common. */
export const writeWalkPlacesCsv = (walk: WalkFile): string => writePointsCsv(shotOf(walk));
export const writeWalkPlacesPly = (walk: WalkFile): string => writePointsPly(shotOf(walk));

/** The same marks as they leave; `readStillMarksCsv` reads them. */
export const writeStillMarksCsv = (marks: readonly { file: string; id: string; xPx: number; yPx: number }[]): string =>
  csvText([['file', 'id', 'x', 'y'], ...marks.map((m) => [m.file, m.id, tidy(m.xPx), tidy(m.yPx)])]);

/** Marks pointed out in several pictures: CSV with the header `file,id,x,y`, px of the picture from its upper left corner. @throws FormatError */
export function readStillMarksCsv(text: string, file: string): { file: string; id: string; xPx: number; yPx: number }[] {
  const { rows } = readTable(text, file, ['file', 'id', 'x', 'y'], 'file,id,x,y');
  const seen = new Map<string, number>();
  const marks = rows.map((row) => {
    const [picture, id] = [row.text('file'), row.text('id')];
    for (const field of ['file', 'id']) if (row.text(field) === '') throw new FormatError(file, row.line, field, 'is empty');
    const before = seen.get(`${picture} ${id}`);
    if (before !== undefined) throw new FormatError(file, row.line, 'id', `${id} is marked in ${picture} already in line ${before}`);
    seen.set(`${picture} ${id}`, row.line);
    return { file: picture, id, xPx: row.number('x'), yPx: row.number('y') };
  });
  if (marks.length === 0) throw new FormatError(file, null, null, 'holds no marks');
  return marks;
}
