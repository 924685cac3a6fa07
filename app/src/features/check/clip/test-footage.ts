import type { FootageBody } from '@mesure/contract';
import { ID } from '../../test-day';

/** A clip of the test day's take, with nothing drawn in it. */
export const FOOTAGE_BLANK: FootageBody = {
  takeId: ID.take,
  file: { sha256: 'c'.repeat(64), name: 'A_t1.mp4' },
  widthPx: 2048,
  heightPx: 1080,
  frames: 48,
  fps: 24,
  timecode: '10:00:00:00',
  firstFrame: 1001,
  most: null,
  masks: [],
  marks: [],
};
