import { CLIP_WARNING, trackClip, type ClipNote } from '@mesure/core';
import { writeTracksCsv } from '@mesure/formats';
import { openFrames } from '@mesure/formats/picture';
import { readFileSync } from 'node:fs';
import type { Computation, TracksInput } from '../compute-types';
import { FRAMES_SHARE } from './frames';

export const computeTracks: Computation<TracksInput> = ({ input, given: { clip } }, report) => {
  if (!clip) throw new Error(`the frames of ${input.file.name} were not laid out`);
  const source = openFrames(clip.frames);
  try {
    const inClip = (m: { index: number }) => m.index < source.count;
    const result = trackClip(source, {
      most: input.most ?? undefined,
      masks: input.masks,
      marks: input.marks.filter(inClip).map((m) => ({ id: m.name, index: m.index, xPx: m.x, yPx: m.y })),
      squeeze: input.squeeze,
      onProgress: (stage, done, total) =>
        report(FRAMES_SHARE + (1 - FRAMES_SHARE) * (stage === 'following' ? (0.8 * done) / total : 0.8 + (0.2 * done) / total), stage === 'following' ? `following, frame ${done} of ${total}` : stage),
    });
    const name = input.file.name.replace(/\.[^.]+$/, '');
    const of = (note: ClipNote) => result.tracks.filter((t) => t.note === note).length;
    const outside = input.marks.length - input.marks.filter(inClip).length;
    return {
      ok: true,
      made: [
        { name: `${name} tracks.csv`, mime: 'text/csv', what: 'tracks', bytes: Buffer.from(writeTracksCsv(result, (i) => i + input.firstFrame)) },
        { name: `${name} frames.mjpeg`, mime: 'application/octet-stream', what: 'strip', bytes: readFileSync(clip.strip.file) },
      ],
      outcome: {
        kind: 'tracks',
        clip: clip.facts,
        widthPx: source.widthPx,
        heightPx: source.heightPx,
        firstFrame: input.firstFrame,
        everyNth: clip.strip.everyNth,
        frames: result.frames,
        counts: { used: of(''), moving: of('moving'), burntIn: of('burn-in'), masked: of('masked'), byHand: result.tracks.filter((t) => t.byHand).length },
        judged: result.judged,
        warnings: [...result.warnings, ...(outside > 0 ? [CLIP_WARNING.MARKS_BEHIND_END(outside)] : [])],
      },
    };
  } finally {
    source.close();
  }
};
