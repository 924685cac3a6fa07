/** JPEGs that lie one after the other, apart: each ends where an end-of-image marker is followed by the next start, or by nothing (ITU-T T.81, B.1.1.3). */
export function jpegsOf(bytes: Uint8Array): Uint8Array[] {
  const found: Uint8Array[] = [];
  let start = 0;
  for (let i = 0; i + 1 < bytes.length; i += 1) {
    if (bytes[i] !== 0xff || bytes[i + 1] !== 0xd9) continue;
    const next = i + 2;
    if (next < bytes.length && !(bytes[next] === 0xff && bytes[next + 1] === 0xd8)) continue;
    if (bytes[start] === 0xff && bytes[start + 1] === 0xd8) found.push(bytes.subarray(start, next));
    start = next;
  }
  return found;
}

export interface DrawnTrack {
  id: string;
  /** rising */
  frames: number[];
  xPx: number[];
  yPx: number[];
  weight: number[];
  note: string;
}

/** Tracks as writeTracksCsv writes them, by track, for looking at. A row that is none is passed over: what is solved is read by readTracksCsv. */
export function drawnTracks(text: string): DrawnTrack[] {
  const byId = new Map<string, DrawnTrack>();
  for (const line of text.split('\n').slice(1)) {
    const [id, frame, x, y, weight, note = ''] = line.split(',');
    if (weight === undefined) continue;
    let t = byId.get(id);
    if (!t) byId.set(id, (t = { id, frames: [], xPx: [], yPx: [], weight: [], note }));
    t.frames.push(Number(frame));
    t.xPx.push(Number(x));
    t.yPx.push(Number(y));
    t.weight.push(Number(weight));
    // one that is masked for a while is not masked
    if (note === '') t.note = '';
  }
  return [...byId.values()];
}
