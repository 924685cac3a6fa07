import type { ClipTracks, TrackPoint } from '@mesure/core';
import { eachRow } from './csv-table';
import { FormatError } from './format-error';

/** Of a file: more is no take that anybody solves on a set. */
const MOST_ROWS = 2_000_000;
const REQUIRED = ['track', 'frame', 'x', 'y'] as const;

/** Tracks of a clip: `track,frame,x,y,weight,note`, by track and frame; a place that a solve must not use has weight 0. */
export function writeTracksCsv({ tracks }: Pick<ClipTracks, 'tracks'>, frameOf: (index: number) => number): string {
  const lines = tracks.flatMap((t) =>
    t.frames.map((index, i) => `${t.id},${frameOf(index)},${t.xPx[i].toFixed(3)},${t.yPx[i].toFixed(3)},${Number(t.weight[i].toFixed(3))},${t.note || (t.weight[i] === 0 ? 'masked' : '')}`),
  );
  return `track,frame,x,y,weight,note\n${lines.join('\n')}\n`;
}

/**
 * Tracks: CSV with the header `track,frame,x,y[,weight,note]`, in any order; a note says in words why a weight is 0; further columns are reported, not used.
 * @throws FormatError with file, line and field
 */
export function readTracksCsv(text: string, file: string): { tracks: TrackPoint[]; unknownColumns: string[] } {
  // one look at the line ends, before anything is made of them
  let lines = 0;
  for (let at = text.indexOf('\n'); at >= 0; at = text.indexOf('\n', at + 1)) lines += 1;
  if (lines > MOST_ROWS) throw new FormatError(file, null, null, `holds ${lines} rows; ${MOST_ROWS} are read (500 tracks over 4000 frames). Take every n-th track or a part of the frames`);
  const known = new Set<string>([...REQUIRED, 'weight', 'note']);
  // by track and frame, the line: numbers in a map of their own cost a tenth of a text for each place
  const seen = new Map<string, Map<number, number>>();
  const tracks: TrackPoint[] = [];
  const columns = eachRow(text, file, REQUIRED, 'track,frame,x,y[,weight]', (row) => {
    const track = row.text('track');
    if (track === '') throw new FormatError(file, row.line, 'track', 'is empty');
    const frame = row.number('frame');
    if (!Number.isInteger(frame)) throw new FormatError(file, row.line, 'frame', `"${frame}" is not a whole number`);
    let lines = seen.get(track);
    if (!lines) seen.set(track, (lines = new Map()));
    const before = lines.get(frame);
    if (before !== undefined) throw new FormatError(file, row.line, 'track', `track ${track} already has a place in frame ${frame} (line ${before})`);
    lines.set(frame, row.line);
    const weight = row.text('weight') !== '' ? row.number('weight') : 1;
    if (weight < 0) throw new FormatError(file, row.line, 'weight', `${weight} is below 0`);
    tracks.push({ track, frame, x: row.number('x'), y: row.number('y'), weight });
  });
  if (tracks.length === 0) throw new FormatError(file, null, null, 'holds no tracks');
  return { tracks, unknownColumns: columns.filter((h) => h !== '' && !known.has(h)) };
}
