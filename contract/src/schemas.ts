import { clipPatternProblem, DETAILS, DISTORTION_MODELS, LENGTH_UNITS, LENS_MODES, MARK_GROUNDS, MARK_KINDS, MOVE_KINDS, PIECE_KINDS, STABILISER, SYNCS } from '@mesure/core';
import Joi from 'joi';
import { ANALYSIS_KINDS, type FieldProblem } from './wire';
import { BREATHING, CHARTS, FACT_KINDS, HEIGHT_PLACES, KNOWLEDGE, LIGHT_SHOTS, RECORD_KINDS, STILLS_WAYS, type RecordBodies, type RecordKind } from './records';

const id = Joi.string().guid({ version: ['uuidv4'] });
const name = Joi.string().trim().min(1).max(120);
const mark = Joi.string().trim().min(1).max(40);
const focalMm = Joi.number().min(1).max(3000);
const chipMm = Joi.number().min(1).max(120).allow(null);
const stop = Joi.number().min(0.5).max(64).allow(null);
const at = Joi.string().isoDate();
const file = Joi.object({ sha256: Joi.string().hex().length(64).required(), name: Joi.string().max(200).required() });

const sizePx = Joi.number().integer().min(16).max(32_768).required();
const spreadPx = Joi.number().greater(0).max(1000).allow(null).required();
const px = Joi.number().min(-32_768).max(65_536);
const known = (max: number) => Joi.number().greater(0).max(max).allow(null).required();
const said = Joi.string().max(120).allow(null).required();
/** What EXIF said; a file may say anything, so that only its form is looked at. */
const notes = Joi.object({
  widthPx: known(1e6),
  heightPx: known(1e6),
  shotWidthPx: known(1e6),
  shotHeightPx: known(1e6),
  focalMm: known(1e5),
  focal35Mm: known(1e5),
  focusM: known(1e5),
  body: said,
  lens: said,
  digitalZoom: known(1e4),
  shotAt: at.allow(null).required(),
  exposureS: known(1e6).optional(),
  fNumber: known(1e4).optional(),
  iso: known(1e8).optional(),
});

const length = {
  typed: Joi.string().max(60).required(),
  unit: Joi.string()
    .valid(...LENGTH_UNITS)
    .required(),
  valueM: Joi.number().min(0).max(10_000).required(),
  toleranceM: Joi.number().greater(0).max(10).required(),
  instrument: Joi.string().max(60),
  repeatsM: Joi.array().items(Joi.number().min(0).max(10_000)).min(2).max(20),
};
const height = Joi.object({
  ...length,
  takenAt: Joi.string()
    .valid(...HEIGHT_PLACES)
    .required(),
  offsetM: Joi.number().min(-5).max(5).required(),
}).allow(null);
const angle = Joi.object({
  typed: Joi.string().max(60).required(),
  valueRad: Joi.number().min(-Math.PI).max(Math.PI).required(),
  toleranceRad: Joi.number().greater(0).max(1).required(),
  instrument: Joi.string().max(60),
}).allow(null);
const frame = Joi.number().integer().min(0).max(10_000_000).allow(null);
/** A short remark that may be empty. */
const remark = (max: number) => Joi.string().allow('', null).max(max);
const timecode = Joi.string()
  .pattern(/^\d{2}:\d{2}:\d{2}[:;]\d{2,3}$/)
  .allow(null);
const focus = Joi.number().greater(0).max(10_000).allow(null);

const placeM = Joi.number().min(-10_000).max(10_000).required();
const sizeM = Joi.number().min(0).max(10_000).required();
/** of one camera from another on the same rig */
const offsetM = Joi.number().min(-20).max(20).required();
const turnRad = Joi.number().min(-100).max(100).required();
const timeS = Joi.number().min(-3600).max(86_400).required();
const oneOf = (list: readonly string[]) =>
  Joi.string()
    .valid(...list)
    .required();
const stationIndex = Joi.number().integer().min(0).max(599).required();
const triple = Joi.array().ordered(placeM, placeM, placeM);
/** As many as the study still counts; more make every drawing unreadable. */
const MOST_PIECES = 200;
const MOST_MARKS = 10_000;

const piece = Joi.object({
  id: Joi.string().trim().min(1).max(60).required(),
  name: name.required(),
  kind: oneOf(PIECE_KINDS),
  xM: placeM,
  zM: placeM,
  baseM: placeM,
  widthM: sizeM,
  depthM: sizeM,
  heightM: sizeM,
  turnRad,
  moves: Joi.boolean().required(),
  detail: oneOf(DETAILS),
  coversShare: Joi.number().min(0).max(1).allow(null).required(),
});
const plannedMark = Joi.object({
  id: mark.required(),
  kind: oneOf(MARK_KINDS),
  diameterM: Joi.number().greater(0).max(10).required(),
  at: triple.required(),
  normal: triple.allow(null).required(),
  pieceId: Joi.string().max(60).allow(null).required(),
  ground: oneOf(MARK_GROUNDS),
  placed: Joi.boolean().required(),
});
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

const witnessPlacement = Joi.alternatives().conditional(Joi.object({ way: 'rigid' }).unknown(), {
  then: Joi.object({ way: Joi.valid('rigid'), rightM: offsetM, upM: offsetM, forwardM: offsetM, turnRad, tiltRad: turnRad }),
  otherwise: Joi.object({ way: Joi.valid('free').required(), xM: placeM, zM: placeM, heightM: placeM, headingRad: turnRad, tiltRad: turnRad }),
});

const photosites = Joi.number().integer().min(16).max(65_536).allow(null);
const mode = Joi.object({
  id: id.required(),
  name: name.required(),
  widthPx: Joi.number().integer().min(16).max(32_768).required(),
  heightPx: Joi.number().integer().min(16).max(32_768).required(),
  sensorWidthMm: Joi.number().min(1).max(120).required(),
  sensorHeightMm: Joi.number().min(1).max(120).required(),
  photositesX: photosites,
  photositesY: photosites,
  fps: Joi.number().min(1).max(1000).required(),
  readoutMs: Joi.number().greater(0).max(200).allow(null),
  readoutSource: Joi.string().valid(...KNOWLEDGE),
}).custom((value: { widthPx: number; sensorWidthMm: number; photositesX?: number | null }, helpers) => {
  const pitchUm = (value.sensorWidthMm / (value.photositesX ?? value.widthPx)) * 1000;
  return pitchUm < 1 || pitchUm > 15 ? helpers.message({ custom: `the pixel pitch would be ${pitchUm.toFixed(2)} µm; sensors have 1 to 15 µm` }) : value;
});

/** Bodies of all kinds of record. The same schemas guard the form on the phone and the route on the server. */
export const BODY_SCHEMAS: { [K in RecordKind]: Joi.ObjectSchema<RecordBodies[K]> } = {
  body: Joi.object({ name: name.required(), modes: Joi.array().items(mode).min(1).max(50).required(), chipWidthMm: chipMm, chipHeightMm: chipMm, stabiliser: Joi.boolean() }),
  lens: Joi.object({
    name: name.required(),
    kind: Joi.string().valid('prime', 'zoom').required(),
    minFocalMm: focalMm.required(),
    maxFocalMm: focalMm.min(Joi.ref('minFocalMm')).required(),
    squeeze: Joi.number().min(1).max(2.5).required(),
    serial: Joi.string().allow('').max(60).required(),
    tStopMin: stop,
    tStopMax: stop,
    closeFocusM: Joi.number().greater(0).max(100).allow(null),
    breathing: Joi.string().valid(...BREATHING),
    pupilMm: Joi.number().min(-500).max(1000).allow(null),
    pupilSource: Joi.string().valid(...KNOWLEDGE),
    imageCircleMm: Joi.number().min(2).max(200).allow(null),
    axisDeg: Joi.number().min(-90).max(90).allow(null),
  }),
  adapter: Joi.object({ name: name.required(), factor: Joi.number().min(0.3).max(4).required() }),
  package: Joi.object({
    camera: Joi.string().trim().min(1).max(8).required(),
    bodyId: id.required(),
    modeId: id.required(),
    lensId: id.required(),
    adapterId: id.allow(null).required(),
    secondAdapterId: id.allow(null),
    focalMm: focalMm.required(),
    offsetsM: Joi.object(Object.fromEntries(HEIGHT_PLACES.map((place) => [place, Joi.number().min(-5).max(5)]))),
  }),
  plate: Joi.object({
    lensId: id.required(),
    packageId: id.required(),
    picture: file.required(),
    focalMm: focalMm.required(),
    focusM: Joi.number().greater(0).max(10_000).allow(null).required(),
    cellM: Joi.number().greater(0).max(5).required(),
    chart: Joi.string().valid(...CHARTS),
    shotAt: at.required(),
    notes: notes.allow(null),
    chartDistance: Joi.object(length).allow(null),
    start: Joi.object({ x: px.required(), y: px.required(), nextX: px.required(), nextY: px.required() }).allow(null),
    dropped: Joi.array()
      .items(Joi.object({ x: px.required(), y: px.required() }))
      .max(20_000),
  }),
  edges: Joi.object({
    lensId: id.required(),
    packageId: id.required(),
    picture: file.required(),
    widthPx: sizePx,
    heightPx: sizePx,
    focalMm: focalMm.required(),
    focusM: Joi.number().greater(0).max(10_000).allow(null).required(),
    model: Joi.string()
      .valid(...DISTORTION_MODELS)
      .required(),
    marks: Joi.array()
      .items(Joi.object({ edge: Joi.number().integer().min(1).max(200).required(), x: px.required(), y: px.required() }))
      .max(5000)
      .required(),
    lineUp: Joi.object({
      shape: Joi.string().valid('circle', 'square').required(),
      x: px.required(),
      y: px.required(),
      widthPx: Joi.number().greater(1).max(32_768).required(),
      heightPx: Joi.number().greater(1).max(32_768).required(),
    })
      .allow(null)
      .required(),
    shotAt: at.required(),
  }),
  recce: Joi.object({
    setupId: id.required(),
    picture: file.required(),
    widthPx: sizePx,
    heightPx: sizePx,
    focal35Mm: Joi.number().min(4).max(3000).allow(null).required(),
    lengths: Joi.array()
      .items(
        Joi.object({
          kind: Joi.string().valid('ground', 'upright').required(),
          a: Joi.object({ x: px.required(), y: px.required() }).required(),
          b: Joi.object({ x: px.required(), y: px.required() }).required(),
          length: Joi.object({ ...length, valueM: Joi.number().greater(0).max(10_000).required() }).required(),
        }),
      )
      .max(60)
      .required(),
    detail: Joi.object({ corners: Joi.number().integer().min(0).max(1e6).required(), spread: Joi.number().min(0).max(1).required() })
      .allow(null)
      .required(),
    shotAt: at.required(),
  }),
  set: Joi.object({
    name: name.required(),
    marks: Joi.array().items(mark).max(MOST_MARKS).required(),
    pieces: Joi.array().items(piece).max(MOST_PIECES),
    sheet: Joi.array().items(plannedMark).max(MOST_MARKS),
    turn: Joi.object({ a: mark.required(), b: mark.required(), c: mark.required(), left: Joi.boolean().required() }).allow(null),
    sides: Joi.array()
      .items(
        Joi.object({
          id: mark.required(),
          a: mark.required(),
          c: mark.allow(null).required(),
          // a turn needs two others, a height one
          answer: Joi.when('c', { is: null, then: Joi.string().valid('above', 'below'), otherwise: Joi.string().valid('left', 'right') }).required(),
        }),
      )
      .max(MOST_MARKS),
  }),
  day: Joi.object({
    name: name.required(),
    date: Joi.string()
      .pattern(/^\d{4}-\d{2}-\d{2}$/)
      .required(),
  }),
  setup: Joi.object({
    dayId: id.required(),
    setId: id.required(),
    name: name.required(),
    scene: Joi.string().trim().min(1).max(20).required(),
    order: Joi.number().integer().min(0).max(10_000).required(),
    levelMarks: Joi.array().items(mark).max(100).required(),
    originMark: mark.allow(null).required(),
    headingMarks: Joi.array().ordered(mark.required(), mark.required()).allow(null).required(),
  }),
  plan: Joi.object({
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
  }),
  take: Joi.object({
    setupId: id.required(),
    scene: Joi.string().trim().min(1).max(20).allow(null),
    slate: Joi.string().trim().min(1).max(20).required(),
    take: Joi.number().integer().min(1).max(999).required(),
    camera: Joi.string().trim().min(1).max(8).allow(null),
    clip: Joi.string().trim().min(1).max(80).allow(null),
    packageId: id.required(),
    focalMm: focalMm.required(),
    focalEndMm: focalMm.allow(null),
    zoomFrom: frame,
    zoomTo: frame,
    focalByFrame: Joi.array()
      .items(Joi.object({ frame: Joi.number().integer().min(0).max(10_000_000).required(), mm: focalMm.required() }))
      .max(20_000)
      .allow(null),
    focusM: focus.required(),
    focusEndM: focus,
    stop,
    iso: Joi.number().min(25).max(1_000_000).allow(null),
    shutter: Joi.alternatives().conditional(Joi.object({ by: 'angle' }).unknown(), {
      then: Joi.object({ by: Joi.valid('angle'), deg: Joi.number().greater(0).max(360).required() }),
      otherwise: Joi.object({ by: Joi.valid('time').required(), seconds: Joi.number().greater(0).max(10).required() }).allow(null),
    }),
    fps: Joi.number().min(1).max(2000).allow(null),
    filter: remark(120),
    stabiliser: Joi.string()
      .valid(...STABILISER)
      .allow(null),
    timecodeIn: timecode,
    timecodeOut: timecode,
    asPlanned: Joi.boolean().allow(null),
    moveNote: remark(500),
    height: height.required(),
    heightFrame: Joi.number().integer().min(0).required(),
    heightEnd: height,
    tilt: angle,
    roll: angle,
    distance: Joi.object({ ...length, to: Joi.string().trim().min(1).max(60).required() }).allow(null),
    movers: Joi.array().items(Joi.string().trim().min(1).max(60)).unique().max(40),
    witnesses: Joi.array()
      .items(
        Joi.object({
          packageId: id.required(),
          clip: Joi.string().allow('').max(80).required(),
          timecodeIn: timecode,
          focusM: focus.required(),
          stabiliser: oneOf(STABILISER),
        }),
      )
      .unique('packageId')
      .max(20),
    pictures: Joi.array().items(file).unique('sha256').max(60),
    circled: Joi.boolean().required(),
    notes: Joi.string().allow('').max(5000).required(),
    tracks: file.allow(null).required(),
    loggedAt: at.required(),
    carried: Joi.array().items(Joi.string().max(40)).max(60).required(),
  }),
  rig: Joi.object({
    setupId: id.required(),
    packageId: id.required(),
    since: at.required(),
    placement: witnessPlacement.required(),
    toleranceM: Joi.number().greater(0).max(1).required(),
    why: Joi.string().allow('').max(200).required(),
  }),
  sync: Joi.object({
    takeId: id.required(),
    packageId: id.required(),
    main: file.allow(null).required(),
    witness: file.allow(null).required(),
    clap: Joi.object({ mainFrame: frame.disallow(null).required(), witnessFrame: frame.disallow(null).required() })
      .allow(null)
      .required(),
  }),
  light: Joi.object({
    setupId: id.required(),
    what: oneOf(LIGHT_SHOTS),
    place: Joi.number().integer().min(0).max(49).allow(null).required(),
    shotAt: at.required(),
    sun: Joi.object({ azimuthDeg: Joi.number().min(0).max(360).required(), elevationDeg: Joi.number().min(-90).max(90).required() })
      .allow(null)
      .required(),
    note: Joi.string().allow('').max(200).required(),
    pictures: Joi.array()
      .items(
        file.keys({
          exposure: Joi.object({ seconds: Joi.number().greater(0).max(1e6).required(), fNumber: Joi.number().greater(0).max(1e4).required(), iso: Joi.number().greater(0).max(1e8).required() })
            .allow(null)
            .required(),
        }),
      )
      .unique('sha256')
      .max(200),
  }),
  still: Joi.object({
    setupId: id.required(),
    station: stationIndex,
    picture: file.required(),
    widthPx: sizePx,
    heightPx: sizePx,
    notes: notes.allow(null).required(),
    look: Joi.object({
      widthPx: sizePx,
      heightPx: sizePx,
      zones: Joi.array()
        .items(Joi.object({ downPx: spreadPx, acrossPx: spreadPx }))
        .length(9)
        .required(),
      burntShare: Joi.number().min(0).max(1).required(),
      lostShare: Joi.number().min(0).max(1).required(),
      features: Joi.string().base64().allow('').max(20_000).required(),
    })
      .allow(null)
      .required(),
    shotAt: at.required(),
    givenAt: at.required(),
  }),
  photo: Joi.object({
    setId: id.required(),
    picture: file.required(),
    widthPx: sizePx,
    heightPx: sizePx,
    marks: Joi.array()
      .items(Joi.object({ mark: mark.required(), x: px.required(), y: px.required() }))
      .unique('mark')
      .max(200)
      .required(),
    shotAt: at.required(),
  }),
  floor: Joi.object({
    shown: Joi.array().items(Joi.string().max(40)).unique().max(60).required(),
    clips: Joi.array()
      .items(
        Joi.object({
          camera: Joi.string().trim().min(1).max(8).required(),
          pattern: Joi.string()
            .trim()
            .max(80)
            .required()
            .custom((value: string, helpers) => {
              const problem = clipPatternProblem(value);
              return problem ? helpers.message({ custom: problem }) : value;
            }),
        }),
      )
      .unique('camera')
      .max(26)
      .required(),
  }),
  person: Joi.object({
    lengthUnit: Joi.string()
      .valid(...LENGTH_UNITS)
      .required(),
  }),
  fact: Joi.object({
    setId: id.required(),
    what: oneOf(FACT_KINDS),
    marks: Joi.array()
      .items(mark)
      .unique()
      .required()
      .when('what', {
        switch: [
          { is: Joi.valid('height', 'point'), then: Joi.array().length(1) },
          { is: 'wall', then: Joi.array().length(3) },
        ],
        otherwise: Joi.array().length(2),
      }),
    length: Joi.object(length).when('what', { is: Joi.valid('height', 'wall'), then: Joi.required(), otherwise: Joi.valid(null).required() }),
    at: triple.when('what', { is: 'point', then: Joi.required(), otherwise: Joi.valid(null) }),
    toleranceM: Joi.number().greater(0).max(10).required(),
    instrument: Joi.string().max(60),
    measuredAt: at.required(),
  }),
  tie: Joi.object({
    setId: id.required(),
    from: mark.required(),
    to: mark.invalid(Joi.ref('from')).required().messages({ 'any.invalid': 'a tie needs two different marks' }),
    length: Joi.object(length).required(),
    instrument: Joi.string().max(60).required(),
    measuredAt: at.required(),
  }),
};

export const writeSchema = Joi.object({
  mutationId: id.required(),
  baseVersion: Joi.number().integer().min(0).max(2_000_000_000).required(),
  follows: id.allow(null),
  deleted: Joi.boolean().required(),
  body: Joi.object().required(),
});
export const kindSchema = Joi.string().valid(...RECORD_KINDS);
export const idSchema = id.required();
/** What a simulated camera shows: near the slate, so that what differs is the camera's doing. */
export const feedSchema = Joi.object({
  fps: Joi.number().min(1).max(120).required(),
  focalMm: focalMm.required(),
  focalEndMm: focalMm.required(),
  focusM: Joi.number().greater(0).max(10_000).required(),
  focusEndM: Joi.number().greater(0).max(10_000).required(),
  stop: Joi.number().min(0.5).max(64).required(),
  iso: Joi.number().min(25).max(1_000_000).required(),
  shutterDeg: Joi.number().greater(0).max(360).required(),
  seed: Joi.number().integer().min(0).max(4_294_967_295).required(),
}).required();
export const cursorSchema = Joi.number().integer().min(0).max(Number.MAX_SAFE_INTEGER).required();
export const signInSchema = Joi.object({ name: Joi.string().max(120).required(), password: Joi.string().max(200).required() });
export const analysisSchema = Joi.object({
  id: id.required(),
  kind: Joi.string()
    .valid(...ANALYSIS_KINDS)
    .required(),
  subjectId: id.required(),
  options: Joi.object({ focalMode: Joi.string().valid('held', 'guided', 'free'), trim: Joi.boolean(), mapFormat: Joi.string().valid('exr', 'tiff') }).default({}),
});

/** No character, or half of one: a database refuses them, and so do files. */
const NO_TEXT = /\0|\p{Surrogate}/u;

function unwritable(value: unknown, at: string[] = []): FieldProblem[] {
  if (typeof value === 'string') return NO_TEXT.test(value) ? [{ field: at.join('.'), message: 'holds a character that cannot be written' }] : [];
  if (value === null || typeof value !== 'object') return [];
  return Object.entries(value).flatMap(([key, inner]) => unwritable(inner, [...at, key]));
}

/** Checks a value; every problem names its field and says what would be right. */
export function check<T>(schema: Joi.Schema<T>, value: unknown): { value: T; problems: null } | { value: null; problems: FieldProblem[] } {
  const result = schema.validate(value, { abortEarly: false, convert: false, errors: { wrap: { label: false } } });
  const problems = result.error ? result.error.details.map((d) => ({ field: d.path.join('.'), message: d.message })) : unwritable(value);
  return problems.length > 0 ? { value: null, problems } : { value: result.value!, problems: null };
}
