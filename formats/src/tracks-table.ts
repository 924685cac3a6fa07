import Papa from 'papaparse';
import { csvText } from './csv-cells';
import { FormatError } from './format-error';

export { textOf } from './text';

export const TRACK_COLUMNS = ['track', 'frame', 'x', 'y', 'weight'] as const;
export type TrackColumn = (typeof TRACK_COLUMNS)[number];
const NEEDED: readonly TrackColumn[] = ['track', 'frame', 'x', 'y'];

/** Words for a column as tables of tracks have them. */
const ALIASES: Record<TrackColumn, readonly string[]> = {
  track: ['track', 'trackname', 'trackid', 'name', 'id', 'point', 'pointid', 'feature', 'marker', 'mark'],
  frame: ['frame', 'framenumber', 'frameno', 'fr', 'f'],
  x: ['x', 'xpx', 'px', 'u', 'posx', 'xpos', 'xpixel', 'xpixels'],
  y: ['y', 'ypx', 'py', 'v', 'posy', 'ypos', 'ypixel', 'ypixels'],
  weight: ['weight', 'confidence', 'score', 'quality'],
};
const plain = (text: string): string => text.toLowerCase().replace(/[^a-z0-9]/g, '');
const SAMPLE_ROWS = 6;

/** A table of tracks of another program: what separates its cells, its header (columns by number where it has none), and its first rows. */
export interface TracksTable {
  delimiter: string;
  hasHeader: boolean;
  header: string[];
  sample: string[][];
  columns: (TrackColumn | null)[];
}

/** Cells of a line that is separated by blanks come without those at its ends. */
const cellsOf = (row: string[], delimiter: string): string[] => (delimiter === ' ' ? row.filter((c) => c !== '') : row.map((c) => c.trim()));

/** How a table of tracks is laid out, by its first lines. @throws FormatError for what is no table */
export function lookAtTracks(text: string, file: string): TracksTable {
  const head = text
    .slice(0, 20_000)
    .replace(/^\uFEFF/, '')
    .split(/\r?\n/)
    .filter((l) => l.trim() !== '' && !l.startsWith('#'))
    .slice(0, SAMPLE_ROWS + 1);
  if (head.length < 2) throw new FormatError(file, null, null, 'holds no table of tracks');
  const delimiter = ['\t', ';', ',', ' '].find((d) => head.every((l) => l.trim().includes(d)));
  if (!delimiter) throw new FormatError(file, null, null, 'holds one column only; tracks need a name, a frame, x and y');
  const rows = head.map((l) => cellsOf(Papa.parse<string[]>(l, { delimiter }).data[0] ?? [], delimiter));
  const hasHeader = rows[0].filter((c) => Number.isFinite(Number(c.replace(',', '.')))).length < Math.min(2, rows[0].length);
  const header = hasHeader ? rows[0] : rows[0].map((_, i) => `column ${i + 1}`);
  const taken = new Set<TrackColumn>();
  const columns = header.map((name): TrackColumn | null => {
    const found = TRACK_COLUMNS.find((c) => !taken.has(c) && ALIASES[c].includes(plain(name))) ?? null;
    if (found) taken.add(found);
    return found;
  });
  return { delimiter, hasHeader, header, sample: rows.slice(hasHeader ? 1 : 0), columns };
}

/** Whether a table can be taken as it is. */
export const isTracksCsv = ({ delimiter, hasHeader, header }: TracksTable): boolean => delimiter === ',' && hasHeader && NEEDED.every((c) => header.some((h) => h.toLowerCase() === c));

/**
 * A table of tracks, its columns said, as the CSV that Mesure reads: `track,frame,x,y[,weight]`. A comma inside a number is a decimal comma, where
 * commas do not separate the cells.
 * @throws FormatError with the line and the column
 */
export function tracksCsvOf(text: string, file: string, { delimiter, hasHeader, header }: TracksTable, columns: readonly (TrackColumn | null)[]): string {
  const lacking = NEEDED.filter((c) => !columns.includes(c));
  if (lacking.length > 0) throw new FormatError(file, null, lacking[0], `no column holds ${lacking.join(', ')}`);
  const at = (c: TrackColumn) => columns.indexOf(c);
  const wanted = TRACK_COLUMNS.filter((c) => columns.includes(c));
  const rows: string[][] = [[...wanted]];
  let line = 0;
  let waiting = hasHeader;
  Papa.parse<string[]>(text.replace(/^\uFEFF/, ''), {
    delimiter,
    step({ data }) {
      line += 1;
      const cells = cellsOf(data, delimiter);
      if (cells.every((c) => c === '') || cells[0].startsWith('#')) return;
      if (waiting) {
        waiting = false;
        return;
      }
      rows.push(
        wanted.map((c) => {
          const cell = cells[at(c)];
          if (cell === undefined) throw new FormatError(file, line, header[at(c)], `the row ends after ${cells.length} cells`);
          if (c === 'track') return cell;
          const number = Number(delimiter === ',' ? cell : cell.replace(',', '.'));
          if (cell === '' || !Number.isFinite(number)) throw new FormatError(file, line, header[at(c)], `"${cell}" is not a number`);
          return String(number);
        }),
      );
    },
  });
  return csvText(rows);
}
