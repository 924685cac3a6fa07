import { jsonText } from './json';

/** A take as an edit list names it. */
export interface EditClip {
  name: string;
  /** as the camera called it; null where nobody noted it */
  clip: string | null;
  /** first frame and number of frames, in frames since midnight at `fps`; null where no timecodes were noted */
  range: { first: number; count: number } | null;
  fps: number;
  metadata: Record<string, unknown>;
}

/**
 * Takes in the order in which they were shot, as an OpenTimelineIO timeline (JSON): a clip a take, its media not linked, its range by timecode.
 * A take without timecodes has no range, and stands in the timeline's metadata instead of in its track, where a clip without one could not be read.
 * Source  OpenTimelineIO, file format specification (schemas Timeline.1, Stack.1, Track.1, Clip.1, MissingReference.1).
 */
export function writeOtio(name: string, clips: readonly EditClip[]): string {
  const time = (value: number, rate: number) => ({ OTIO_SCHEMA: 'RationalTime.1', rate, value });
  const ranged = clips.filter((c) => c.range !== null);
  const children = ranged.map((c) => {
    const range = { OTIO_SCHEMA: 'TimeRange.1', start_time: time(c.range!.first, c.fps), duration: time(c.range!.count, c.fps) };
    return {
      OTIO_SCHEMA: 'Clip.1',
      name: c.name,
      source_range: range,
      effects: [],
      markers: [],
      media_reference: { OTIO_SCHEMA: 'MissingReference.1', name: c.clip ?? '', available_range: range, metadata: {} },
      metadata: { mesure: c.metadata },
    };
  });
  return jsonText({
    OTIO_SCHEMA: 'Timeline.1',
    name,
    global_start_time: null,
    tracks: {
      OTIO_SCHEMA: 'Stack.1',
      name: 'tracks',
      source_range: null,
      effects: [],
      markers: [],
      metadata: {},
      children: [{ OTIO_SCHEMA: 'Track.1', name: 'takes', kind: 'Video', source_range: null, effects: [], markers: [], metadata: {}, children }],
    },
    metadata: { mesure: { withoutTimecode: clips.filter((c) => c.range === null).map((c) => ({ name: c.name, clip: c.clip, ...c.metadata })) } },
  });
}

/** The same as text with tabs between columns, a head with the rate before it, as logs of this trade are passed on. */
export function writeTakeLog(fps: number, columns: readonly string[], rows: readonly (readonly string[])[]): string {
  const cell = (text: string) => text.replace(/[\t\r\n]+/g, ' ');
  const line = (cells: readonly string[]) => `${cells.map(cell).join('\t')}\n`;
  return `Heading\nFIELD_DELIM\tTABS\nFPS\t${fps}\n\nColumn\n${line(columns)}\nData\n${rows.map(line).join('')}`;
}
