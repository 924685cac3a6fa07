import type { TrackPoint } from '@mesure/core';
import Papa from 'papaparse';
import { FormatError } from './format-error';

const REQUIRED = ['track', 'frame', 'x', 'y'] as const;

/**
 * Tracks: CSV with the header `track,frame,x,y[,weight]`, in any order; further columns are reported, not used.
 * @throws FormatError with file, line and field
 */
export function readTracksCsv(text: string, file: string): { tracks: TrackPoint[]; unknownColumns: string[] } {
  const body = text.replace(/^\uFEFF/, '');
  const parsed = Papa.parse<string[]>(body, { skipEmptyLines: false });
  const rows = parsed.data;
  const header = (rows[0] ?? []).map((h) => h.trim().toLowerCase());
  for (const name of REQUIRED) if (!header.includes(name)) throw new FormatError(file, 1, name, `the header has no column "${name}"; it must hold track,frame,x,y[,weight]`);
  const at = (name: string) => header.indexOf(name);
  const known = new Set<string>([...REQUIRED, 'weight']);
  const tracks: TrackPoint[] = [];
  const seen = new Map<string, number>();
  for (let i = 1; i < rows.length; i += 1) {
    const row = rows[i];
    if (row.length === 1 && row[0].trim() === '') continue;
    const line = i + 1;
    if (row.length < header.length) throw new FormatError(file, line, null, `has ${row.length} values where the header names ${header.length}`);
    const number = (name: string): number => {
      const raw = (row[at(name)] ?? '').trim();
      const value = Number(raw);
      if (raw === '' || !Number.isFinite(value)) throw new FormatError(file, line, name, `"${raw}" is not a number`);
      return value;
    };
    const track = row[at('track')].trim();
    if (track === '') throw new FormatError(file, line, 'track', 'is empty');
    const frame = number('frame');
    if (!Number.isInteger(frame)) throw new FormatError(file, line, 'frame', `"${frame}" is not a whole number`);
    const key = `${frame}\u0000${track}`;
    const before = seen.get(key);
    if (before !== undefined) throw new FormatError(file, line, 'track', `track ${track} already has a place in frame ${frame} (line ${before})`);
    seen.set(key, line);
    const weight = at('weight') >= 0 && (row[at('weight')] ?? '').trim() !== '' ? number('weight') : 1;
    if (weight < 0) throw new FormatError(file, line, 'weight', `${weight} is below 0`);
    tracks.push({ track, frame, x: number('x'), y: number('y'), weight });
  }
  if (tracks.length === 0) throw new FormatError(file, null, null, 'holds no tracks');
  return { tracks, unknownColumns: header.filter((h) => h !== '' && !known.has(h)) };
}
