import type { AnchorFacts } from '../facts';
import { applySimilarity, det3, median, norm, sub, umeyama, type Vec3 } from '../math';

/** Surveyed points that tell a set from its mirror image: on one plane none do. */
const FEWEST_SURVEYED = 4;
/** Of their spread, off their best plane. */
const FLAT_SHARE = 0.05;
/** The mirror image must fit so much better, and the set itself miss by more than a tape explains. */
const MUCH_BETTER = 0.25;
const MISSED_M = 0.02;
/** A camera that dips below its floor in some frames is badly solved, not mirrored. */
const MOST_FRAMES = 0.9;

/**
 * Tracks that were counted upwards are solved into a mirrored world without any residual: only what was measured beside them tells. Either the
 * surveyed places fit the mirror image of the solve, or the camera stands below its own floor for the whole take, since the turn of the anchoring
 * goes by what is up for the camera.
 * @param heights of the camera over the ground through the level marks, a frame each, in any unit; null where no ground was measured
 * @param placed solved places by track, before anchoring
 * @returns what was seen, in words; null where nothing speaks for it
 */
export function mirroredSeen(heights: readonly number[] | null, placed: ReadonlyMap<string, Vec3>, facts: AnchorFacts): string | null {
  const survey = (facts.points ?? []).flatMap((p) => {
    const solved = placed.get(p.track);
    return solved ? [{ solved, said: [p.x, p.y, p.z] as Vec3 }] : [];
  });
  if (survey.length >= FEWEST_SURVEYED && !flat(survey.map((s) => s.said))) {
    const miss = (turned: (v: Vec3) => Vec3): number => {
      const from = survey.map((s) => turned(s.solved));
      const to = survey.map((s) => s.said);
      const t = umeyama(from, to);
      return Math.sqrt(from.reduce((sum, v, i) => sum + norm(sub(applySimilarity(t, v), to[i])) ** 2, 0) / from.length);
    };
    const [as, mirrored] = [miss((v) => v), miss(([x, y, z]) => [-x, y, z])];
    if (as > MISSED_M && mirrored < MUCH_BETTER * as)
      return `The surveyed places fit the mirror image of the solve to ${(1000 * mirrored).toFixed(0)} mm and the solve itself to ${(1000 * as).toFixed(0)} mm: the tracks seem to count y upwards.`;
    return null;
  }
  if (!heights || heights.filter((h) => h < 0).length < MOST_FRAMES * heights.length) return null;
  const measured = (facts.cameraHeights ?? []).some((h) => h.m > 0);
  return measured
    ? 'The camera comes out below the level marks, and a height above them was measured: the tracks seem to count y upwards.'
    : 'The camera comes out below the level marks for the whole take. If they are on the floor, the tracks count y upwards.';
}

/** Of the camera over the marks that are on the ground, which where facts fight need not lie at nought; null where they span no ground. */
export function heightsOverMarks(cameras: readonly number[], marks: readonly number[]): number[] | null {
  if (marks.length < 3) return null;
  const ground = median(marks);
  return cameras.map((h) => h - ground);
}

/** On one plane, or nearly. */
function flat(points: readonly Vec3[]): boolean {
  const [a] = points;
  const rays = points.map((p) => sub(p, a));
  const size = Math.max(...rays.map(norm));
  let most = 0;
  // the largest body of three rays, over the cube of the whole
  for (let i = 1; i < rays.length; i += 1)
    for (let j = i + 1; j < rays.length; j += 1) for (let k = j + 1; k < rays.length; k += 1) most = Math.max(most, Math.abs(det3([...rays[i], ...rays[j], ...rays[k]] as never)));
  return !(size > 0) || most < FLAT_SHARE * size ** 3 * 0.5;
}
