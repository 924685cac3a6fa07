import { distance, type Vec3 } from '../math';
import { markDiameterFor, nextMarkIds } from '../marks';
import { adapterOf, momentAt, studySetup, toPiece, fromPiece, hasBody, type PlannedMark, type PlannedSetup, type SetPiece } from '../setup';
import { measurementsLeft, ranked, type Gain, type Measurement } from './changes';
import { forecast, type Forecast } from './forecast';
import { planOfStudy } from './of-study';

/** One further thing to do, and what it would bring. */
export interface NextBest extends Gain {
  kind: 'mark' | 'tie' | 'height' | 'level' | 'plate' | 'slower' | 'focal';
  /** what to do, in words */
  words: string;
  /** where it would go; null when it has no place */
  at: Vec3 | null;
  /** of another focal length: which of the offered lenses; null else */
  lensId: string | null;
  /** the setup with it done */
  setup: PlannedSetup;
}

/** A lens, or another setting of a zoom, that could be used instead. */
export interface OtherLens {
  id: string;
  words: string;
  optics: PlannedSetup['optics'];
  /** as marked, at the start of the move; the rest of a zoom follows in proportion */
  focalMm: number;
  /** there is a plate of it */
  plated?: boolean;
}

/** Moments that suffice to compare: the order of candidates does not change with more. */
const COMPARED_MOMENTS = 16;
const SLOWER = 1.5;

/**
 * What would help most: each candidate is put into the setup and the forecast made again (which takes visibility, blur and all facts along),
 * then ranked.
 */
export function nextBest(setup: PlannedSetup, others: readonly OtherLens[] = [], onProgress: (done: number) => void = () => undefined): NextBest[] {
  const judge = (s: PlannedSetup): Forecast => forecast(planOfStudy(studySetup(s, COMPARED_MOMENTS)));
  const now = judge(setup);
  return ranked(now, candidates(setup, others), (c) => judge(c.setup), onProgress).map((c) => ({ ...c, lensId: c.lensId ?? null }));
}

type Candidate = Pick<NextBest, 'kind' | 'words' | 'at' | 'setup'> & { lensId?: string };

function candidates(setup: PlannedSetup, others: readonly OtherLens[]): Candidate[] {
  const out: Candidate[] = [];
  const { measures, marks, move, lens } = setup;
  const objectId = move.kind === 'object' ? (move.objectId ?? null) : null;
  // a tie to a mark that the shot never sees gives it nothing
  const study = studySetup(setup, COMPARED_MOMENTS);
  const inSight = new Set(study.points.filter((_, p) => study.moments.some((__, m) => study.seen[m * study.points.length + p])).map((p) => p.id));
  for (const place of markPlaces(setup, objectId)) {
    out.push({ kind: 'mark', words: `A mark on ${place.piece.name}`, at: place.mark.at, setup: { ...setup, marks: [...marks, place.mark] } });
  }
  const start = momentAt(move, move.stations[0].timeS);
  const planned = { level: measures.level, lengths: measures.ties, heights: measures.heights.length };
  for (const m of measurementsLeft({ inSight: marks.filter((q) => inSight.has(q.id)), facts: planned, lensHeld: lens.mode === 'held', start: start.position }))
    out.push({ kind: m.kind, words: m.words, at: m.at, setup: withMeasurement(setup, m, start.timeS) });
  for (const other of others) out.push({ kind: 'focal', words: other.words, at: null, lensId: other.id, setup: withLens(setup, other) });
  if (move.stations.length > 1) out.push({ kind: 'slower', words: `The same move ${SLOWER} times as slow`, at: null, setup: { ...setup, move: slower(setup.move, SLOWER) } });
  return out;
}

function withMeasurement(setup: PlannedSetup, m: Measurement, startS: number): PlannedSetup {
  const { measures, lens } = setup;
  const measured = (more: Partial<PlannedSetup['measures']>): PlannedSetup => ({ ...setup, measures: { ...measures, ...more } });
  if (m.kind === 'tie') return measured({ ties: [...measures.ties, { a: m.a, b: m.b, sigmaM: m.sigmaM }] });
  if (m.kind === 'level') return measured({ level: [...measures.level, ...m.ids] });
  if (m.kind === 'height') return measured({ heights: [{ timeS: startS, sigmaM: m.sigmaM }] });
  return { ...setup, lens: { ...lens, mode: 'held' } };
}

/** The same move through another lens. */
export function withLens(setup: PlannedSetup, other: OtherLens): PlannedSetup {
  const times = other.focalMm / setup.move.stations[0].focalMm;
  return { ...setup, lens: { ...setup.lens, plated: other.plated }, optics: other.optics, move: { ...setup.move, stations: setup.move.stations.map((s) => ({ ...s, focalMm: s.focalMm * times })) } };
}

/** The same way in more time. */
export function slower(move: PlannedSetup['move'], times: number): PlannedSetup['move'] {
  const stretch = <T extends { timeS: number }>(list: readonly T[]): T[] => list.map((s) => ({ ...s, timeS: list[0].timeS + (s.timeS - list[0].timeS) * times }));
  return { ...move, stations: stretch(move.stations), ...(move.objectStations ? { objectStations: stretch(move.objectStations) } : {}) };
}

/** Places for a further mark: on the faces of standing pieces that the middle of the move sees, spread over each. */
function markPlaces(setup: PlannedSetup, objectId: string | null): { piece: SetPiece; mark: PlannedMark }[] {
  const out: { piece: SetPiece; mark: PlannedMark }[] = [];
  const middle = momentAt(setup.move, (setup.move.stations[0].timeS + setup.move.stations[setup.move.stations.length - 1].timeS) / 2);
  const [id] = nextMarkIds(
    setup.marks.map((m) => m.id),
    1,
  );
  const pieces = setup.pieces.filter((p) => hasBody(p) && (objectId ? p.id === objectId : !p.moves));
  for (const piece of pieces) {
    for (const { at, normal } of spotsOn(piece, middle.position)) {
      const d = Math.max(0.1, distance(at, middle.position));
      const focalPx = middle.focalMm * adapterOf(setup) * (setup.optics.image.width / setup.optics.sensor.widthMm);
      out.push({ piece, mark: { id, kind: 'cross', diameterM: markDiameterFor(focalPx, d).diameterM, at, normal, pieceId: piece.id, ground: 'plain', placed: false } });
    }
  }
  // those that are farthest from all marks that are there, a dozen at most
  return out
    .map((c) => ({ c, gap: Math.min(Infinity, ...setup.marks.map((m) => distance(m.at, c.mark.at))) }))
    .sort((a, b) => b.gap - a.gap)
    .slice(0, 12)
    .map((x) => x.c);
}

const OFF_M = 0.002;

/** Spots on the top, or on the upright faces turned to the eye. */
function spotsOn(piece: SetPiece, eye: Vec3): { at: Vec3; normal: Vec3 }[] {
  const own = toPiece(piece, eye);
  const [w, d, h] = [piece.widthM / 2, piece.depthM / 2, piece.heightM];
  const turn = (v: Vec3): Vec3 => {
    const zero = fromPiece(piece, [0, 0, 0]);
    const there = fromPiece(piece, v);
    return [there[0] - zero[0], there[1] - zero[1], there[2] - zero[2]];
  };
  const spots: { at: Vec3; normal: Vec3 }[] = [];
  const put = (v: Vec3, n: Vec3) => spots.push({ at: fromPiece(piece, v), normal: turn(n) });
  if (h < 0.3) {
    for (const [x, z] of [
      [-0.6, -0.6],
      [0.6, -0.6],
      [0, 0],
      [-0.6, 0.6],
      [0.6, 0.6],
    ])
      put([x * w, h + OFF_M, z * d], [0, 1, 0]);
    return spots;
  }
  const sideways = Math.abs(own[0]) - w > Math.abs(own[2]) - d;
  for (const across of [-0.7, 0, 0.7])
    for (const up of [0.2, 0.8]) {
      if (sideways) put([Math.sign(own[0]) * (w + OFF_M), up * h, across * d], [Math.sign(own[0]), 0, 0]);
      else put([across * w, up * h, Math.sign(own[2]) * (d + OFF_M)], [0, 0, Math.sign(own[2])]);
    }
  return spots;
}
