import { CoreError } from '../errors';
import type { AnchorFacts } from '../facts';
import { applySimilarity, distance, matToQuat, mulMat3, quatToMat, seededRandom, type Quat, type Vec3 } from '../math';
import { LEAST_OF_LENS, solveStills, type LooseCamera, type SolveProgress, type SolveResult, type SolveSetup, type TrackPoint } from '../solve';
import { once, WALK, type Warning } from '../warnings';
import { likelyPairs } from './likely-pairs';
import { matchWalk, type WalkTie } from './match-walk';
import type { StillStation } from './plan-stills';
import { turnedOntoPlan, walkAnchors } from './walk-anchors';
import { focalOfWalk, OWN_SIGMA, type WalkFocal } from './walk-focal';
import type { WalkFeatures } from './walk-features';

/** One picture of a walk that is to be placed. */
export interface WalkShot {
  name: string;
  features: WalkFeatures;
  /** focal length as recorded, px of this picture */
  focalPx: number;
  /** pictures of one camera at one focal length share what is found of it */
  lens: string;
  /** marks pointed out in it, px of this picture */
  marks?: readonly { id: string; xPx: number; yPx: number }[];
  /** where it was to be taken from */
  station?: StillStation;
}

export interface PlaceWalkOptions {
  /** how well the recorded focal lengths are known, share, where the pictures do not tell them; default 0.03 */
  focalSigma?: number;
  /** what was measured between the marks; metres */
  anchors?: AnchorFacts;
  /** pictures that are neighbours by the plan are always laid beside each other */
  neighbours?: readonly (readonly [number, number])[];
  seed?: number;
  onProgress?: (p: SolveProgress) => void;
}

export interface PlacedStill {
  /** of the entrance pupil */
  position: Vec3;
  /** camera to world: −Z forwards, Y up */
  rotation: Quat;
  /** of one axis, in the unit of the places; where nothing says what a metre is it is against the middle picture */
  sigma: number | null;
  /** how far from its station it was taken, m; null: it has none, or nothing says what a metre is or how the walk lies on the plan */
  offStationM: number | null;
  /** places in it that were found */
  places: number;
  /** px of this picture */
  rmsPx: number;
}
/** A lens of the walk: the pictures of one camera at one focal length. */
export interface WalkLens {
  lens: string;
  /** indices of its pictures */
  stills: number[];
  /** px of its pictures */
  recordedPx: number;
  focalPx: number;
  /** null: nothing says how well; 0: held */
  sigmaPx: number | null;
  /** the pictures say more than was known before */
  told: boolean;
}
export interface WalkPlace {
  position: Vec3;
  sigma: number | null;
  /** in so many pictures */
  stills: number;
  /** a mark that was pointed out; null: a feature */
  mark: string | null;
}
export interface PlacedWalk {
  /** partial: some pictures have no place */
  status: 'solved' | 'partial' | 'failed';
  /** what stands in the way, and what to do about it */
  reason: string | null;
  /** the camera turned on the spot: pictures have directions and no places */
  turnsOnly: boolean;
  /** one for each picture, null where it could not be placed */
  stills: (PlacedStill | null)[];
  /** of each that has no place: why */
  unplaced: { still: number; why: string }[];
  lenses: WalkLens[];
  /** of a walk of one lens, where it shows that it bends: coefficients over the recorded focal length */
  bends: WalkFocal['bends'];
  places: WalkPlace[];
  /** one-axis noise of a place in a picture of the first lens, px */
  noisePx: number | null;
  /** what a metre is: measured between marks, as the stations were planned, or nothing */
  scaledBy: 'measured' | 'stations' | null;
  /** of one standard deviation, per cent */
  sigmaScalePct: number | null;
  ties: WalkTie[];
  warnings: Warning[];
}

/** Pictures are solved in pixels of about this size along their long side, so that a limit in pixels means the same of each. */
const WORK_PX = 1600;
/** Nobody knows the sensor of every picture; a sensor of a usual size makes millimetres of pixels, and is taken out again. */
const PX_PER_MM = 50;
const FOCAL_SIGMA = 0.03;
/** First nothing is believed of the focal length but that it is one of this kind. */
const LOOSE_SIGMA = 0.3;
/** One-axis noise beyond which places miss by more than laying pictures over each other leaves, px of the size that is worked at. */
const LOOSE_PX = 0.45;
/** How well a mark is pointed out by a finger, px of the size that is worked at. */
const MARK_SIGMA_PX = 1.5;
/** And how well features are found, until the pictures say it: from a fiftieth, of a wall that is seen square-on, to half a pixel. */
const FEATURE_SIGMA_PX = 0.2;
/** Marks that weigh wrong by more than this factor are weighed anew. */
const WEIGHED_WRONG = 1.5;
/** Marks in so few pictures have no place. */
const LEAST_SEEN = 2;

/**
 * Where each picture of a walk was taken from and how it was turned, its lenses' focal lengths, and the places in common, by the pictures themselves.
 * What a metre is comes from what was measured between marks that are pointed out; else from where the pictures were to be taken, with its own sigma.
 * @throws CoreError INVALID_OPTION
 */
export function placeWalk(shots: readonly WalkShot[], options: PlaceWalkOptions = {}): PlacedWalk {
  if (shots.length < 3) throw new CoreError('INVALID_OPTION', `${shots.length} pictures; three at least are placed together`, 'stills');
  for (const s of shots) if (!(s.focalPx > 0)) throw new CoreError('INVALID_OPTION', `${s.name}: its focal length is not known`, 'focalPx');
  const { onProgress } = options;
  const random = seededRandom(options.seed ?? 1);
  const work = shots.map(({ features: f }) => Math.min(1, WORK_PX / Math.max(f.widthPx, f.heightPx)));
  const pairs = likelyPairs(
    shots.map((s) => s.features),
    options.neighbours ?? [],
  );
  const { tracks, ties } = matchWalk(shots, pairs, random, (done) => onProgress?.({ stage: 'laying pictures beside each other', done, total: pairs.length }));
  const first = shots[0];
  const [width, height] = [first.features.widthPx * work[0], first.features.heightPx * work[0]];
  const focalPx = first.focalPx * work[0];
  const focalMm = focalPx / PX_PER_MM;
  const setup: SolveSetup = { image: { width, height }, sensor: { widthMm: width / PX_PER_MM, heightMm: height / PX_PER_MM }, focal: { mode: 'guided', mm: focalMm, sigmaMm: LOOSE_SIGMA * focalMm } };
  const worked = (v: number, x: number, y: number) => ({ x: width / 2 + (x - shots[v].features.widthPx / 2) * work[v], y: height / 2 + (y - shots[v].features.heightPx / 2) * work[v] });
  // beside features that lie to a fiftieth of a pixel a mark that is off by one must not look as if it had moved
  const markedBeside = (featureSigmaPx: number) => markedTracks(shots).map((t): TrackPoint => ({ ...t, ...worked(t.frame, t.x, t.y), weight: (featureSigmaPx / MARK_SIGMA_PX) ** 2 }));
  const places = tracks.map((t): TrackPoint => ({ ...t, ...worked(t.frame, t.x, t.y), weight: (t.weight ?? 1) / work[t.frame] ** 2 }));
  const views = shots.map((s, frame) => ({ frame, lens: s.lens, focalShare: (s.focalPx * work[frame]) / focalPx }));
  const marks = new Set(markedTracks(shots).map((t) => t.track));
  const anchorsOf = (cameras: readonly LooseCamera[]) => walkAnchors(options.anchors ?? {}, marks, shots, cameras);
  let featureSigmaPx = FEATURE_SIGMA_PX;
  const solveBeside = (change: Partial<SolveSetup>, seed: number) => solveStills([...places, ...markedBeside(featureSigmaPx)], views, { ...setup, ...change }, { seed, anchorsOf, onProgress });
  const solveWith = (change: Partial<SolveSetup>, another = 0): SolveResult => {
    const seed = (options.seed ?? 1) + another;
    const solved = solveBeside(change, seed);
    const { noisePx } = solved;
    if (marks.size === 0 || !noisePx || Math.max(noisePx / featureSigmaPx, featureSigmaPx / noisePx) < WEIGHED_WRONG) return solved;
    featureSigmaPx = noisePx;
    return solveBeside(change, seed);
  };
  const solved = focalOfWalk(solveWith, focalMm, options.focalSigma ?? FOCAL_SIGMA, new Set(views.map((v) => v.lens)).size === 1);
  return told(solved, shots, work, { tracks: places, ties, marks });
}

/** Marks that are pointed out in enough pictures, as tracks of their own. */
function markedTracks(shots: readonly WalkShot[]): TrackPoint[] {
  const all = shots.flatMap((s, frame) => (s.marks ?? []).map((m): TrackPoint => ({ track: m.id, frame, x: m.xPx, y: m.yPx })));
  return all.filter((t) => all.filter((q) => q.track === t.track).length >= LEAST_SEEN);
}

interface Worked {
  tracks: readonly TrackPoint[];
  ties: WalkTie[];
  marks: ReadonlySet<string>;
}

function told({ result: solved, own, bends, share }: WalkFocal, shots: readonly WalkShot[], work: readonly number[], { tracks, ties, marks }: Worked): PlacedWalk {
  const turnsOnly = solved.motion === 'pan';
  const scaled = solved.anchoring.scale !== null;
  const onStations = solved.anchoring.residuals.some((r) => r.kind === 'cameraPlace');
  // places of marks have the plan's axes; lengths have none, and the plan says how the world lies and not how large it is
  const surveyed = solved.anchoring.residuals.some((r) => r.kind === 'surveyed');
  const laid = scaled && !onStations && !surveyed ? turnedOntoPlan(shots, camerasOf(solved)) : null;
  const onPlan = onStations || surveyed || laid !== null;
  const frames = laid ? solved.frames.map((f) => ({ ...f, position: applySimilarity(laid, f.position), rotation: matToQuat(mulMat3(laid.rotation, quatToMat(f.rotation))) })) : solved.frames;
  const at = new Map(frames.map((f) => [f.frame, f]));
  const stills = shots.map((s, i): PlacedStill | null => {
    const f = at.get(i);
    if (!f) return null;
    return {
      position: f.position,
      rotation: f.rotation,
      sigma: f.sigmaPositionM,
      offStationM: s.station && scaled && onPlan ? distance(f.position, s.station.at) : null,
      places: f.tracks,
      rmsPx: f.rmsPx / work[i],
    };
  });
  const unplaced = stills.flatMap((s, still) => (s ? [] : [{ still, why: whyNot(still, shots, tracks, ties, at) }]));
  const failedWhole = solved.status === 'failed';
  return {
    status: failedWhole ? 'failed' : unplaced.length > 0 ? 'partial' : 'solved',
    reason: failedWhole ? solved.reason : unplaced.length > 0 ? `${unplaced.length} of ${shots.length} pictures have no place` : null,
    turnsOnly,
    stills,
    unplaced,
    lenses: lensesOf(solved, shots, work, own),
    bends,
    places: solved.points.map((p) => ({
      position: laid ? applySimilarity(laid, p.position) : p.position,
      sigma: p.sigmaM,
      stills: p.observations,
      mark: marks.has(p.track) ? p.track : null,
    })),
    noisePx: solved.noisePx === null ? null : solved.noisePx / work[0],
    scaledBy: !scaled ? null : onStations ? 'stations' : 'measured',
    sigmaScalePct: solved.anchoring.sigmaScalePct,
    ties,
    warnings: [...(bends ? [WALK.WALK_LENS_BENDS(bends.k1, bends.sigmaK1)] : []), ...(own || turnsOnly || failedWhole ? [] : [WALK.WALK_FOCAL_NOT_TOLD(share)]), ...wordsOfWalk(solved, shots, at)],
  };
}

const camerasOf = ({ frames }: SolveResult): LooseCamera[] =>
  frames.map(({ frame, position, rotation }) => {
    const m = quatToMat(rotation);
    return { frame, center: position, up: [m[1], m[4], m[7]], forward: [-m[2], -m[5], -m[8]] };
  });

function lensesOf(solved: SolveResult, shots: readonly WalkShot[], work: readonly number[], own: boolean): WalkLens[] {
  return [...new Set(shots.map((s) => s.lens))].map((lens): WalkLens => {
    const stills = shots.flatMap((s, i) => (s.lens === lens ? [i] : []));
    const frame = solved.frames.find((f) => stills.includes(f.frame));
    const one = stills[0];
    const recordedPx = shots[one].focalPx;
    if (!frame) return { lens, stills, recordedPx, focalPx: recordedPx, sigmaPx: null, told: false };
    // of too few pictures a lens is as long against the first as it was recorded, and nothing says how well
    const follows = lens !== shots[0].lens && solved.frames.filter((f) => stills.includes(f.frame)).length < LEAST_OF_LENS;
    const { focalMm, sigmaFocalMm = solved.sigmaFocalMm } = frame;
    const toPx = PX_PER_MM / work[frame.frame];
    // pictures of one lens may have come in several sizes
    const toFirst = recordedPx / shots[frame.frame].focalPx;
    const sigmaPx = sigmaFocalMm === null || sigmaFocalMm === 0 || follows ? null : sigmaFocalMm * toPx * toFirst;
    return { lens, stills, recordedPx, focalPx: focalMm * toPx * toFirst, sigmaPx, told: own && sigmaPx !== null && sigmaPx < OWN_SIGMA * recordedPx };
  });
}

/** What a shot's solve says of frames and tracks, in words of pictures and places. */
function wordsOfWalk(solved: SolveResult, shots: readonly WalkShot[], at: ReadonlyMap<number, SolveResult['frames'][number]>): Warning[] {
  if (solved.motion === 'pan') return [WALK.WALK_TURNS()];
  const { anchoring } = solved;
  const left = solved.trimmed.filter((t) => t.frame === null).length;
  const onStations = anchoring.residuals.filter((r) => r.kind === 'cameraPlace');
  // the facts were made of the placed pictures that have a station, in their order
  const stationed = solved.frames.filter((f) => shots[f.frame].station);
  const off = new Set(onStations.flatMap((r) => (r.leftOut && r.index !== undefined ? [stationed[r.index].frame] : [])));
  const metre = solved.status === 'failed' ? [] : anchoring.scale === null ? [WALK.WALK_WITHOUT_METRE()] : onStations.length > 0 ? [WALK.WALK_BY_STATIONS(anchoring.sigmaScalePct ?? 0)] : [];
  return once([
    ...metre,
    ...[...off].flatMap((still) => {
      const [place, station] = [at.get(still), shots[still].station];
      return place && station ? [WALK.STILL_OFF_STATION(shots[still].name, distance(place.position, station.at))] : [];
    }),
    ...((solved.noisePx ?? 0) > LOOSE_PX ? [WALK.WALK_LOOSE(solved.noisePx!)] : []),
    ...(left > 0 ? [WALK.WALK_PLACES_LEFT(left, left + solved.points.length)] : []),
    ...solved.warnings.filter((w) => SAID_AS_IT_IS.has(w.code) || (w.code === 'FACT_LEFT_OUT' && onStations.length === 0)),
  ]);
}
/** Of a solve's own words those that mean the same of pictures. */
const SAID_AS_IT_IS: ReadonlySet<string> = new Set(['NO_DEVIATIONS', 'MIRRORED', 'FACTS_UNDECIDED', 'MARK_NOT_SOLVED']);

/** Why a picture hangs on nothing, and what would help while the set stands. */
function whyNot(still: number, shots: readonly WalkShot[], tracks: readonly TrackPoint[], ties: readonly WalkTie[], placed: ReadonlyMap<number, unknown>): string {
  const own = ties.flatMap((t) => (t.a === still ? [t.b] : t.b === still ? [t.a] : []));
  if (own.length === 0) return 'nothing in it was found in another picture: take one more from between it and its neighbour';
  if (placed.size === 0) return 'the walk as a whole was not placed';
  const names = own.map((k) => shots[k].name);
  const here = new Set(tracks.flatMap((t) => (t.frame === still ? [t.track] : [])));
  const seenBy = new Map<string, number>();
  for (const t of tracks) if (here.has(t.track) && placed.has(t.frame)) seenBy.set(t.track, (seenBy.get(t.track) ?? 0) + 1);
  const third = [...seenBy.values()].filter((n) => n >= 2).length;
  return `it shares ${here.size} places with ${names.slice(0, 3).join(', ')}, but only ${third} of them are in two pictures that have a place: nothing says how far it stood from them. Take one more from between`;
}
