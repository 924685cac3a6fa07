import { median, quatToMat, type Vec3 } from '../math';
import type { SolveSetup } from '../solve';
import { FOREIGN_UNITS, metresOf, type ForeignMove, type ForeignReading } from './move';
import type { ReadMove } from './read-move';

/** A reading that the file itself, or what was measured, speaks against; with the one that would explain it. */
export interface ReadingDoubt {
  code: 'looks' | 'up' | 'unit' | 'frames';
  words: string;
  instead: Partial<ForeignReading>;
}

/** So many of the points before it make a camera that looks at them. */
const MOST_BEFORE = 0.5;
/** A camera is rolled by more than 45 degrees hardly ever. */
const UPRIGHT = Math.SQRT1_2;
/** A ratio within this of that of two units is taken for it. */
const NEAR_RATIO = 0.15;

const ahead = (q: ReadMove['frames'][number]['rotation']): Vec3 => {
  const m = quatToMat(q);
  return [-m[2], -m[5], -m[8]];
};

/**
 * What speaks against how a move was read: points behind its camera (the other way of looking), a camera that lies on its side (the other axis
 * upwards), lengths that are of another unit by what was measured, frames that the take's readings do not have.
 * @param scale metres by what was measured over metres as read; null: nothing says
 */
export function doubtReading(read: ReadMove, reading: ForeignReading, move: Pick<ForeignMove, 'metres' | 'up'>, setup: SolveSetup, scale: number | null): ReadingDoubt[] {
  const doubts: ReadingDoubt[] = [];
  const shares = read.frames.map((f) => {
    const d = ahead(f.rotation);
    return read.points.filter((p) => d.reduce((s, v, k) => s + v * (p.position[k] - f.position[k]), 0) > 0).length / Math.max(1, read.points.length);
  });
  if (read.points.length >= 4 && median(shares) < MOST_BEFORE)
    doubts.push({
      code: 'looks',
      words: `Read so, its points lie behind its camera: it looks along its own ${reading.looks === '-Z' ? '+Z' : '−Z'}, it seems.`,
      instead: { looks: reading.looks === '-Z' ? '+Z' : '-Z' },
    });
  const ups = read.frames.map((f) => quatToMat(f.rotation)[4]);
  if (Math.abs(median(ups)) < UPRIGHT)
    doubts.push({ code: 'up', words: `Read so, its camera lies on its side: ${reading.up === 'Y' ? 'Z' : 'Y'} points upwards in it, it seems.`, instead: { up: reading.up === 'Y' ? 'Z' : 'Y' } });
  if (scale !== null && reading.unit !== 'of the solve' && move.metres === null) {
    const other = FOREIGN_UNITS.find((u) => u !== 'of the solve' && u !== reading.unit && Math.abs(Math.log(metresOf(u) / metresOf(reading.unit) / scale)) < NEAR_RATIO);
    if (other) doubts.push({ code: 'unit', words: `By what was measured on the set, its lengths are in ${other}, not in ${reading.unit}.`, instead: { unit: other } });
  }
  const asked = [...(setup.anchors?.cameraHeights ?? []), ...(setup.anchors?.distances ?? []), ...(setup.anchors?.cameraAngles ?? [])].map((r) => r.frame).filter((f): f is number => f !== 'last');
  const [first, last] = [read.frames[0].frame, read.frames[read.frames.length - 1].frame];
  const outside = asked.find((f) => f < first || f > last);
  if (outside !== undefined)
    doubts.push({
      code: 'frames',
      words: `Its frames are ${first} to ${last}, and what was measured was measured at frame ${outside}: its first frame is another number here, it seems.`,
      instead: { addFrames: reading.addFrames + outside - first },
    });
  return doubts;
}
