import { LENGTH_UNITS } from '@mesure/core';
import Joi from 'joi';

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
  pixelAspect: known(100).optional(),
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
const frame = Joi.number().integer().min(0).max(10_000_000).allow(null);
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
const MOST_MARKS = 10_000;
const witnessPlacement = Joi.alternatives().conditional(Joi.object({ way: 'rigid' }).unknown(), {
  then: Joi.object({ way: Joi.valid('rigid'), rightM: offsetM, upM: offsetM, forwardM: offsetM, turnRad, tiltRad: turnRad }),
  otherwise: Joi.object({ way: Joi.valid('free').required(), xM: placeM, zM: placeM, heightM: placeM, headingRad: turnRad, tiltRad: turnRad }),
});

/** Marks pointed out in one picture, each once. */
const pointedMarks = Joi.array()
  .items(Joi.object({ mark: mark.required(), x: px.required(), y: px.required() }))
  .unique('mark')
  .max(200);

/** What the schemas of all kinds are built from. Kinds get it handed in, so that a phone that only reads them does not load it. */
export const checks = {
  Joi,
  id,
  name,
  mark,
  focalMm,
  chipMm,
  stop,
  at,
  file,
  sizePx,
  spreadPx,
  px,
  pointedMarks,
  known,
  said,
  notes,
  length,
  frame,
  focus,
  placeM,
  sizeM,
  offsetM,
  turnRad,
  timeS,
  oneOf,
  stationIndex,
  triple,
  MOST_MARKS,
  witnessPlacement,
};
export type Checks = typeof checks;
