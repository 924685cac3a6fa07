import { USUAL_SIGMA } from '../facts';
import type { AnchorFacts } from '../facts';
import type { Vec3 } from '../math';
import type { AnchorInput } from './anchor-solve';
import { placeOf } from './fact-spread';
import { headingFact, lengthFact, onAxis, type PlaceRef, type ScalarFact } from './facts';
import type { StartInput } from './start-similarity';
import { ANCHOR, type Warning } from '../warnings';

/** The facts of a setup as they speak of this solve. */
export interface ReadFacts {
  list: ScalarFact[];
  warnings: Warning[];
  /** marks that facts speak of, by name, in the order in which they come */
  marks: { id: string; place: PlaceRef }[];
  /** what a rough similarity is made of, of the groups that are kept */
  start(keeps: (group: string) => boolean): StartInput;
  /** what the world's axes are, in words */
  datum(levelled: boolean): string[];
}

export const frameWords = (frame: number | 'last'): string => (frame === 'last' ? 'last frame' : `frame ${frame}`);

/** Facts whose places were solved, as numbers; the others are said. */
export function readFacts(input: AnchorInput, facts: AnchorFacts): ReadFacts {
  const warnings: Warning[] = [];
  const pointIndex = new Map(input.trackIds.map((id, i) => [id, i]));
  const frameIndex = new Map(input.frames.map((f, i) => [f, i]));
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
  const level = (facts.level ?? []).flatMap((id) => {
    const place = point(id, 'Level');
    return place ? [{ place, id, group: `level ${id}` }] : [];
  });
  const origin = facts.origin ? point(facts.origin, 'Origin') : null;
  const heading = facts.heading ? [point(facts.heading[0], 'Heading'), point(facts.heading[1], 'Heading')] : [null, null];
  const lengths = (facts.lengths ?? []).flatMap((l, index) => {
    const a = point(l.a, 'Length');
    const b = point(l.b, 'Length');
    return a && b ? [{ a, b, m: l.m, sigmaM: l.sigmaM ?? USUAL_SIGMA.tieM, about: `${l.a}–${l.b}`, index, group: `length ${index}` }] : [];
  });
  const camera = (frame: number | 'last', what: string): PlaceRef | null => {
    // where the end of a take was not placed, what was measured there says nothing of the last frame that was
    const index = frameIndex.get(frame === 'last' ? (input.lastFrame ?? input.frames[input.frames.length - 1]) : frame);
    if (index !== undefined) return { kind: 'camera', index };
    warnings.push(ANCHOR.FRAME_NOT_PLACED(what, frame));
    return null;
  };
  const heights = (facts.cameraHeights ?? []).flatMap((h, index) => {
    const place = camera(h.frame, 'Camera height');
    return place ? [{ place, m: h.m, sigmaM: h.sigmaM ?? USUAL_SIGMA.heightM, about: frameWords(h.frame), index, group: `height ${index}` }] : [];
  });
  const distances = (facts.distances ?? []).flatMap((d, index) => {
    const from = camera(d.frame, 'Distance');
    const to = from && point(d.to, 'Distance');
    return from && to ? [{ from, to, m: d.m, sigmaM: d.sigmaM ?? USUAL_SIGMA.distanceM, about: `${d.to}, ${frameWords(d.frame)}`, index, group: `distance ${index}` }] : [];
  });
  const surveyed = (facts.points ?? []).flatMap((p, index) => {
    const place = point(p.track, 'Surveyed point');
    return place ? [{ place, to: [p.x, p.y, p.z] as Vec3, sigmaM: p.sigmaM ?? USUAL_SIGMA.surveyedM, about: p.track, index, group: `surveyed ${index}` }] : [];
  });
  const stood = (facts.cameraPlaces ?? []).flatMap((c, index) => {
    const place = camera(c.frame, 'Camera place');
    return place ? [{ place, to: [c.x, c.y, c.z] as Vec3, look: c.look, sigmaM: c.sigmaM, about: frameWords(c.frame), index, group: `camera place ${index}` }] : [];
  });
  // places of a survey have axes of their own: an origin and a heading of ours beside them would contradict them
  const [hasOrigin, hasHeading, hasSurvey] = [surveyed.length + stood.length === 0, surveyed.length < 2 && stood.length < 2, surveyed.length >= 3];

  const list: ScalarFact[] = level.map((l, index) => onAxis('level', l.id, l.place, 1, 0, USUAL_SIGMA.levelM, l.group, index));
  const define = (about: string, place: PlaceRef, axis: 0 | 1 | 2) => list.push(onAxis('origin', about, place, axis, 0, USUAL_SIGMA.definitionM, 'origin', 0, true));
  if (hasOrigin) {
    const [about, place]: [string, PlaceRef] = origin ? [facts.origin!, origin] : [`frame ${input.frames[0]}`, { kind: 'camera', index: 0 }];
    define(about, place, 0);
    define(about, place, 2);
    if (origin && level.length === 0) define(about, place, 1);
  }
  if (hasHeading) {
    if (heading[0] && heading[1]) list.push(headingFact(`${facts.heading![0]} to ${facts.heading![1]}`, heading[0], heading[1], USUAL_SIGMA.definitionM));
  }
  lengths.forEach((l) => list.push(lengthFact(l.about, l.a, l.b, l.m, l.sigmaM, l.group, l.index)));
  heights.forEach((h) => list.push(onAxis('cameraHeight', h.about, h.place, 1, h.m, h.sigmaM, h.group, h.index)));
  distances.forEach((d) => list.push(lengthFact(d.about, d.from, d.to, d.m, d.sigmaM, d.group, d.index, 'distance')));
  surveyed.forEach((s) => ([0, 1, 2] as const).forEach((axis) => list.push(onAxis('surveyed', `${s.about} ${'xyz'[axis]}`, s.place, axis, s.to[axis], s.sigmaM, s.group, s.index))));

  stood.forEach((s) => ([0, 1, 2] as const).forEach((axis) => list.push(onAxis('cameraPlace', `${s.about} ${'xyz'[axis]}`, s.place, axis, s.to[axis], s.sigmaM, s.group, s.index))));

  const at = (place: PlaceRef) => placeOf(input, place);
  return {
    list,
    warnings,
    marks: [...marks].map(([id, place]) => ({ id, place })),
    start: (keeps) => ({
      levelPoints: level.filter((l) => keeps(l.group)).map((l) => at(l.place)),
      surveyed: surveyed.filter((s) => keeps(s.group)).map((s) => ({ from: at(s.place), to: s.to })),
      stood: stood.filter((s) => keeps(s.group)).map((s) => ({ camera: s.place.index, to: s.to, look: s.look })),
      lengths: [
        ...lengths.filter((l) => keeps(l.group)).map((l) => ({ a: at(l.a), b: at(l.b), m: l.m })),
        ...distances.filter((d) => keeps(d.group)).map((d) => ({ a: at(d.from), b: at(d.to), m: d.m })),
      ],
      cameraHeights: heights.filter((h) => keeps(h.group)).map((h) => ({ at: at(h.place), m: h.m })),
      heading: heading[0] && heading[1] ? [at(heading[0]), at(heading[1])] : null,
      origin: origin ? at(origin) : null,
      cameras: input.rotations.map((r, i) => ({ center: input.centers[i], up: [-r[3], -r[4], -r[5]], forward: [r[6], r[7], r[8]] })),
    }),
    datum(levelled) {
      const words: string[] = [];
      if (level.length >= 3 && levelled) words.push(`ground plane through ${level.length} level points`);
      else if (stood.some((s) => s.look)) words.push('up as the camera was to look');
      else if (!hasSurvey) {
        words.push('up from the camera’s mean up');
        warnings.push(ANCHOR.NO_GROUND());
      }
      if (surveyed.length > 0) words.push(`${surveyed.length} surveyed point${surveyed.length === 1 ? '' : 's'}`);
      if (stood.length > 0) words.push(`${stood.length} places where the camera was to stand`);
      if (!hasHeading) return words;
      if (hasOrigin) words.push(origin ? `origin at ${facts.origin}` : `origin below the camera at frame ${input.frames[0]}`);
      words.push(heading[0] && heading[1] ? `+X from ${facts.heading![0]} to ${facts.heading![1]}` : '+X to the right of the first camera');
      return words;
    },
  };
}
