import {
  averageReadings,
  coefficientsOf,
  CoreError,
  distortionFrom,
  fitEdges,
  isBoundToFocal,
  lensAt,
  openBook,
  renormalise,
  type BookEstimate,
  type BookPlate,
  type Distortion,
  type GridDistortion,
  type GridReport,
  type MeasuredChart,
  type SolveSetup,
} from '@mesure/core';
import { ticked, type SolveTicks } from './solve-ticks';
import type { AdapterBody, BodyBody, EdgesBody, LensBody, MeasuredLength, PackageBody, PlateBody, RecordingMode, SetupBody, StoredRecord, TakeBody, TieBody } from './records';

/** What moved in a take: the camera (which may only turn), the camera that is known to have only turned, or an object before a still camera. */
export const MOTIONS = ['free', 'pan', 'object'] as const;
export type Motion = (typeof MOTIONS)[number];

/** Looks a record up by kind and id. */
export type Lookup = <K extends keyof import('./records').RecordBodies>(kind: K, id: string) => StoredRecord<K> | undefined;

export interface MountedPackage {
  pack: PackageBody;
  body: BodyBody;
  mode: RecordingMode;
  lens: LensBody;
  adapter: AdapterBody | null;
}

/** The parts of a package, or the name of the part that is missing. */
export function mountPackage(pack: PackageBody, find: Lookup): MountedPackage | { missing: string } {
  const body = find('body', pack.bodyId)?.body;
  if (!body) return { missing: 'body' };
  const mode = body.modes.find((m) => m.id === pack.modeId);
  if (!mode) return { missing: 'recording mode' };
  const lens = find('lens', pack.lensId)?.body;
  if (!lens) return { missing: 'lens' };
  const inRow: AdapterBody[] = [];
  for (const id of [pack.adapterId, pack.secondAdapterId]) {
    if (!id) continue;
    const adapter = find('adapter', id)?.body;
    if (!adapter) return { missing: 'adapter' };
    inRow.push(adapter);
  }
  // two in a row act as one
  const adapter = inRow.length === 0 ? null : { name: inRow.map((a) => a.name).join(' + '), factor: inRow.reduce((product, a) => product * a.factor, 1) };
  return { pack, body, mode, lens, adapter };
}

/** What optics, grid and solve read of a mounted package at a marked focal length. */
export function opticsOf(m: MountedPackage, focalMm: number): SolveSetup {
  return {
    image: { width: m.mode.widthPx, height: m.mode.heightPx },
    sensor: { widthMm: m.mode.sensorWidthMm, heightMm: m.mode.sensorHeightMm },
    squeeze: m.lens.squeeze,
    adapterFactor: m.adapter?.factor ?? 1,
    fps: m.mode.fps,
    focal: { mode: 'held', mm: focalMm },
  };
}

/** The model alone, without what a report says about it. */
const coefficients = (d: Distortion): Distortion => distortionFrom(d.model, coefficientsOf(d));

/** A tape states a tolerance; it is two sigma. */
export const sigmaOf = (toleranceM: number): number => toleranceM / 2;
/** Of a length that was measured once, or of the mean of several readings. */
export const lengthSigma = (l: Pick<MeasuredLength, 'toleranceM' | 'repeatsM'>): number => (l.repeatsM ? averageReadings(l.repeatsM, l.toleranceM).sigmaMean : sigmaOf(l.toleranceM));

/** As near to a plate as a barrel can be set: the plate itself is better than anything between plates. */
const AT_PLATE = 0.01;

/** What the lens book says at the take's setting; null where a plate stands there, or where the book would run on beyond its data. */
function fromBook(plates: readonly BookPlate[], setup: SolveSetup, take: TakeBody): BookEstimate['distortion'] | null {
  if (plates.length < 2 || plates.some((p) => Math.abs(p.focalMm / take.focalMm - 1) < AT_PLATE && (p.focusM === null || take.focusM === null || p.focusM === take.focusM))) return null;
  const estimate = lensAt(openBook(plates, setup), { focalMm: take.focalMm, focusM: take.focusM });
  return estimate.where === 'between' && estimate.valid ? estimate.distortion : null;
}

/** The distortion that the marked edges of the picture nearest in focal length show, when they show one. */
function fromEdges(pictures: readonly EdgesBody[], mounted: MountedPackage, focalMm: number): GridDistortion | null {
  const nearest = [...pictures].sort((a, b) => Math.abs(a.focalMm - focalMm) - Math.abs(b.focalMm - focalMm));
  for (const e of nearest) {
    try {
      const setup = { ...opticsOf(mounted, e.focalMm), image: { width: e.widthPx, height: e.heightPx } };
      const report = fitEdges(
        e.marks.map((m) => ({ edge: String(m.edge), x: m.x, y: m.y })),
        setup,
        e.model,
      );
      // a picture of another size than the mode's cannot be laid over it
      if (report.status === 'usable' && e.widthPx === mounted.mode.widthPx && e.heightPx === mounted.mode.heightPx) return report.distortion;
    } catch (error) {
      if (!(error instanceof CoreError)) throw error;
    }
  }
  return null;
}

/** Edges tell a bend far less well than a plate: their fit guides the solve by its own sigma. What else there is, holds. */
function guidedBy(edges: GridDistortion | null, ratio: number): Pick<NonNullable<SolveSetup['distortion']>, 'mode' | 'sigmaK'> {
  const sigma = edges?.model === 'radial' ? edges.sigma.k : undefined;
  if (!Array.isArray(sigma) || sigma.length === 0 || !sigma.every((s) => s > 0 && Number.isFinite(s))) return { mode: 'held' };
  return { mode: 'guided', sigmaK: sigma.slice(0, 2).map((s, i) => s * ratio ** (2 * (i + 1))) };
}

/** Where the entrance pupil lies before the sensor mark when nobody knows: a middling lens, and how far off that may be. */
const UNKNOWN_PUPIL = { mm: 80, sigmaMm: 40 };
const PUPIL_SIGMA_MM = { stated: 10, measured: 2 };

/** Where the entrance pupil lies before the sensor mark, m, and how well that is known. */
function pupilOf(lens: LensBody): { m: number; sigmaM: number } {
  const noted = lens.pupilMm !== null && lens.pupilMm !== undefined;
  const mm = noted ? { mm: lens.pupilMm!, sigmaMm: PUPIL_SIGMA_MM[lens.pupilSource === 'measured' ? 'measured' : 'stated'] } : UNKNOWN_PUPIL;
  return { m: mm.mm / 1000, sigmaM: mm.sigmaMm / 1000 };
}

/** A distance that was held at the sensor mark, from where the lens sees. */
function fromPupil(distance: NonNullable<TakeBody['distance']>, frame: number, lens: LensBody) {
  const pupil = pupilOf(lens);
  return { frame, to: distance.to, m: distance.valueM - pupil.m, sigmaM: Math.hypot(lengthSigma(distance), pupil.sigmaM) };
}

/** The focal length of a take that lies farthest from where it begins; null when it does not zoom as far as was noted. */
function farthestFocal(take: TakeBody): number | null {
  const noted = [take.focalEndMm, ...(take.focalByFrame ?? []).map((f) => f.mm)].filter((mm): mm is number => typeof mm === 'number' && mm > 0);
  return noted.reduce<number | null>((far, mm) => (Math.abs(mm - take.focalMm) > Math.abs((far ?? take.focalMm) - take.focalMm) ? mm : far), null);
}

/** Cell and distance of a chart that was measured, from the entrance pupil; a tape is held at the sensor mark. */
export function measuredChart(plate: PlateBody, lens: LensBody): MeasuredChart | undefined {
  if (!plate.chartDistance || plate.cellM === null) return undefined;
  const pupil = pupilOf(lens);
  return { cellM: plate.cellM, distanceM: plate.chartDistance.valueM - pupil.m, sigmaDistanceM: Math.hypot(lengthSigma(plate.chartDistance), pupil.sigmaM) };
}

/** Camera height of a take as the entrance pupil's, the offset of where it was taken applied. */
export const pupilHeightM = (take: TakeBody): number | null => (take.height ? take.height.valueM + take.height.offsetM : null);

/**
 * The setup of a test solve from what was recorded. The distortion is that of the plate of the same lens nearest in focal length, or what
 * the lens book says between its plates. A plate's coefficients are normalised with the effective focal length recorded for it;
 * they are carried over to the take's by the ratio of the two, which leaves the map of the picture as it was measured. Without a plate the
 * straight edges marked in a picture of that lens stand in.
 */
/** Below it a focal length that moves is the breathing of the lens, and no zoom. */
const BREATHES = 0.01;

/** A take as its lens stood at the far end of a zoom; null where it does not zoom. */
export function zoomedTake(take: TakeBody): TakeBody | null {
  const far = farthestFocal(take);
  if (far === null || Math.abs(far / take.focalMm - 1) <= BREATHES) return null;
  return { ...take, focalMm: far, focusM: take.focusEndM ?? take.focusM, focalEndMm: null, focalByFrame: null, zoomFrom: null, zoomTo: null };
}

/** What was noted of a zoom by frame: all that the lens told, or where it began and ended. */
function notedZoom(take: TakeBody): { profile?: { frame: number; mm: number }[] } {
  if ((take.focalByFrame ?? []).length > 1) return { profile: take.focalByFrame! };
  const { zoomFrom, zoomTo, focalEndMm } = take;
  return zoomFrom != null && zoomTo != null && focalEndMm != null && zoomTo > zoomFrom
    ? {
        profile: [
          { frame: zoomFrom, mm: take.focalMm },
          { frame: zoomTo, mm: focalEndMm },
        ],
      }
    : {};
}

export function recordedSetup(input: {
  mounted: MountedPackage;
  take: TakeBody;
  setup: SetupBody;
  ties: readonly TieBody[];
  plates: readonly { plate: PlateBody; report: GridReport }[];
  /** the same plates as a lens book: what it says between them goes before the nearest one */
  book?: readonly BookPlate[];
  /** where there is no plate: pictures with marked edges */
  edges?: readonly EdgesBody[];
  focalMode: 'held' | 'guided' | 'free';
  /** what is on beside; default: nothing */
  ticks?: SolveTicks;
  /** default: the camera moves or turns, as its tracks tell */
  motion?: Motion;
}): SolveSetup {
  const { mounted, take, setup } = input;
  const base = opticsOf(mounted, take.focalMm);
  const usable = input.plates.filter((p) => p.report.distortion && p.report.status === 'usable');
  const nearest = [...usable].sort((a, b) => Math.abs(a.plate.focalMm - take.focalMm) - Math.abs(b.plate.focalMm - take.focalMm))[0];
  const effectiveMm = take.focalMm * (mounted.adapter?.factor ?? 1);
  const ofPlate = fromBook(input.book ?? [], base, take) ?? nearest?.report.distortion;
  const ofEdges = ofPlate ? null : fromEdges(input.edges ?? [], mounted, take.focalMm);
  const d = ofPlate ?? ofEdges;
  const ratio = d ? effectiveMm / d.focalMm : 1;
  const height = pupilHeightM(take);
  const heightEnd = take.heightEnd ? take.heightEnd.valueM + take.heightEnd.offsetM : null;
  const zoomMm = farthestFocal(take);
  return {
    ...base,
    focal:
      zoomMm === null || Math.abs(zoomMm / take.focalMm - 1) <= BREATHES
        ? { mode: input.focalMode, mm: take.focalMm, ...(input.focalMode === 'guided' ? { sigmaMm: 0.01 * take.focalMm } : {}), ...(zoomMm === null ? {} : { endMm: zoomMm }) }
        : { mode: 'zoom', mm: take.focalMm, endMm: zoomMm, ...notedZoom(take) },
    // a fisheye's coefficients hold for its own focal length, which goes with them
    distortion: d
      ? { ...guidedBy(ofEdges, ratio), ...(isBoundToFocal(d.model) ? { ...coefficients(d), focalMm: d.focalMm } : renormalise(coefficients(d), ratio)), center: d.center, aspect: d.aspect }
      : { mode: 'none' },
    ...ticked(input.ticks ?? {}, { mounted, plate: ofPlate ?? null, bendKnown: Boolean(d), zooms: zoomMm !== null && Math.abs(zoomMm / take.focalMm - 1) > BREATHES }),
    motion: input.motion ?? 'free',
    anchors: {
      level: setup.levelMarks,
      ...(setup.originMark ? { origin: setup.originMark } : {}),
      ...(setup.headingMarks ? { heading: setup.headingMarks } : {}),
      lengths: input.ties.map((t) => ({ a: t.from, b: t.to, m: t.length.valueM, sigmaM: lengthSigma(t.length) })),
      cameraHeights: [
        ...(height !== null && take.height ? [{ frame: take.heightFrame, m: height, sigmaM: lengthSigma(take.height) }] : []),
        ...(heightEnd !== null && take.heightEnd ? [{ frame: 'last' as const, m: heightEnd, sigmaM: lengthSigma(take.heightEnd) }] : []),
      ],
      distances: take.distance ? [fromPupil(take.distance, take.heightFrame, mounted.lens)] : [],
      cameraAngles: (['tilt', 'roll'] as const).flatMap((of) => {
        const reading = take[of];
        return reading ? [{ frame: take.heightFrame, of, rad: reading.valueRad, sigmaRad: reading.toleranceRad / 2 }] : [];
      }),
    },
  };
}
