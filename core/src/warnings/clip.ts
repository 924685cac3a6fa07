import { tableOf } from './warning';

const inFrames = (from: number, to: number): string => (from === to ? `in frame ${from + 1}` : `from frame ${from + 1} to ${to + 1}`);

/** Of following a clip. Frames count from 0 here, and from 1 in the words. */
export const CLIP = tableOf({
  NOBODY_JUDGED: () => 'No camera was found that explains the tracks, so that nobody could tell what moves by itself. Mask it before you trust a solve.',
  CLIP_THIN: (least: number, from: number, to: number) => `Fewer than ${least} tracks ${inFrames(from, to)} of the clip: no camera can be found there.`,
  CLIP_CROWDED: (from: number, to: number) => `From frame ${from + 1} to ${to + 1} of the clip the tracks lie in a third of the picture or less: turns and moves are hard to tell apart there.`,
  CLIP_MOVING: (moving: number, of: number) => `${moving} of ${of} tracks do not behave like still points, and have weight 0.`,
  CLIP_BURNT_IN: (tracks: number) => `${tracks} tracks lie on something that is burnt into the picture, and have weight 0.`,
  MARKS_BEHIND_END: (marks: number) => `${marks} marked features lie behind the last frame of this clip and were left out.`,
});
