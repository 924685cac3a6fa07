import { CoreError } from '../errors';
import { inOrder, placeBetween } from './between-frames';
import type { TrackPoint } from '../track/track-point';
import type { SolveSetup } from './setup';

/** A sensor cannot take longer for a picture than the picture lasts. Two hundredths above are the rounding of both. */
const MOST_OF_A_FRAME = 1.02;
/** Of a frame; the moments of a move at the rate of the pictures are no better known. */
const CLOSE = 1e-6;
const ROUNDS = 12;

/** Share of a frame's time from the first row to the last. @throws CoreError INVALID_OPTION for a time that is none, that no frame has, or without a frame rate */
export function readoutShare(ms: number, fps: number | undefined): number {
  if (!(ms > 0)) throw new CoreError('INVALID_OPTION', `readout.ms is ${ms}; it must be above 0`, 'readout.ms');
  if (!fps || !(fps > 0)) throw new CoreError('INVALID_OPTION', 'A readout skew needs the frame rate: fps', 'fps');
  const share = (ms / 1000) * fps;
  if (share > MOST_OF_A_FRAME)
    throw new CoreError('INVALID_OPTION', `A readout of ${ms} ms is longer than a frame at ${fps} a second (${(1000 / fps).toFixed(1)} ms): one of the two is wrong`, 'readout.ms');
  return share;
}

/**
 * Tracks as they would be if all rows had been read at the moment of the middle one. A place in row y of frame i was seen at i + d(y), with
 * d(y) = share · (y / height − ½) frames. Along its own track the s is sought at which s + d(y(s)) is the frame: exact for any move that the
 * frames sample. A place without a neighbour cannot be taken to another moment, and is left out.
 * @param share of a frame's time from the first row to the last; negative: the last one is read first
 * @param heightPx of the picture that the tracks count in
 * @returns the tracks, and how many places had no neighbour
 */
export function atMiddleRow(tracks: readonly TrackPoint[], share: number, heightPx: number): { tracks: TrackPoint[]; alone: number } {
  const late = (y: number): number => share * (y / heightPx - 0.5);
  // beyond an end no place is later than the last row, nor much farther for having moved meanwhile
  const beyond = Math.abs(share);
  const byTrack = inOrder(tracks);
  const out: TrackPoint[] = [];
  for (const point of tracks) {
    const mine = byTrack.get(point.track)!;
    let s = point.frame - late(point.y);
    let place = placeBetween(mine, s, beyond);
    for (let i = 0; i < ROUNDS && place; i += 1) {
      const next: number = point.frame - late(place.y);
      const moved = Math.abs(next - s);
      s = next;
      place = placeBetween(mine, s, beyond);
      if (moved < CLOSE) break;
    }
    // several places mixed are quieter than one, but only from frame to frame: together they say no more
    if (place) out.push({ ...point, x: place.x, y: place.y, ...(place.noise > 1 ? { weight: (point.weight ?? 1) / place.noise } : {}) });
  }
  return { tracks: out, alone: tracks.length - out.length };
}

/** The same for a solve's setup: as they are, where it says nothing of a readout. */
export function readoutSkewOut(tracks: readonly TrackPoint[], { readout, fps, image }: SolveSetup): { tracks: readonly TrackPoint[]; alone: number } {
  if (!readout) return { tracks, alone: 0 };
  return atMiddleRow(tracks, readoutShare(readout.ms, fps), image.height);
}
