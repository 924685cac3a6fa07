import {
  NO_SETUP_FACTS,
  sunAt,
  sunTravelDeg,
  USUAL_SIGMA,
  type CameraMove,
  type MoveKind,
  type MoveStation,
  type OtherLens,
  type PlannedSetup,
  type SetPiece,
  type SetupFacts,
  type WitnessPlacement,
} from '@mesure/core';
import { mountPackage, opticsOf, type Lookup, type MountedPackage } from './recorded-setup';
import type { LightPlan, PackageBody, PanoramaPlace, PlanBody, PlateBody, RecceBody, SetBody, StoredRecord } from './records';

/** One-axis noise of a track on a clean picture, px. */
const USUAL_NOISE_PX = 0.5;

/** A plan as core follows it: the set, the move and the camera in core's own form, and what is known beside them. */
export interface FollowedPlan {
  mounted: MountedPackage;
  setup: PlannedSetup;
  facts: SetupFacts;
}

/** Puts a plan together with kit, set and what a photo of the set shows; a sentence where a part of it is gone. */
export function followPlan(plan: PlanBody, set: SetBody, plates: readonly PlateBody[], find: Lookup, photo: RecceBody | null = null): FollowedPlan | { problem: string } {
  const pack = find('package', plan.packageId);
  const mounted = pack ? mountPackage(pack.body, find) : { missing: 'package' };
  if ('missing' in mounted) return { problem: `The ${mounted.missing} of this plan is gone. Choose another package under Move.` };
  const mine = platesOf(mounted.pack, plates, find);
  const witnesses = (plan.witnesses ?? []).flatMap((w) => {
    const other = find('package', w.packageId);
    const there = other ? mountPackage(other.body, find) : null;
    if (!there || 'missing' in there) return [];
    const focal = w.focalMm ?? there.pack.focalMm;
    return [
      {
        name: `${there.pack.camera}-cam`,
        fps: there.mode.fps,
        stabiliser: w.stabiliser,
        camera: w.placement ? { optics: opticsOf(there, focal), focalMm: focal, placement: w.placement } : null,
      },
    ];
  });
  return {
    mounted,
    setup: {
      optics: opticsOf(mounted, plan.move.stations[0].focalMm),
      readoutMs: mounted.mode.readoutMs ?? null,
      fps: mounted.mode.fps,
      shutterDeg: plan.shutterDeg,
      stop: plan.stop,
      iso: plan.iso,
      pieces: set.pieces ?? [],
      marks: set.sheet ?? [],
      move: plan.move,
      lens: { mode: plan.lensMode, sigmaPct: plan.lensSigmaPct, plated: mine.length > 0 },
      measures: plan.measures,
      noisePx: USUAL_NOISE_PX,
    },
    facts: {
      ...NO_SETUP_FACTS,
      lensRangeMm: [mounted.lens.minFocalMm, mounted.lens.maxFocalMm],
      plates: mine.map(({ focalMm, focusM }) => ({ focalMm, focusM })),
      // a grid plate of an anamorphic lens measures its squeeze
      squeezeMeasured: mine.length > 0,
      breathing: mounted.lens.breathing ?? 'unknown',
      stabiliser: plan.stabiliser,
      witnesses,
      zoomNoted: plan.zoomNoted,
      sync: plan.sync,
      stillsPlanned: plan.stillsPlanned || (plan.stills?.stations.length ?? 0) > 0,
      exterior: plan.exterior,
      lightPlanned: plan.lightPlanned || (plan.panoramas?.length ?? 0) > 0,
      detail: photo?.detail ?? null,
      sunTravelDeg: plan.light ? sunTravelOf(plan.light) : null,
    },
  };
}

/** Plates that were shot by the lens of a package on its body in its mode. */
function platesOf(pack: PackageBody, plates: readonly PlateBody[], find: Lookup): PlateBody[] {
  return plates.filter((plate) => {
    const shotWith = find('package', plate.packageId)?.body;
    return plate.lensId === pack.lensId && shotWith?.bodyId === pack.bodyId && shotWith.modeId === pack.modeId;
  });
}

/** How far the sun goes while a setup is shot, degrees. */
export function sunTravelOf({ latitudeDeg, longitudeDeg, from, to }: LightPlan): number {
  return sunTravelDeg(sunAt(latitudeDeg, longitudeDeg, Date.parse(from)), sunAt(latitudeDeg, longitudeDeg, Date.parse(to)));
}

/** Other focal lengths that could be had at once: of a zoom a third shorter and longer, and other packages on the same body and mode. */
export function otherLenses(plan: PlanBody, mounted: MountedPackage, packages: readonly StoredRecord<'package'>[], plates: readonly PlateBody[], find: Lookup): OtherLens[] {
  const plated = (pack: PackageBody) => platesOf(pack, plates, find).length > 0;
  const now = plan.move.stations[0].focalMm;
  const all = plan.move.stations.map((s) => s.focalMm / now);
  const [shortest, longest] = [mounted.lens.minFocalMm / Math.min(...all), mounted.lens.maxFocalMm / Math.max(...all)];
  const zoom = [0.67, 1.5]
    .map((times) => Math.round(Math.min(longest, Math.max(shortest, times * now))))
    .filter((mm, i, list) => longest > shortest && Math.abs(mm / now - 1) > 0.1 && mm >= shortest && mm <= longest && list.indexOf(mm) === i)
    .map((focalMm): OtherLens => ({ id: plan.packageId, words: `The zoom at ${focalMm} mm instead of ${now}`, optics: opticsOf(mounted, focalMm), focalMm, plated: plated(mounted.pack) }));
  const mountedToo = packages.flatMap((p): OtherLens[] => {
    if (p.id === plan.packageId || p.body.bodyId !== mounted.pack.bodyId || p.body.modeId !== mounted.pack.modeId || Math.abs(p.body.focalMm / now - 1) < 0.02) return [];
    const other = mountPackage(p.body, find);
    return 'missing' in other
      ? []
      : [
          {
            id: p.id,
            words: `${p.body.camera}-cam's ${p.body.focalMm} mm (${other.lens.name}) instead of ${now}`,
            optics: opticsOf(other, p.body.focalMm),
            focalMm: p.body.focalMm,
            plated: plated(p.body),
          },
        ];
  });
  return [...zoom, ...mountedToo];
}

/** A move of a kind as it is usually made, from where the camera stands; to be dragged into place. */
export function usualMove(kind: MoveKind, from: MoveStation, objectId: string | null = null): CameraMove {
  const start = { ...from, timeS: 0 };
  const end = (change: Partial<MoveStation>, timeS = 5): MoveStation => ({ ...start, timeS, ...change });
  switch (kind) {
    case 'still':
      return { kind, stations: [start] };
    case 'pan':
      return { kind, pupilAheadM: 0.1, stations: [{ ...start, headingRad: start.headingRad + 0.35 }, end({ headingRad: start.headingRad - 0.35 })] };
    case 'dolly':
      return { kind, stations: [{ ...start, xM: start.xM - 0.75 }, end({ xM: start.xM + 0.75 })] };
    case 'crane':
      return { kind, stations: [start, end({ heightM: start.heightM + 1.5, tiltRad: start.tiltRad - 0.2 })] };
    case 'handheld':
      return { kind, swayM: 0.02, swayRad: 0.01, stations: [start, end({ zM: start.zM - 0.8 })] };
    case 'vehicle':
      return { kind, stations: [start, end({ zM: start.zM - 10 })] };
    case 'zoom':
      return { kind, stations: [start, end({ focalMm: start.focalMm * 1.6 })] };
    case 'object':
      return { kind, objectId, stations: [start], objectStations: [] };
    case 'stills walk':
      return { kind, stations: [{ ...start, xM: start.xM - 2 }, end({ xM: start.xM + 2 }, 60)] };
  }
}

/** Where a witness usually goes, to be dragged: a hand above the lens, or a third of the way round the subject, looking at it. */
export function usualPlacement(way: WitnessPlacement['way'], from: MoveStation): WitnessPlacement {
  if (way === 'rigid') return { way, rightM: 0, upM: 0.2, forwardM: 0, turnRad: 0, tiltRad: 0 };
  const reach = Math.min(from.focusM, 6);
  const subject = [from.xM - reach * Math.sin(from.headingRad), from.zM - reach * Math.cos(from.headingRad)];
  const headingRad = from.headingRad + Math.PI / 3;
  const round = (v: number) => Math.round(1000 * v) / 1000;
  return { way, xM: round(subject[0] + reach * Math.sin(headingRad)), zM: round(subject[1] + reach * Math.cos(headingRad)), heightM: from.heightM, headingRad, tiltRad: from.tiltRad };
}

/** A panorama is wanted where the made things will stand: at what the camera is focused on, at the height of a chest. */
export function usualPanorama(from: MoveStation): PanoramaPlace {
  const reach = Math.min(from.focusM, 6);
  const round = (v: number) => Math.round(1000 * v) / 1000;
  return { xM: round(from.xM - reach * Math.sin(from.headingRad)), zM: round(from.zM - reach * Math.cos(from.headingRad)), heightM: 1.3 };
}

/** A plan to begin with: the camera at eye height before the set, a dolly to the right. */
export function newPlan(setupId: string, packageId: string, focalMm: number, set: SetBody): PlanBody {
  const pieces = set.pieces ?? [];
  const front = pieces.length > 0 ? Math.max(...pieces.filter((p) => p.kind !== 'floor').map((p) => p.zM + p.depthM / 2), -3) + 4 : 0;
  const station: MoveStation = { timeS: 0, xM: 0, zM: front, heightM: 1.4, headingRad: 0, tiltRad: -0.12, rollRad: 0, focalMm, focusM: 4 };
  return {
    setupId,
    packageId,
    move: usualMove('dolly', station),
    shutterDeg: 180,
    stop: 4,
    iso: 800,
    lensMode: 'guided',
    lensSigmaPct: 1,
    measures: { level: [], levelSigmaM: USUAL_SIGMA.levelM, ties: [], heights: [] },
    stabiliser: 'unknown',
    sync: 'none',
    zoomNoted: false,
    exterior: false,
    stillsPlanned: false,
    lightPlanned: false,
    answered: [],
  };
}

/** Pieces as they are usually met, to be dragged and sized. */
export function usualPiece(kind: SetPiece['kind'], id: string, name: string): SetPiece {
  const base = { id, name, kind, xM: 0, zM: -3, baseM: 0, turnRad: 0, moves: false, detail: 'none' as const, coversShare: null };
  switch (kind) {
    case 'floor':
      return { ...base, zM: -2, widthM: 6, depthM: 6, heightM: 0, detail: 'some' };
    case 'wall':
      return { ...base, zM: -5, widthM: 6, depthM: 0.1, heightM: 2.8 };
    case 'platform':
      return { ...base, widthM: 2, depthM: 1.5, heightM: 0.4 };
    case 'box':
      return { ...base, widthM: 0.8, depthM: 0.8, heightM: 0.9, detail: 'some' };
    case 'post':
      return { ...base, widthM: 0.15, depthM: 0.15, heightM: 2.4 };
    case 'person':
      return { ...base, widthM: 0.5, depthM: 0.3, heightM: 1.75, moves: true };
    case 'plant':
      return { ...base, widthM: 0.8, depthM: 0.8, heightM: 1.4, moves: true };
    case 'water':
      return { ...base, widthM: 4, depthM: 3, heightM: 0.02, moves: true };
    case 'vehicle':
      return { ...base, widthM: 1.8, depthM: 4.4, heightM: 1.5, detail: 'some' };
    case 'screen':
      return { ...base, zM: -4, widthM: 3, depthM: 0.1, heightM: 2, moves: true };
    case 'sky':
      return { ...base, zM: 0, widthM: 0, depthM: 0, heightM: 0, moves: true, coversShare: 0.3 };
  }
}
