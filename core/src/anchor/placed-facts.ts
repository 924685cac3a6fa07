import { USUAL_SIGMA, type AnchorFacts } from '../facts';
import type { Vec3 } from '../math';
import { ANCHOR, type Warning } from '../warnings';
import type { AnchorInput } from './anchor-solve';
import type { PlaceRef } from './facts';

/** One fact of a setup: its place in the list that it was given in, what it is about in words, and what is left out with it. */
interface Placed {
  about: string;
  sigmaM: number;
  index: number;
  group: string;
}
interface PlacedLength extends Placed {
  a: PlaceRef;
  b: PlaceRef;
  m: number;
}

/** The facts of a setup whose places were solved. */
export interface PlacedFacts {
  level: { id: string; place: PlaceRef; group: string }[];
  origin: PlaceRef | null;
  /** both ends, or none */
  heading: [PlaceRef, PlaceRef] | null;
  lengths: PlacedLength[];
  /** from a camera to a mark */
  distances: PlacedLength[];
  heights: (Placed & { place: PlaceRef; m: number })[];
  surveyed: (Placed & { place: PlaceRef; to: Vec3 })[];
  stood: (Placed & { place: PlaceRef; to: Vec3; look?: { headingRad: number; tiltRad: number } })[];
  /** marks that facts speak of, in the order in which they come */
  marks: Map<string, PlaceRef>;
  /** what speaks of a place that was not solved */
  warnings: Warning[];
}

export const frameWords = (frame: number | 'last'): string => (frame === 'last' ? 'last frame' : `frame ${frame}`);

/** Marks and frames by their names, as far as they were solved; what was not is said. */
function finder({ trackIds, frames, lastFrame }: AnchorInput) {
  const warnings: Warning[] = [];
  const pointIndex = new Map(trackIds.map((id, i) => [id, i]));
  const frameIndex = new Map(frames.map((f, i) => [f, i]));
  const marks = new Map<string, PlaceRef>();
  const point = (id: string, where: string): PlaceRef | null => {
    const index = pointIndex.get(id);
    if (index === undefined) {
      warnings.push(ANCHOR.MARK_NOT_SOLVED(where, id));
      return null;
    }
    const place: PlaceRef = { kind: 'point', index };
    marks.set(id, place);
    return place;
  };
  const camera = (frame: number | 'last', what: string): PlaceRef | null => {
    // where the end of a take was not placed, what was measured there says nothing of the last frame that was
    const index = frameIndex.get(frame === 'last' ? (lastFrame ?? frames[frames.length - 1]) : frame);
    if (index !== undefined) return { kind: 'camera', index };
    warnings.push(ANCHOR.FRAME_NOT_PLACED(what, frame));
    return null;
  };
  return { point, camera, marks, warnings };
}

export function placeFacts(input: AnchorInput, facts: AnchorFacts): PlacedFacts {
  const { point, camera, marks, warnings } = finder(input);
  const level = (facts.level ?? []).flatMap((id) => {
    const place = point(id, 'Level');
    return place ? [{ place, id, group: `level ${id}` }] : [];
  });
  const origin = facts.origin ? point(facts.origin, 'Origin') : null;
  const ends = (facts.heading ?? []).map((id) => point(id, 'Heading'));
  const lengths = (facts.lengths ?? []).flatMap((l, index) => {
    const a = point(l.a, 'Length');
    const b = point(l.b, 'Length');
    return a && b ? [{ a, b, m: l.m, sigmaM: l.sigmaM ?? USUAL_SIGMA.tieM, about: `${l.a}–${l.b}`, index, group: `length ${index}` }] : [];
  });
  const heights = (facts.cameraHeights ?? []).flatMap((h, index) => {
    const place = camera(h.frame, 'Camera height');
    return place ? [{ place, m: h.m, sigmaM: h.sigmaM ?? USUAL_SIGMA.heightM, about: frameWords(h.frame), index, group: `height ${index}` }] : [];
  });
  const distances = (facts.distances ?? []).flatMap((d, index) => {
    const a = camera(d.frame, 'Distance');
    const b = a && point(d.to, 'Distance');
    return a && b ? [{ a, b, m: d.m, sigmaM: d.sigmaM ?? USUAL_SIGMA.distanceM, about: `${d.to}, ${frameWords(d.frame)}`, index, group: `distance ${index}` }] : [];
  });
  const surveyed = (facts.points ?? []).flatMap((p, index) => {
    const place = point(p.track, 'Surveyed point');
    return place ? [{ place, to: [p.x, p.y, p.z] as Vec3, sigmaM: p.sigmaM ?? USUAL_SIGMA.surveyedM, about: p.track, index, group: `surveyed ${index}` }] : [];
  });
  const stood = (facts.cameraPlaces ?? []).flatMap((c, index) => {
    const place = camera(c.frame, 'Camera place');
    return place ? [{ place, to: [c.x, c.y, c.z] as Vec3, look: c.look, sigmaM: c.sigmaM, about: frameWords(c.frame), index, group: `camera place ${index}` }] : [];
  });
  return { level, origin, heading: ends[0] && ends[1] ? [ends[0], ends[1]] : null, lengths, distances, heights, surveyed, stood, marks, warnings };
}
