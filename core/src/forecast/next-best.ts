import { USUAL_SIGMA } from '../facts';
import { distance, type Vec3 } from '../math';
import { markDiameterFor, nextMarkIds } from '../marks';
import { adapterOf, momentAt, studySetup, toPiece, fromPiece, hasBody, type PlannedMark, type PlannedSetup, type SetPiece } from '../setup';
import { forecast, gainPct, type Forecast } from './forecast';
import { planOfStudy } from './of-study';

/** One further thing to do, and what it would bring. */
export interface NextBest {
  kind: 'mark' | 'tie' | 'height' | 'level' | 'plate' | 'slower' | 'focal';
  /** what to do, in words */
  words: string;
  /** where it would go; null when it has no place */
  at: Vec3 | null;
  /** by how much the slip falls, per cent of what it is now */
  gainPct: number;
  /** what it makes known that was not: scale, height; null when nothing */
  makesKnown: string | null;
  slipPx: number | null;
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
}

/** Moments that suffice to compare: the order of candidates does not change with more. */
const COMPARED_MOMENTS = 16;
const SLOWER = 1.5;

/**
 * What would help most: each candidate is put into the setup and the forecast made again (which takes visibility, blur and all facts along),
 * then ranked by the slip that remains. What makes scale or height known comes first, since without them slip alone tells little.
 */
export function nextBest(setup: PlannedSetup, others: readonly OtherLens[] = [], onProgress: (done: number) => void = () => undefined): NextBest[] {
  const judge = (s: PlannedSetup): Forecast => forecast(planOfStudy(studySetup(s, COMPARED_MOMENTS)));
  const now = judge(setup);
  const list = candidates(setup, others);
  const judged = list.map((c, i): NextBest => {
    const then = judge(c.setup);
    onProgress((i + 1) / list.length);
    const known = [now.sigmaScalePct === null && then.sigmaScalePct !== null ? 'scale' : null, now.sigmaHeightM === null && then.sigmaHeightM !== null ? 'height' : null].filter((w) => w !== null);
    return { ...c, lensId: c.lensId ?? null, gainPct: gainPct(now, then), makesKnown: known.length > 0 ? known.join(' and ') : null, slipPx: then.slipPx };
  });
  return judged.filter((j) => j.gainPct > 0.5 || j.makesKnown !== null).sort((a, b) => Number(b.makesKnown !== null) - Number(a.makesKnown !== null) || b.gainPct - a.gainPct);
}

type Candidate = Pick<NextBest, 'kind' | 'words' | 'at' | 'setup'> & { lensId?: string };

function candidates(setup: PlannedSetup, others: readonly OtherLens[]): Candidate[] {
  const out: Candidate[] = [];
  const { measures, marks, move, lens } = setup;
  const objectId = move.kind === 'object' ? (move.objectId ?? null) : null;
  // a tie to a mark that the shot never sees gives it nothing
  const study = studySetup(setup, COMPARED_MOMENTS);
  const inSight = new Set(study.points.filter((_, p) => study.moments.some((__, m) => study.seen[m * study.points.length + p])).map((p) => p.id));
  const usable = marks.filter((m) => inSight.has(m.id));
  for (const place of markPlaces(setup, objectId)) {
    out.push({ kind: 'mark', words: `A mark on ${place.piece.name}`, at: place.mark.at, setup: { ...setup, marks: [...marks, place.mark] } });
  }
  const pair = widestPair(usable);
  if (
    pair &&
    !measures.ties.some(
      (t) =>
        [t.a, t.b].sort().join() ===
        pair
          .map((m) => m.id)
          .sort()
          .join(),
    )
  )
    out.push({
      kind: 'tie',
      words: `A tie from ${pair[0].id} to ${pair[1].id}, ${distance(pair[0].at, pair[1].at).toFixed(2)} m`,
      at: [(pair[0].at[0] + pair[1].at[0]) / 2, (pair[0].at[1] + pair[1].at[1]) / 2, (pair[0].at[2] + pair[1].at[2]) / 2],
      setup: { ...setup, measures: { ...measures, ties: [...measures.ties, { a: pair[0].id, b: pair[1].id, sigmaM: USUAL_SIGMA.tieM }] } },
    });
  const floor = usable.filter((m) => m.at[1] < 0.02 && !measures.level.includes(m.id));
  if (measures.level.length < 3 && floor.length + measures.level.length >= 3)
    out.push({
      kind: 'level',
      words: `${floor.map((m) => m.id).join(', ')} as level marks of the floor`,
      at: floor[0].at,
      setup: { ...setup, measures: { ...measures, level: [...measures.level, ...floor.map((m) => m.id)] } },
    });
  if (measures.heights.length === 0) {
    const moment = momentAt(move, move.stations[0].timeS);
    out.push({
      kind: 'height',
      words: 'The camera height at the start',
      at: moment.position,
      setup: { ...setup, measures: { ...measures, heights: [{ timeS: moment.timeS, sigmaM: USUAL_SIGMA.heightM }] } },
    });
  }
  if (lens.mode !== 'held') out.push({ kind: 'plate', words: 'A grid plate at this focal length and focus, so that the lens is held', at: null, setup: { ...setup, lens: { ...lens, mode: 'held' } } });
  for (const other of others) out.push({ kind: 'focal', words: other.words, at: null, lensId: other.id, setup: withLens(setup, other) });
  if (move.stations.length > 1) out.push({ kind: 'slower', words: `The same move ${SLOWER} times as slow`, at: null, setup: { ...setup, move: slower(setup.move, SLOWER) } });
  return out;
}

/** The same move through another lens. */
export function withLens(setup: PlannedSetup, other: OtherLens): PlannedSetup {
  const times = other.focalMm / setup.move.stations[0].focalMm;
  return { ...setup, optics: other.optics, move: { ...setup.move, stations: setup.move.stations.map((s) => ({ ...s, focalMm: s.focalMm * times })) } };
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

function widestPair(marks: readonly PlannedMark[]): [PlannedMark, PlannedMark] | null {
  let best: [PlannedMark, PlannedMark] | null = null;
  let most = 0;
  for (const a of marks.slice(0, 100))
    for (const b of marks.slice(0, 100)) {
      const d = distance(a.at, b.at);
      if (d > most) [best, most] = [[a, b], d];
    }
  return best;
}
