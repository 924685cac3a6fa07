import { USUAL_SIGMA, type AnchorFacts } from '../facts';
import { ANCHOR, type Warning } from '../warnings';
import type { AnchorInput } from './anchor-solve';
import { placeOf } from './fact-spread';
import { headingFact, lengthFact, onAxis, type PlaceRef, type ScalarFact } from './facts';
import { placeFacts, type PlacedFacts } from './placed-facts';
import type { StartInput } from './start-similarity';

/** The facts of a setup as they speak of this solve. */
export interface ReadFacts {
  list: ScalarFact[];
  warnings: Warning[];
  /** marks that facts speak of, by name, in the order in which they come */
  marks: { id: string; place: PlaceRef }[];
  /** what a rough similarity is made of, of the groups that are kept */
  start(keeps: (group: string) => boolean): StartInput;
  /** what the world's axes are, in words; a ground that is missing goes to the warnings */
  datum(levelled: boolean): string[];
}

/** Facts whose places were solved, as numbers; the others are said. */
export function readFacts(input: AnchorInput, facts: AnchorFacts): ReadFacts {
  const placed = placeFacts(input, facts);
  const axes = ownAxes(placed);
  return {
    list: rowsOf(placed, axes, input, facts),
    warnings: placed.warnings,
    marks: [...placed.marks].map(([id, place]) => ({ id, place })),
    start: (keeps) => startOf(placed, input, keeps),
    datum: (levelled) => datumOf(placed, axes, levelled, input, facts),
  };
}

/** Places of a survey have axes of their own: an origin and a heading of ours beside them would contradict them. */
interface OwnAxes {
  origin: boolean;
  heading: boolean;
}
const ownAxes = ({ surveyed, stood }: PlacedFacts): OwnAxes => ({ origin: surveyed.length + stood.length === 0, heading: surveyed.length < 2 && stood.length < 2 });

/** Each fact as rows of numbers. */
function rowsOf({ level, origin, heading, lengths, heights, distances, surveyed, stood }: PlacedFacts, own: OwnAxes, input: AnchorInput, facts: AnchorFacts): ScalarFact[] {
  const list: ScalarFact[] = level.map((l, index) => onAxis('level', l.id, l.place, 1, 0, USUAL_SIGMA.levelM, l.group, index));
  const define = (about: string, place: PlaceRef, axis: 0 | 1 | 2) => list.push(onAxis('origin', about, place, axis, 0, USUAL_SIGMA.definitionM, 'origin', 0, true));
  if (own.origin) {
    const [about, place]: [string, PlaceRef] = origin ? [facts.origin!, origin] : [`frame ${input.frames[0]}`, { kind: 'camera', index: 0 }];
    define(about, place, 0);
    define(about, place, 2);
    if (origin && level.length === 0) define(about, place, 1);
  }
  if (own.heading && heading) list.push(headingFact(facts.heading!.join(' to '), ...heading, USUAL_SIGMA.definitionM));
  lengths.forEach((l) => list.push(lengthFact(l.about, l.a, l.b, l.m, l.sigmaM, l.group, l.index)));
  heights.forEach((h) => list.push(onAxis('cameraHeight', h.about, h.place, 1, h.m, h.sigmaM, h.group, h.index)));
  distances.forEach((d) => list.push(lengthFact(d.about, d.a, d.b, d.m, d.sigmaM, d.group, d.index, 'distance')));
  const inSpace = (kind: 'surveyed' | 'cameraPlace', of: PlacedFacts['surveyed']) =>
    of.forEach((s) => ([0, 1, 2] as const).forEach((axis) => list.push(onAxis(kind, `${s.about} ${'xyz'[axis]}`, s.place, axis, s.to[axis], s.sigmaM, s.group, s.index))));
  inSpace('surveyed', surveyed);
  inSpace('cameraPlace', stood);
  return list;
}

function startOf({ level, origin, heading, lengths, heights, distances, surveyed, stood }: PlacedFacts, input: AnchorInput, keeps: (group: string) => boolean): StartInput {
  const at = (place: PlaceRef) => placeOf(input, place);
  const kept = <T extends { group: string }>(list: readonly T[]): T[] => list.filter((f) => keeps(f.group));
  return {
    levelPoints: kept(level).map((l) => at(l.place)),
    surveyed: kept(surveyed).map((s) => ({ from: at(s.place), to: s.to })),
    stood: kept(stood).map((s) => ({ camera: s.place.index, to: s.to, look: s.look })),
    lengths: [...kept(lengths), ...kept(distances)].map((l) => ({ a: at(l.a), b: at(l.b), m: l.m })),
    cameraHeights: kept(heights).map((h) => ({ at: at(h.place), m: h.m })),
    heading: heading && [at(heading[0]), at(heading[1])],
    origin: origin && at(origin),
    cameras: input.rotations.map((r, i) => ({ center: input.centers[i], up: [-r[3], -r[4], -r[5]], forward: [r[6], r[7], r[8]] })),
  };
}

function datumOf({ level, origin, heading, surveyed, stood, warnings }: PlacedFacts, own: OwnAxes, levelled: boolean, input: AnchorInput, facts: AnchorFacts): string[] {
  const words: string[] = [];
  if (level.length >= 3 && levelled) words.push(`ground plane through ${level.length} level points`);
  else if (stood.some((s) => s.look)) words.push('up as the camera was to look');
  else if (surveyed.length < 3) {
    words.push('up from the camera’s mean up');
    warnings.push(ANCHOR.NO_GROUND());
  }
  if (surveyed.length > 0) words.push(`${surveyed.length} surveyed point${surveyed.length === 1 ? '' : 's'}`);
  if (stood.length > 0) words.push(`${stood.length} places where the camera was to stand`);
  if (!own.heading) return words;
  if (own.origin) words.push(origin ? `origin at ${facts.origin}` : `origin below the camera at frame ${input.frames[0]}`);
  words.push(heading ? `+X from ${facts.heading!.join(' to ')}` : '+X to the right of the first camera');
  return words;
}
