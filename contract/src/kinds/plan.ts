import { LENS_MODES, MOVE_KINDS, STABILISER, SYNCS, type CameraMove, type PlannedMeasures, type StillStation, type WitnessPlacement } from '@mesure/core';
import { defineKind } from './define';
import { renaming } from './shared';

/** How a setup is to be shot: move, camera and measurements. The set is the set's own. */
export interface PlanBody {
  setupId: string;
  packageId: string;
  move: CameraMove;
  shutterDeg: number;
  stop: number | null;
  iso: number | null;
  lensMode: (typeof LENS_MODES)[number];
  /** of a guided focal length */
  lensSigmaPct: number;
  measures: PlannedMeasures;
  stabiliser: (typeof STABILISER)[number];
  sync: (typeof SYNCS)[number];
  zoomNoted: boolean;
  exterior: boolean;
  stillsPlanned: boolean;
  lightPlanned: boolean;
  /** frame lines: width over height of the desqueezed picture; none: the whole of it is used */
  frameAspect?: number | null;
  /** further cameras that watch the same shot */
  witnesses?: PlannedWitness[];
  stills?: StillsPlan | null;
  light?: LightPlan | null;
  /** where HDR panoramas of the light are to be taken */
  panoramas?: PanoramaPlace[];
  /** cautions that somebody has taken note of, with the reason */
  answered: AnsweredCaution[];
}
export interface PlannedWitness {
  packageId: string;
  stabiliser: (typeof STABILISER)[number];
  /** as marked on the lens; else the package's own */
  focalMm?: number;
  /** missing: nobody has placed it yet */
  placement?: WitnessPlacement;
}
export const STILLS_WAYS = ['along', 'round', 'room'] as const;
/** The stills walk of a setup: how it was laid, and which pictures are taken. */
export interface StillsPlan {
  way: (typeof STILLS_WAYS)[number];
  pieceId: string;
  packageId: string;
  distanceM: number;
  heightM: number;
  /** of neighbouring pictures, share of the width; missing: the usual quarter */
  overlap?: number;
  stations: StillStation[];
  /** indices of stations that are ticked off */
  taken: number[];
}
export interface PanoramaPlace {
  xM: number;
  zM: number;
  heightM: number;
}
/** Where and when an exterior is shot. */
export interface LightPlan {
  latitudeDeg: number;
  longitudeDeg: number;
  /** where north lies on the plan: 0 is away from the camera (−Z), clockwise from above */
  northDeg: number;
  from: string;
  to: string;
}
export interface AnsweredCaution {
  rule: string;
  reason: string;
  by: string;
  at: string;
}

export const planKind = defineKind<PlanBody>({
  noun: 'plan',
  tell: (b) => `${b.move.kind}`,
  fields: {
    setupId: 'setup',
    packageId: 'package',
    move: 'move',
    shutterDeg: 'shutter angle',
    stop: 'stop',
    iso: 'ISO',
    lensMode: 'focal length in the solve',
    lensSigmaPct: 'tolerance of the focal length',
    measures: 'measurements',
    stabiliser: 'stabiliser',
    sync: 'sync',
    zoomNoted: 'zoom noted',
    exterior: 'exterior',
    stillsPlanned: 'stills planned',
    lightPlanned: 'light planned',
    frameAspect: 'frame lines',
    witnesses: 'witness cameras',
    stills: 'stills walk',
    light: 'sun',
    panoramas: 'panoramas',
    answered: 'cautions taken note of',
  },
  renamed(body, from, to) {
    const now = renaming(from, to);
    const { level, ties, surveyed } = body.measures;
    const pair = (t: { a: string; b: string }) => [t.a, t.b].sort().join(' ');
    const renamed = ties.map((t) => ({ ...t, a: now(t.a), b: now(t.b) })).filter((t) => t.a !== t.b);
    return {
      ...body,
      measures: {
        ...body.measures,
        level: [...new Set(level.map(now))],
        ties: renamed.filter((t, i) => renamed.findIndex((o) => pair(o) === pair(t)) === i),
        ...(surveyed ? { surveyed: surveyed.map((s) => ({ ...s, id: now(s.id) })).filter((s, i, all) => all.findIndex((o) => o.id === s.id) === i) } : {}),
      },
    };
  },
  schema: ({ Joi, id, name, mark, focalMm, stop, at, placeM, turnRad, timeS, oneOf, stationIndex, triple, MOST_MARKS, witnessPlacement }) => {
    const station = Joi.object({
      timeS,
      xM: placeM,
      zM: placeM,
      heightM: placeM,
      headingRad: turnRad,
      tiltRad: turnRad,
      rollRad: turnRad,
      focalMm: focalMm.required(),
      focusM: Joi.number().greater(0).max(10_000).required(),
    });
    const move = Joi.object({
      kind: oneOf(MOVE_KINDS),
      stations: Joi.array().items(station).min(1).max(50).required(),
      pupilAheadM: Joi.number().min(-5).max(5),
      swayM: Joi.number().min(0).max(5),
      swayRad: Joi.number().min(0).max(1),
      objectId: Joi.string().max(60).allow(null),
      objectStations: Joi.array()
        .items(Joi.object({ timeS, xM: placeM, zM: placeM, baseM: placeM, turnRad }))
        .max(50),
    }).custom((value: { stations: { timeS: number }[] }, helpers) => {
      const at = value.stations.findIndex((s, i) => i > 0 && !(s.timeS > value.stations[i - 1].timeS));
      return at > 0 ? helpers.message({ custom: `station ${at + 1} must come after the one before it` }) : value;
    });
    const sigmaM = Joi.number().greater(0).max(10).required();
    const measures = Joi.object({
      level: Joi.array().items(mark).max(100).required(),
      levelSigmaM: sigmaM,
      ties: Joi.array()
        .items(Joi.object({ a: mark.required(), b: mark.required(), sigmaM }))
        .max(500)
        .required(),
      heights: Joi.array().items(Joi.object({ timeS, sigmaM })).max(50).required(),
      surveyed: Joi.array()
        .items(Joi.object({ id: mark.required(), sigmaM }))
        .max(MOST_MARKS),
    });
    return Joi.object({
      setupId: id.required(),
      packageId: id.required(),
      move: move.required(),
      shutterDeg: Joi.number().min(1).max(360).required(),
      stop: stop.required(),
      iso: Joi.number().min(25).max(1_000_000).allow(null).required(),
      lensMode: oneOf(LENS_MODES),
      lensSigmaPct: Joi.number().greater(0).max(50).required(),
      measures: measures.required(),
      stabiliser: oneOf(STABILISER),
      sync: oneOf(SYNCS),
      zoomNoted: Joi.boolean().required(),
      exterior: Joi.boolean().required(),
      stillsPlanned: Joi.boolean().required(),
      lightPlanned: Joi.boolean().required(),
      frameAspect: Joi.number().min(0.4).max(4).allow(null),
      witnesses: Joi.array()
        .items(Joi.object({ packageId: id.required(), stabiliser: oneOf(STABILISER), focalMm, placement: witnessPlacement }))
        .max(20),
      stills: Joi.object({
        overlap: Joi.number().min(0.1).max(0.9),
        way: oneOf(STILLS_WAYS),
        pieceId: Joi.string().max(60).required(),
        packageId: id.required(),
        distanceM: Joi.number().greater(0).max(1000).required(),
        heightM: placeM,
        stations: Joi.array()
          .items(Joi.object({ at: triple.required(), headingRad: turnRad, tiltRad: turnRad, between: Joi.array().ordered(stationIndex, stationIndex) }))
          .max(600)
          .required(),
        taken: Joi.array().items(Joi.number().integer().min(0).max(599)).max(600).required(),
      }).allow(null),
      light: Joi.object({
        latitudeDeg: Joi.number().min(-90).max(90).required(),
        longitudeDeg: Joi.number().min(-180).max(180).required(),
        northDeg: Joi.number().min(-360).max(360).required(),
        from: at.required(),
        to: at.required(),
      }).allow(null),
      panoramas: Joi.array()
        .items(Joi.object({ xM: placeM, zM: placeM, heightM: placeM }))
        .max(50),
      answered: Joi.array()
        .items(Joi.object({ rule: Joi.string().max(60).required(), reason: Joi.string().trim().min(1).max(500).required(), by: name.required(), at: at.required() }))
        .max(100)
        .required(),
    });
  },
  references: { setupId: 'setup', packageId: 'package', 'witnesses[].packageId': 'package' },
  merge: { lists: { witnesses: 'packageId', answered: 'rule' }, maps: ['measures'] },
  signs: ['answered[]'],
  writes: 'record',
  hides: 'record',
  leaves: 'setups/: guideline sheet, stations of the stills walk',
});
